"""Other blocks for a large network, tried beside more of the plain ones: as long in use, and as long in training.

Each candidate is the network that ships with blocks added that change nothing at first. Channel attention is left
out: a mean over the picture would make the same place come out otherwise in each tile.

References
----------
[1] L. Chen et al., "Simple baselines for image restoration", ECCV 2022: one half of the channels gates the other.
[2] Z. Liu et al., "A ConvNet for the 2020s", CVPR 2022: a large kernel for each channel, then wide 1 x 1.
"""

from __future__ import annotations

from collections.abc import Callable

from torch import Tensor, nn
from torch.nn import functional

from .networks import LEAK, MosaicNet, ResidualBlock, Sizes

KERNEL = 7  # px


class GatedBlock(nn.Module):
    """1 x 1 to twice the channels, 3 x 3 of each, one half times the other, 1 x 1 [1]_; without normalisation."""

    def __init__(self, channels: int) -> None:
        super().__init__()
        self.widen = nn.Conv2d(channels, 2 * channels, 1, bias=False)
        self.plain_each = nn.Conv2d(2 * channels, 2 * channels, 3, padding=1, groups=2 * channels, bias=False)
        self.out = nn.Conv2d(channels, channels, 1, bias=False)
        nn.init.zeros_(self.out.weight)

    def forward(self, x: Tensor) -> Tensor:
        value, gate = self.plain_each(self.widen(x)).chunk(2, 1)
        return x + self.out(value * gate)


class LargeKernelBlock(nn.Module):
    """7 x 7 of each channel, 1 x 1 to twice the channels, and back [2]_; without normalisation."""

    def __init__(self, channels: int) -> None:
        super().__init__()
        self.plain_each = nn.Conv2d(channels, channels, KERNEL, padding=KERNEL // 2, groups=channels, bias=False)
        self.widen = nn.Conv2d(channels, 2 * channels, 1, bias=False)
        self.out = nn.Conv2d(2 * channels, channels, 1, bias=False)
        nn.init.zeros_(self.out.weight)

    def forward(self, x: Tensor) -> Tensor:
        return x + self.out(functional.leaky_relu(self.widen(self.plain_each(x)), LEAK))


# Measured with OpenVINO's kernels, one thread, floats: as long as two, two and six plain blocks more.
GATED: Sizes = (3, 3, 17)
LARGE_KERNEL: Sizes = (4, 4, 16)


def mosaic_with(block: Callable[[int], nn.Module], added: Sizes) -> MosaicNet:
    """The mosaic net, with blocks added at each level, each way."""
    network = MosaicNet()
    levels = (("down_a", "up_a"), ("down_b", "up_b"), ("middle",))
    for names, number in zip(levels, added, strict=True):
        for name in names:
            blocks = getattr(network.body, name)
            channels = blocks[0].first.in_channels
            new = [block(channels) for _ in range(number)]
            for plain in (b for b in new if isinstance(b, ResidualBlock)):
                nn.init.zeros_(plain.second.weight)
            blocks.extend(new)
    return network
