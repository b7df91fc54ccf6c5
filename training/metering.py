"""Training of the network that meters noise: pictures of known noise, and how strong it is."""

from __future__ import annotations

import numpy as np
import torch
from numpy.typing import NDArray
from torch import Tensor
from torch.nn import functional

from crispgrain.core.networks.noise import CELL, LEAST_SIGMA

from .finished import Finished, degraded
from .loop import Batch

CHANCE = (0.3, 0.4, 0.3)  # of white noise, a camera's, and none but what compression leaves
ROUNDED = 0.5  # share that is rounded to 8 bits


def draw_metered(patch: NDArray[np.uint8], rng: np.random.Generator) -> Finished:
    """A picture as files hold it, and how noisy it is by tone."""
    drawn = degraded(patch, CHANCE, rng)
    picture = np.clip(drawn.picture, 0, 1)
    if rng.random() < ROUNDED:
        picture = np.round(picture * 255) / np.float32(255)
    return Finished(picture, drawn.truth, drawn.conditions)


def metering(picture: Tensor, truth: Tensor, planes: Tensor) -> Batch:
    """The noise of each cell, from the picture."""
    sigma = functional.avg_pool2d(planes[:, :2], CELL) * 255
    return (picture,), (sigma + LEAST_SIGMA).log(), torch.ones(len(picture), 1, 1, 1)


def laplacian(output: Tensor, target: Tensor) -> Tensor:
    """Negative logarithm of the likelihood under a Laplacian distribution whose width the network says itself.

    References
    ----------
    A. Kendall, Y. Gal, "What uncertainties do we need in Bayesian deep learning for computer vision?", NeurIPS 2017.
    """
    value, width = output.chunk(2, dim=1)
    return (value - target).abs() * torch.exp(-width) + width
