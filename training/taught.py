"""Batches whose truth is half what a larger network makes of the input."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import torch
from torch import nn

from .loop import Batch

SHARE = 0.5


@dataclass(frozen=True)
class TaughtBatches:
    """Knowledge distillation: what nobody could tell from the input is not asked for either.

    References
    ----------
    G. Hinton, O. Vinyals, J. Dean, "Distilling the knowledge in a neural network", arXiv:1503.02531, 2015.
    """

    batches: Callable[[np.random.Generator], Batch]
    teacher: nn.Module

    def __call__(self, rng: np.random.Generator) -> Batch:
        inputs, target, weight = self.batches(rng)
        with torch.no_grad():
            seen = self.teacher(*inputs)
        return inputs, target.lerp(seen, SHARE), weight
