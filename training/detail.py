"""Training of the detail nets: from a reduced picture back to the one it was reduced from."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch

from .loop import Batch
from .networks import DetailNet
from .photographs import PatchSampler, load
from .reductions import RIM, SMALL, draw_pair

BATCH = 16


class DetailBatches:
    """Draws batches of reduced and original patches."""

    def __init__(self, data: Path, factor: int) -> None:
        self.photographs, self.factor = load(data / "train"), factor

    def __call__(self, rng: np.random.Generator) -> Batch:
        sampler = PatchSampler(self.photographs, (SMALL + 2 * RIM) * self.factor, rng)
        pairs = [draw_pair(sampler(), self.factor, rng) for _ in range(BATCH)]
        small, truth = (torch.from_numpy(np.stack(v)).permute(0, 3, 1, 2) for v in zip(*pairs, strict=True))
        return (small,), truth, torch.ones(BATCH, 1, 1, 1)


def make_network(factor: int) -> DetailNet:
    return DetailNet(factor)
