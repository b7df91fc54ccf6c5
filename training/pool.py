"""Batches of patches from a pool of larger crops, each degraded as a whole."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray

from .finished import Finished
from .loop import Batch
from .photographs import PatchSampler, load, pick

BATCH = 8
EDGE = 96  # px
CROP = 192  # degraded as a whole: noise is metered on it, and JPEG blocks lie as they fall
POOL = 64  # crops to cut patches from
FRESH = 2  # of them replaced for each batch
PLACES = 3  # in a crop that are looked at

Degrade = Callable[[NDArray[np.uint8], np.random.Generator], Finished]


class PooledBatches:
    """Draws batches from a pool of degraded crops, some of them replaced for each batch."""

    def __init__(self, data: Path, degrade: Degrade) -> None:
        self.photographs, self.degrade = load(data / "train"), degrade
        self.pool: list[Finished] = []

    def __call__(self, rng: np.random.Generator) -> Batch:
        sampler = PatchSampler(self.photographs, CROP, rng)
        missing = POOL - len(self.pool) or FRESH
        self.pool = self.pool[-(POOL - missing) :] + [self.degrade(sampler(), rng) for _ in range(missing)]
        samples = [self._cut(self.pool[rng.integers(POOL)], rng) for _ in range(BATCH)]
        picture, truth, planes = (torch.from_numpy(np.stack(v)).permute(0, 3, 1, 2) for v in zip(*samples, strict=True))
        error = (picture - truth).square().mean((1, 2, 3), keepdim=True).sqrt()
        # Weak noise is everyday noise: it must not drown in the errors of the strong.
        weight = (error + 0.01) ** -0.5
        return (picture, planes[..., ::2, ::2]), truth, weight / weight.mean()

    @staticmethod
    def _cut(crop: Finished, rng: np.random.Generator) -> tuple[np.ndarray, ...]:
        places = rng.integers(CROP - EDGE + 1, size=(PLACES, 2))
        parts = [np.s_[top : top + EDGE, left : left + EDGE] for top, left in places.tolist()]
        part = parts[pick([(255 * crop.truth[p]).astype(np.uint8) for p in parts], rng)]
        return crop.picture[part], crop.truth[part], crop.conditions[part]
