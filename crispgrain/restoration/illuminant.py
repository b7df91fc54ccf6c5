"""The colour of the light in a picture, guessed from the picture alone."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

CLIPPED = 0.98  # of white; what is burnt out tells nothing of colours


@dataclass(frozen=True)
class Guess:
    """One of a family: the mean of order ``norm`` of a picture, or of its edges, smoothed by ``sigma`` px."""

    edges: bool
    norm: float
    sigma: float


GUESSES = {
    "grey-world": Guess(False, 1, 0),
    "shades-of-grey": Guess(False, 6, 0),
    "white-patch": Guess(False, np.inf, 2),
    "grey-edge": Guess(True, 6, 2),
}


def illuminant(pixels: Array, guess: Guess) -> NDArray[np.float64]:
    """The colour of the light (3 values, the largest 1) of linear pixels (H x W x 3).

    References
    ----------
    J. van de Weijer, T. Gevers, A. Gijsenij, "Edge-based color constancy", IEEE Trans. Image Processing 16(9), 2007.

    Examples
    --------
    >>> grey = np.random.default_rng(0).uniform(0, 1, (40, 40, 1)).astype(np.float32)
    >>> light = np.float32([0.9, 0.6, 0.3])
    >>> [[round(float(v), 2) for v in illuminant(grey * light, g)] for g in GUESSES.values()] == [[1.0, 0.67, 0.33]] * 4
    True
    """
    told = pixels.max(axis=2) < CLIPPED
    values = np.maximum(pixels, 0)
    if guess.sigma:
        values = cv2.GaussianBlur(values, (0, 0), guess.sigma, borderType=cv2.BORDER_REFLECT)
    if guess.edges:
        values = np.hypot(*(cv2.Sobel(values, cv2.CV_32F, dx, 1 - dx, borderType=cv2.BORDER_REFLECT) for dx in (1, 0)))
    told = told if told.any() else np.ones_like(told)
    by_channel = values[told].astype(np.float64)
    strongest = max(float(by_channel.max()), 1e-12)
    if np.isinf(guess.norm):
        light = by_channel.max(axis=0)
    else:
        light = strongest * np.mean((by_channel / strongest) ** guess.norm, axis=0) ** (1 / guess.norm)
    return np.asarray(np.maximum(light, 1e-9) / max(float(light.max()), 1e-9))


def angle(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Between two colours of light, in degrees: the usual measure of such guesses.

    Examples
    --------
    >>> round(angle(np.array([1.0, 1, 1]), np.array([1.0, 1, 0])), 1)
    35.3
    """
    cosine = float(one @ other / (np.linalg.norm(one) * np.linalg.norm(other)))
    return float(np.degrees(np.arccos(np.clip(cosine, -1, 1))))
