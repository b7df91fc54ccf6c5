"""Training of the networks that enlarge: from a reduced picture back to the one it was reduced from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray

from crispgrain.arrays import Array

from . import reductions, second_order
from .loop import Batch
from .photographs import PatchSampler, load


@dataclass(frozen=True)
class Reducing:
    """A way to make small pictures: how, from patches of how many reduced px, and how many at a time."""

    draw: Callable[[NDArray[np.uint8], int, np.random.Generator], tuple[Array, Array]]
    edge: int
    batch: int


CLEAN = Reducing(reductions.draw_pair, reductions.SMALL + 2 * reductions.RIM, 16)
SECOND_ORDER = Reducing(second_order.draw_small, second_order.SMALL + 2 * second_order.RIM, 8)


class DetailBatches:
    """Draws batches of reduced and original patches."""

    def __init__(self, data: Path, factor: int, reducing: Reducing = CLEAN) -> None:
        self.photographs, self.factor, self.reducing = load(data / "train"), factor, reducing

    def __call__(self, rng: np.random.Generator) -> Batch:
        sampler = PatchSampler(self.photographs, self.reducing.edge * self.factor, rng)
        pairs = [self.reducing.draw(sampler(), self.factor, rng) for _ in range(self.reducing.batch)]
        small, truth = (torch.from_numpy(np.stack(v)).permute(0, 3, 1, 2) for v in zip(*pairs, strict=True))
        return (small,), truth, torch.ones(len(pairs), 1, 1, 1)
