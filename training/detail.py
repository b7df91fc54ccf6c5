"""Training of the networks that enlarge: from a reduced picture back to the one it was reduced from."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
import torch

from crispgrain.arrays import Array

from . import reductions, second_order
from .loop import Batch
from .photographs import PatchSampler, load

BATCH = 16


class DetailBatches:
    """Draws batches of reduced and original patches."""

    def __init__(self, data: Path, factor: int) -> None:
        self.photographs, self.factor = load(data / "train"), factor

    def __call__(self, rng: np.random.Generator) -> Batch:
        sampler = PatchSampler(self.photographs, (reductions.SMALL + 2 * reductions.RIM) * self.factor, rng)
        pairs = [reductions.draw_pair(sampler(), self.factor, rng) for _ in range(BATCH)]
        small, truth = (as_planes(v) for v in zip(*pairs, strict=True))
        return (small,), truth, torch.ones(BATCH, 1, 1, 1)


class RestoringBatches:
    """Draws batches of small pictures that went through much, with what is known of them."""

    def __init__(self, data: Path, factor: int) -> None:
        self.photographs, self.factor = load(data / "train"), factor

    def __call__(self, rng: np.random.Generator) -> Batch:
        sampler = PatchSampler(self.photographs, (second_order.SMALL + 2 * second_order.RIM) * self.factor, rng)
        drawn = [second_order.draw_small(sampler(), self.factor, rng) for _ in range(BATCH)]
        small, truth = as_planes([d.picture for d in drawn]), as_planes([d.truth for d in drawn])
        told = torch.from_numpy(np.stack([d.told for d in drawn]))[..., None, None]
        return (small, told), truth, torch.ones(BATCH, 1, 1, 1)


def as_planes(pictures: Sequence[Array]) -> torch.Tensor:
    return torch.from_numpy(np.stack(pictures)).permute(0, 3, 1, 2)
