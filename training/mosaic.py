"""Training of the mosaic net: noisy Bayer mosaic to clean RGB in one step."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import Tensor
from torch.nn import functional

from crispgrain.restoration.cells import repeated
from crispgrain.simulation.camera import BAYER

from .loop import Batch
from .photographs import PatchSampler, load
from .sensor import draw_sample

BATCH = 8
# px, whole cells of any pattern; where noise is strong the network has to look further than from the middle of 64.
EDGE = 96


def measured(pattern: NDArray[np.int8], edge: int) -> Tensor:
    """Which colours the pixels of a mosaic measure that begins with a pattern: 1 x 3 x edge x edge of 0 and 1."""
    colours = torch.from_numpy(repeated(pattern, edge, edge).astype(np.int64))
    return functional.one_hot(colours, 3).permute(2, 0, 1)[None].float()


class MosaicBatches:
    """Draws batches of simulated sensor data; ``told``, with which colours each pixel measures."""

    def __init__(self, data: Path, pattern: NDArray[np.int8] = BAYER["RGGB"], told: bool = False) -> None:
        self.photographs, self.pattern = load(data / "train"), pattern
        self.told = (measured(pattern, EDGE).expand(BATCH, -1, -1, -1),) if told else ()

    def __call__(self, rng: np.random.Generator) -> Batch:
        sampler = PatchSampler(self.photographs, EDGE, rng)
        samples = [draw_sample(sampler(), rng, self.pattern) for _ in range(BATCH)]
        mosaic = torch.from_numpy(np.stack([s.mosaic for s in samples])[:, None])
        target = torch.from_numpy(np.stack([s.target for s in samples])).permute(0, 3, 1, 2)
        sigma = torch.tensor([s.sigma for s in samples]).reshape(-1, 1, 1, 1)
        # Weak noise is everyday noise: it must not drown in the errors of the strong.
        weight = (sigma + 0.01) ** -0.5
        return (mosaic, sigma.expand(-1, 1, EDGE // 2, EDGE // 2), *self.told), target, weight / weight.mean()
