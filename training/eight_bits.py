"""Networks whose blocks compute with 8 bits: which weights and activations are rounded, and how finely.

Each residual block's convolutions take weights of 8 bits (by channel of their output, symmetric) and an input of
8 bits (one range for all channels); sums, and what passes between blocks, stay floats. So a block rounds what it
adds, not the picture.

References
----------
B. Jacob et al., "Quantization and training of neural networks for efficient integer-arithmetic-only inference", CVPR
2018. M. Nagel, M. van Baalen, T. Blankevoort, M. Welling, "Data-free quantization through weight equalization and
bias correction", ICCV 2019: channels of like size.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product

import torch
from torch import Tensor, nn
from torch.nn import functional

from .networks import ResidualBlock

LARGEST = 255  # of 256 steps of an input; weights have as many
# Shares of the largest value seen at which a range may end: what lies outside is clipped, what is inside is finer.
ENDS = (1.0, 0.92, 0.84, 0.76, 0.68, 0.6)
LOUDEST = 0.9995  # quantile of a channel that stands for its size
SEEN = 67  # every so manieth value is looked at
FINEST = ("down_a", "up_a")  # blocks at the finest level, where rounding is seen most
LAST_BLOCK = ("up_a.1",)  # the one before the end: where all levels are as wide, most time goes into the finest

Inputs = tuple[Tensor, ...]


class RoundedConv(nn.Module):
    """A 3 x 3 convolution without bias whose weights and input are rounded to 8 bits.

    ``step`` is the size of one of 256 steps of the input, ``zero`` the one that means 0.
    """

    def __init__(self, convolution: nn.Conv2d, step: float, zero: int) -> None:
        super().__init__()
        self.weight, self.step, self.zero = convolution.weight, step, zero
        self.steps = convolution.weight.detach().abs().amax((1, 2, 3)).clamp_min(1e-8) / 127

    def forward(self, x: Tensor) -> Tensor:
        x = torch.fake_quantize_per_tensor_affine(x, self.step, self.zero, 0, LARGEST)
        zeros = torch.zeros(len(self.steps), dtype=torch.int32)
        weight = torch.fake_quantize_per_channel_affine(self.weight, self.steps, zeros, 0, -128, 127)
        return functional.conv2d(x, weight, padding=1)


def round_blocks(network: nn.Module, examples: Sequence[Inputs], kept: Sequence[str] = FINEST) -> None:
    """Let a trained network's blocks compute with 8 bits, in ranges that suit examples of what it is given.

    ``kept``: names, or parts of names, of blocks that go on with floats.
    """
    blocks = [
        m for name, m in network.named_modules()
        if isinstance(m, ResidualBlock) and not any(part in name for part in kept)
    ]  # fmt: skip
    for block, between in zip(blocks, _seen(network, [b.second for b in blocks], examples), strict=True):
        _equalise(block, between)
    convolutions = [c for block in blocks for c in (block.first, block.second)]
    for convolution, values in zip(convolutions, _seen(network, convolutions, examples), strict=True):
        _replace(network, convolution, RoundedConv(convolution, *input_range(values)))


def input_range(values: Tensor) -> tuple[float, int]:
    """Size of a step (of 256), and the step that means 0, with the least squared error of rounding and clipping.

    ``values``: of any shape and range; 0 is always kept exactly.
    """
    low, high = values.min().clamp_max(0), values.max().clamp_min(1e-6)
    best = (float("inf"), 1.0, 0)
    for below, above in product(ENDS, ENDS):
        step = (high * above - low * below) / LARGEST
        zero = torch.round(-low * below / step)
        rounded = (torch.clamp(torch.round(values / step) + zero, 0, LARGEST) - zero) * step
        best = min(best, (float(((rounded - values) ** 2).mean()), float(step), int(zero)))
    return best[1:]


def _seen(network: nn.Module, parts: Sequence[nn.Module], examples: Sequence[Inputs]) -> list[Tensor]:
    """What a network's parts are given with the examples, some of its values: channels x values of each."""
    seen: dict[nn.Module, list[Tensor]] = {part: [] for part in parts}

    def keep(part: nn.Module, inputs: Inputs) -> None:
        seen[part].append(inputs[0].detach().permute(1, 0, 2, 3).flatten(1)[:, ::SEEN].clone())

    handles = [part.register_forward_pre_hook(keep) for part in parts]
    with torch.no_grad():
        for example in examples:
            network(*example)
    for handle in handles:
        handle.remove()
    return [torch.cat(seen[part], dim=1) for part in parts]


def _equalise(block: ResidualBlock, between: Tensor) -> None:
    """Scale channels between the two convolutions so that they are of like size; the block stays the same.

    The rectifier between them lets positive factors pass.
    """
    loud = between.abs().quantile(LOUDEST, dim=1)
    weights = block.second.weight.detach().abs().amax((0, 2, 3))
    factor = (loud / weights).sqrt().clamp_min(1e-4)
    factor /= factor.log().mean().exp()
    with torch.no_grad():
        block.first.weight /= factor[:, None, None, None]
        block.second.weight *= factor[None, :, None, None]


def _replace(network: nn.Module, part: nn.Module, other: nn.Module) -> None:
    parent, name = next((m, n) for m in network.modules() for n, child in m.named_children() if child is part)
    setattr(parent, name, other)
