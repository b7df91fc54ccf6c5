"""Training of the network that tells kinds of blur apart: batches of blocks and their classes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import Tensor

from crispgrain.core.meter.blocks import BLOCK
from crispgrain.core.meter.blur_net import CLASSES, as_input

from .blur_kinds import RIM, draw_block
from .loop import Batch
from .photographs import PatchSampler, stored
from .reductions import shrink

BATCH = 24
EDGE = BLOCK + 2 * RIM  # px of a patch
SMALLEST, SMALL = 224, 600  # px of the shorter side of copies that are made smaller
COPIES = 2  # of each photograph
SHRUNK = 0.5  # share of blocks from copies: few photographs are stored as small as people pass them on
APART = 5  # every so manieth photograph is kept apart, to decide by


def photographs(folder: Path, apart: bool = False) -> list[NDArray[np.uint8]]:
    """The photographs and drawings to learn from, or those kept apart (uint8, H x W x 3)."""
    files = stored(folder)
    stems = sorted({f.stem.rsplit("-", 1)[0] for f in files})
    kept = set(stems[::APART])
    return [np.load(f, mmap_mode="r") for f in files if (f.stem.rsplit("-", 1)[0] in kept) == apart]


class BlurBatches:
    """Draws batches of blocks and their classes, one of n x classes x 1 x 1 being 1."""

    def __init__(self, data: Path, apart: bool = False) -> None:
        self.photographs = photographs(data / "train", apart) + photographs(data / "surfaces", apart)
        rng = np.random.default_rng(0)
        self.copies = [shrink(p, SMALLEST, SMALL, rng) for p in self.photographs for _ in range(COPIES)]

    def __call__(self, rng: np.random.Generator) -> Batch:
        as_stored, copies = PatchSampler(self.photographs, EDGE, rng), PatchSampler(self.copies, EDGE, rng)
        patches = (copies() if rng.random() < SHRUNK else as_stored() for _ in range(BATCH))
        numbers, blocks = zip(*(draw_block(patch, rng) for patch in patches), strict=True)
        truth = np.eye(CLASSES, dtype=np.float32)[list(numbers)][:, :, None, None]
        return (torch.from_numpy(as_input(np.stack(blocks))),), torch.from_numpy(truth), torch.ones(())


def cross_entropy(output: Tensor, truth: Tensor, _: Tensor) -> Tensor:
    """Of logarithms of probabilities and the true classes."""
    return -(output * truth).sum(1).mean()
