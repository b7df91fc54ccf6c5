"""Faded dyes and yellowed paper undone: in densities, channel by channel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

ENDS = 0.005  # share of the pixels that are taken to be white, and that are taken to be black
FLOOR = 1e-3  # of light; no print is blacker
LEAST_RANGE = 0.3  # of density, below which a channel holds too little to tell


@dataclass(frozen=True)
class Fading:
    """What became of densities: each channel's was multiplied by ``kept`` and got ``stain`` on top."""

    stain: NDArray[np.float64]
    kept: NDArray[np.float64]

    @property
    def none(self) -> bool:
        return bool(np.all(self.stain == 0) and np.all(self.kept == 1))


UNFADED = Fading(np.zeros(3), np.ones(3))


def fading_of(pixels: Array) -> Fading:
    """How a print has faded, from linear pixels (H x W x 3, reflectances, white 1).

    Its lightest places were paper, its darkest had all dyes alike; the channel that holds the most tells how dark.
    That is a guess: a picture without white or black misleads it (docs/benchmarks.md).

    References
    ----------
    F. Frey, R. Gschwind, "Mathematical bleaching models for photographic three-color materials", J. Imaging Science
    and Technology 38(6), 1994 (from memory): a dye loses a share of its density, whatever that is.

    Examples
    --------
    >>> grey = np.linspace(0.01, 0.9, 400, dtype=np.float32).reshape(20, 20, 1)
    >>> told = fading_of(grey ** np.float32([0.9, 0.6, 0.7]))
    >>> np.round(told.kept / told.kept[0], 2).tolist()
    [1.0, 0.67, 0.78]
    """
    densities = -np.log10(np.clip(pixels.reshape(-1, 3), FLOOR, 1)).astype(np.float64)
    whole = densities.mean(axis=1)
    least, most = np.quantile(whole, (ENDS, 1 - ENDS))
    light, dark = densities[whole <= least].mean(axis=0), densities[whole >= most].mean(axis=0)
    held = dark - light
    if held.min() < LEAST_RANGE:
        return UNFADED
    return Fading(np.maximum(light, 0), held / held.max())


def unfaded(pixels: Array, fading: Fading, share: float = 1.0) -> Array:
    """Linear pixels (H x W x 3) with a share (0 to 1) of a fading undone.

    What is lighter than the paper becomes no darker, and noise around black keeps its sign.

    Examples
    --------
    >>> truth = np.float32([[[0.5, 0.2, 0.05]]])
    >>> faded = truth ** np.float32([0.9, 0.6, 0.7])
    >>> bool(np.allclose(unfaded(faded, Fading(np.zeros(3), np.array([0.9, 0.6, 0.7]))), truth, atol=1e-6))
    True
    """
    stain = np.float32(share) * fading.stain.astype(np.float32)
    power = (1 + np.float32(share) * (1 / fading.kept - 1)).astype(np.float32)
    clean = np.maximum(pixels * 10**stain, np.float32(FLOOR))
    restored = clean**power
    # Below the floor, straight on from where the curve ends.
    slope = power * np.float32(FLOOR) ** (power - 1)
    below = np.minimum(pixels * 10**stain - np.float32(FLOOR), 0)
    return np.asarray(restored + slope * below, np.float32)
