"""Training of the network that tells faulty pixels from fine detail: batches of places and whether each is faulty."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from torch import Tensor
from torch.nn import functional

from .blur_batches import photographs
from .dots import EDGE, Places, draw_places
from .loop import Batch
from .photographs import PatchSampler

BATCH = 1024
FRESH, KEPT = 4, 24_000  # crops for each batch, and places of earlier ones that are still drawn from


class DotBatches:
    """Draws batches of places and whether each is faulty, n x 1 x 1 x 1."""

    def __init__(self, data: Path, apart: bool = False) -> None:
        self.photographs = photographs(data / "train", apart) + photographs(data / "surfaces", apart)
        self.drawn: Places | None = None

    def __call__(self, rng: np.random.Generator) -> Batch:
        sampler = PatchSampler(self.photographs, EDGE, rng)
        while True:
            some = [draw_places(sampler(), rng) for _ in range(FRESH)]
            parts = [*([self.drawn] if self.drawn else []), *some]
            self.drawn = Places(*(np.concatenate(p)[-KEPT:] for p in zip(*parts, strict=True)))
            if len(self.drawn.faulty) > 2 * BATCH:
                break
        batch = self.drawn.of(rng.integers(len(self.drawn.faulty), size=BATCH))
        seen, faulty, weight = (torch.from_numpy(part) for part in batch)
        return (seen,), faulty.reshape(-1, 1, 1, 1), (weight / weight.mean()).reshape(-1, 1, 1, 1)


def cross_entropy(output: Tensor, truth: Tensor, weight: Tensor) -> Tensor:
    """Of the logarithm of the odds, weighted."""
    return functional.binary_cross_entropy_with_logits(output, truth, weight)
