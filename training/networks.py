"""The networks: small U-Nets, shaped for a processor without an accelerator.

The finest level works at half resolution (2 x 2 pixels folded into channels),
where convolutions are wide enough to keep a processor busy.
"""

from __future__ import annotations

from itertools import pairwise

import torch
from torch import Tensor, nn
from torch.nn import functional

Sizes = tuple[int, int, int]

WIDTHS = (32, 64, 128)
BLOCKS = (2, 2, 2)  # residual blocks each way at 1/1, 1/2 and 1/4 of the input's resolution
DEEPER = (4, 4, 8)  # 2.4 times the work; most of it where a step to the side is the farthest
FARTHER = (2, 2, 8)  # 1.6 times the work, for what comes from far away: each block looks 16 px farther
NARROWING = (40, 80, 96)  # channels at 1/4, 1/8 and 1/16, for networks that tell what a block is like
LEAK = 0.1


class ResidualBlock(nn.Module):
    """Two 3 x 3 convolutions beside an identity.

    Leaky and without biases, so that no channel can fall silent for good:
    with plain rectifiers and biases nearly all of them did.
    """

    def __init__(self, channels: int) -> None:
        super().__init__()
        self.first = nn.Conv2d(channels, channels, 3, padding=1, bias=False)
        self.second = nn.Conv2d(channels, channels, 3, padding=1, bias=False)

    def forward(self, x: Tensor) -> Tensor:
        return x + self.second(functional.leaky_relu(self.first(x), LEAK))


def _blocks(channels: int, number: int) -> nn.Sequential:
    blocks = [ResidualBlock(channels) for _ in range(number)]
    for added in blocks[min(BLOCKS) :]:
        nn.init.zeros_(added.second.weight)  # so that a deeper network begins as the one whose weights it takes
    return nn.Sequential(*blocks)


class UNet(nn.Module):
    """Three levels with additive skips; input and output at the finest level's resolution."""

    def __init__(self, channels_in: int, channels_out: int, widths: Sizes = WIDTHS, blocks: Sizes = BLOCKS) -> None:
        super().__init__()
        a, b, c = widths
        fine, coarse, deep = blocks
        self.head = nn.Conv2d(channels_in, a, 3, padding=1)
        self.down_a, self.shrink_a = _blocks(a, fine), nn.Conv2d(a, b, 2, stride=2)
        self.down_b, self.shrink_b = _blocks(b, coarse), nn.Conv2d(b, c, 2, stride=2)
        self.middle = _blocks(c, deep)
        self.grow_b, self.up_b = nn.ConvTranspose2d(c, b, 2, stride=2), _blocks(b, coarse)
        self.grow_a, self.up_a = nn.ConvTranspose2d(b, a, 2, stride=2), _blocks(a, fine)
        self.tail = nn.Conv2d(a, channels_out, 3, padding=1)

    def forward(self, x: Tensor) -> Tensor:
        fine = self.down_a(self.head(x))
        coarse = self.down_b(self.shrink_a(fine))
        deep = self.middle(self.shrink_b(coarse))
        coarse = self.up_b(coarse + self.grow_b(deep))
        return self.tail(self.up_a(fine + self.grow_a(coarse)))


class MosaicNet(nn.Module):
    """Noisy RGGB mosaic and noise map to clean RGB, as a correction to bilinear interpolation.

    Input: mosaic B x 1 x H x W and sigma B x 1 x H/2 x W/2, both in the
    stabilised domain (0 black, 1 white); H and W multiples of 8. Output:
    B x 3 x H x W.
    """

    def __init__(self, widths: Sizes = WIDTHS, blocks: Sizes = BLOCKS) -> None:
        super().__init__()
        self.body = UNet(5, 12, widths, blocks)
        cross = torch.tensor([[0.25, 0.5, 0.25], [0.5, 1, 0.5], [0.25, 0.5, 0.25]])
        plus = torch.tensor([[0, 0.25, 0], [0.25, 1, 0.25], [0, 0.25, 0]])
        self.register_buffer("bilinear", torch.stack([cross, plus, cross])[:, None])
        # Which of the cell's four places (as pixel_unshuffle orders them) measures which colour.
        places = torch.tensor([[1.0, 0, 0, 0], [0, 1, 1, 0], [0, 0, 0, 1]])
        self.register_buffer("places", places.reshape(3, 4, 1, 1))

    def forward(self, mosaic: Tensor, sigma: Tensor) -> Tensor:
        cells = functional.pixel_unshuffle(mosaic, 2)
        batch, _, rows, columns = cells.shape
        sparse = (cells[:, None] * self.places[None]).reshape(batch, 12, rows, columns)
        interpolated = functional.conv2d(
            functional.pad(functional.pixel_shuffle(sparse, 2), (1, 1, 1, 1), mode="reflect"), self.bilinear, groups=3
        )
        return interpolated - functional.pixel_shuffle(self.body(torch.cat([cells, sigma], 1)), 2)


