"""Training of the mosaic net: noisy Bayer mosaic to clean RGB in one step."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray

from crispgrain.simulation.camera import BAYER, SIX_BY_SIX

from .loop import Batch
from .networks import DEEPER, MosaicNet, SixBySixNet
from .photographs import PatchSampler, load
from .sensor import draw_sample

BATCH = 8
# px, whole cells of any pattern; where noise is strong the network has to look further than from the middle of 64.
EDGE = 96


def make_network() -> MosaicNet:
    return MosaicNet()


def make_large() -> MosaicNet:
    return MosaicNet(blocks=DEEPER)


def make_six_by_six() -> SixBySixNet:
    return SixBySixNet(SIX_BY_SIX)


class MosaicBatches:
    """Draws batches of simulated sensor data."""

    def __init__(self, data: Path, pattern: NDArray[np.int8] = BAYER["RGGB"]) -> None:
        self.photographs, self.pattern = load(data / "train"), pattern

    def __call__(self, rng: np.random.Generator) -> Batch:
        sampler = PatchSampler(self.photographs, EDGE, rng)
        samples = [draw_sample(sampler(), rng, self.pattern) for _ in range(BATCH)]
        mosaic = torch.from_numpy(np.stack([s.mosaic for s in samples])[:, None])
        target = torch.from_numpy(np.stack([s.target for s in samples])).permute(0, 3, 1, 2)
        sigma = torch.tensor([s.sigma for s in samples]).reshape(-1, 1, 1, 1)
        # Weak noise is everyday noise: it must not drown in the errors of the strong.
        weight = (sigma + 0.01) ** -0.5
        return (mosaic, sigma.expand(-1, 1, EDGE // 2, EDGE // 2)), target, weight / weight.mean()
