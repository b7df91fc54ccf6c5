"""Training of the network that tells how noisy a picture is: batches of blocks and the noise of their cells."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from torch import Tensor

from crispgrain.core.meter.noise_net import BLOCK, as_input

from .blur_batches import photographs
from .loop import Batch
from .noise_kinds import draw_crop, levels_of
from .pool import Pool

BATCH = 12
FRESH = 3  # crops replaced for each batch


class NoiseBatches:
    """Draws batches of blocks, and which of the levels each cell's noise is at, in luma and colour."""

    def __init__(self, data: Path, apart: bool = False) -> None:
        seen = photographs(data / "train", apart) + photographs(data / "surfaces", apart)
        self.pool = Pool(seen, draw_crop, FRESH)

    def __call__(self, rng: np.random.Generator) -> Batch:
        crops = [crop.part(BLOCK, rng) for crop in self.pool.drawn(BATCH, rng)]
        compression = np.array([crop.conditions[0, 0, 2] for crop in crops])
        blocks = as_input(np.stack([crop.picture for crop in crops]), compression)
        truth = np.stack([levels_of(crop.conditions) for crop in crops])
        return (torch.from_numpy(blocks),), torch.from_numpy(truth), torch.ones(())


def cross_entropy(output: Tensor, truth: Tensor, _: Tensor) -> Tensor:
    """Of logarithms of probabilities and the true shares, for each of luma and colour of a cell."""
    return -(output * truth).sum(1).mean() / 2