class SixBySixNet(nn.Module):
    """As :class:`MosaicNet`, for a sensor whose colours repeat every 6 x 6 pixels.

    Inputs and output have the same shapes and ranges, and there is one input more: which of the three colours each
    pixel measures, B x 3 x H x W of zeros and ones. The cell may begin anywhere on even rows and columns. It corrects
    colours interpolated by normalised convolution (H. Knutsson, C.-F. Westin, CVPR 1993).
    """

    TAPS = (1.0, 2.0, 3.0, 2.0, 1.0)  # every colour is in every 5 x 5 of the pattern

    def __init__(self, widths: Sizes = WIDTHS, blocks: Sizes = BLOCKS) -> None:
        super().__init__()
        self.body = UNet(29, 12, widths, blocks)
        taps = torch.tensor(self.TAPS)
        self.register_buffer("near", (taps[:, None] * taps[None]).expand(3, 1, 5, 5).contiguous())

    def forward(self, mosaic: Tensor, sigma: Tensor, measured: Tensor) -> Tensor:
        weight, total = (functional.conv2d(x, self.near, padding=2, groups=3) for x in (measured, measured * mosaic))
        interpolated = total / weight
        cells = functional.pixel_unshuffle(torch.cat([mosaic, interpolated, measured], 1), 2)
        return interpolated - functional.pixel_shuffle(self.body(torch.cat([cells, sigma], 1)), 2)


class PhotoNet(nn.Module):
    """Noisy, perhaps compressed picture to clean picture, as a correction.

    Input: encoded RGB B x 3 x H x W, and conditions B x 3 x H/2 x W/2: sigma of
    the luma noise, sigma of the colour noise (both in encoded units 0..1), and
    compression (0 none, 1 the strongest). H and W are multiples of 8. Output:
    B x 3 x H x W.
    """

    def __init__(self, widths: Sizes = WIDTHS, blocks: Sizes = BLOCKS) -> None:
        super().__init__()
        self.body = UNet(15, 12, widths, blocks)

    def forward(self, picture: Tensor, conditions: Tensor) -> Tensor:
        cells = functional.pixel_unshuffle(picture, 2)
        return picture - functional.pixel_shuffle(self.body(torch.cat([cells, conditions], 1)), 2)


class ShakeNet(nn.Module):
    """What deconvolution left, and the picture before it, to a clean picture, as a correction of the first.

    Input: encoded RGB of both, B x 6 x H x W, and conditions as of the photo net, as which it begins if it does
    not heed the second picture.
    """

    def __init__(self, widths: Sizes = WIDTHS, blocks: Sizes = FARTHER) -> None:
        super().__init__()
        self.body = UNet(27, 12, widths, blocks)

    def forward(self, picture: Tensor, conditions: Tensor) -> Tensor:
        left, seen = (functional.pixel_unshuffle(p, 2) for p in picture.split(3, 1))
        return picture[:, :3] - functional.pixel_shuffle(self.body(torch.cat([left, conditions, seen], 1)), 2)


