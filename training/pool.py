"""Batches of patches from a pool of larger crops, each degraded as a whole."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray

from .finished import Finished
from .loop import Batch
from .photographs import PatchSampler, load

BATCH = 8
EDGE = 96  # px
CROP = 192  # degraded as a whole: noise is metered on it, and JPEG blocks lie as they fall
POOL = 64  # crops to cut patches from
FRESH = 2  # of them replaced for each batch

Degrade = Callable[[NDArray[np.uint8], np.random.Generator], Finished]


class Pool:
    """Degraded crops, some of them replaced each time that some are drawn."""

    def __init__(self, photographs: list[NDArray[np.uint8]], degrade: Degrade, fresh: int) -> None:
        self.photographs, self.degrade, self.fresh = photographs, degrade, fresh
        self.crops: list[Finished] = []

    def drawn(self, number: int, rng: np.random.Generator) -> list[Finished]:
        """So many of the crops."""
        sampler = PatchSampler(self.photographs, CROP, rng)
        missing = POOL - len(self.crops) or self.fresh
        self.crops = self.crops[-(POOL - missing) :] + [self.degrade(sampler(), rng) for _ in range(missing)]
        return [self.crops[rng.integers(POOL)] for _ in range(number)]


class PooledBatches:
    """Draws batches of patches of a pool's crops."""

    def __init__(self, data: Path, degrade: Degrade) -> None:
        self.pool = Pool(load(data / "train"), degrade, FRESH)

    def __call__(self, rng: np.random.Generator) -> Batch:
        parts = [crop.part(EDGE, rng) for crop in self.pool.drawn(BATCH, rng)]
        samples = [(part.picture, part.truth, part.conditions) for part in parts]
        picture, truth, planes = (torch.from_numpy(np.stack(v)).permute(0, 3, 1, 2) for v in zip(*samples, strict=True))
        error = (picture - truth).square().mean((1, 2, 3), keepdim=True).sqrt()
        # Weak noise is everyday noise: it must not drown in the errors of the strong.
        weight = (error + 0.01) ** -0.5
        return (picture, planes[..., ::2, ::2]), truth, weight / weight.mean()