class DetailNet(nn.Module):
    """Small picture to one ``factor`` times as large, as a correction to bicubic interpolation.

    Input: encoded RGB B x 3 x H x W; H and W are multiples of 4. Output:
    B x 3 x factor H x factor W. All work is done at the small size.
    """

    def __init__(self, factor: int, widths: Sizes = (64, 64, 64), blocks: Sizes = BLOCKS) -> None:
        super().__init__()
        self.factor = factor
        self.body = UNet(3, 3 * factor**2, widths, blocks)

    def forward(self, picture: Tensor) -> Tensor:
        plain = functional.interpolate(picture, scale_factor=self.factor, mode="bicubic", align_corners=False)
        return plain + functional.pixel_shuffle(self.body(picture), self.factor)


class SubjectNet(nn.Module):
    """A picture and what is in focus to where its subject is.

    Input: encoded RGB less a half, and how likely each place is in focus:
    B x 4 x H x W, H and W multiples of 16. Output: B x 1 x H x W, about 0 to 1. It
    works at a quarter of the resolution: what a subject is, is seen from afar;
    edges are found later, in the picture itself.
    """

    def __init__(self) -> None:
        super().__init__()
        self.body = UNet(4 * 16, 16, (32, 64, 96), (2, 2, 4))

    def forward(self, picture: Tensor) -> Tensor:
        return functional.pixel_shuffle(self.body(functional.pixel_unshuffle(picture, 4)), 4)


class BlurNet(nn.Module):
    """Blocks of luminance to logarithms of how probable each kind of blur is.

    Input: B x 1 x H x W, of mean 0; H and W multiples of 16. Output: B x classes x 1 x 1.
    """

    def __init__(self, classes: int, widths: Sizes = NARROWING) -> None:
        super().__init__()
        self.head, self.body, self.tail = _narrowing(1, classes, widths)

    def forward(self, blocks: Tensor) -> Tensor:
        deep = functional.leaky_relu(self.body(self.head(functional.pixel_unshuffle(blocks, 4))), LEAK)
        return functional.log_softmax(self.tail(deep.mean((2, 3), keepdim=True)), 1)


class NoiseNet(nn.Module):
    """Blocks of a finished picture to logarithms of how probable each level of noise is, for each cell of 16 px.

    Input: B x planes x H x W; H and W multiples of 16. Output: B x (levels of luma, then of colour) x H / 16 x W / 16.
    """

    def __init__(self, planes: int, levels: int, widths: Sizes = NARROWING) -> None:
        super().__init__()
        self.head, self.body, self.tail = _narrowing(planes, 2 * levels, widths)

    def forward(self, blocks: Tensor) -> Tensor:
        deep = functional.leaky_relu(self.body(self.head(functional.pixel_unshuffle(blocks, 4))), LEAK)
        luma, colour = self.tail(deep).chunk(2, 1)
        return torch.cat([functional.log_softmax(luma, 1), functional.log_softmax(colour, 1)], 1)


class DotNet(nn.Module):
    """What lies around pixels of a mosaic to the logarithm of the odds that each is faulty.

    Input: B x planes x edge x edge. Output: B x 1 x 1 x 1.
    """

    def __init__(self, planes: int, edge: int, widths: Sizes = (64, 64, 32)) -> None:
        super().__init__()
        a, b, c = widths
        self.head = nn.Conv2d(planes, a, edge)
        self.body, self.last = nn.Conv2d(a, b, 1), nn.Conv2d(b, c, 1)
        self.tail = nn.Conv2d(c, 1, 1)

    def forward(self, places: Tensor) -> Tensor:
        deep = functional.leaky_relu(self.head(places), LEAK)
        deep = functional.leaky_relu(self.body(deep), LEAK)
        return self.tail(functional.leaky_relu(self.last(deep), LEAK))


def _narrowing(planes: int, classes: int, widths: Sizes) -> tuple[nn.Conv2d, nn.Sequential, nn.Conv2d]:
    """First convolution of 4 x 4 px folded into channels, two blocks at each of three resolutions, and the last."""
    levels: list[nn.Module] = [ResidualBlock(widths[0]) for _ in range(2)]
    for fine, coarse in pairwise(widths):
        levels += [nn.Conv2d(fine, coarse, 2, stride=2), *(ResidualBlock(coarse) for _ in range(2))]
    return nn.Conv2d(16 * planes, widths[0], 3, padding=1), nn.Sequential(*levels), nn.Conv2d(widths[-1], classes, 1)
