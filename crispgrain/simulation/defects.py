"""What a sensor does besides shot and read noise: rows and columns, dots, tails, unequal greens, a drifting black.

References
----------
[1] EMVA Standard 1288, Release 4.0, 2021: nonuniformity split into row, column and pixel variance; defect pixels.
[2] K. Wei et al., "A physics-based noise formation model for extreme low-light raw denoising", CVPR 2020: row noise
    as one Gaussian offset a row, read noise by Tukey's lambda distribution, a black level that differs by shot.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crispgrain.arrays import Array

GAUSSIAN = 0.14  # the shape of Tukey's lambda distribution that is nearly a Gaussian
FAULTY = 1288  # where a sensor's faulty pixels are; the same in every shot


@dataclass(frozen=True)
class Defects:
    """How strong each defect is; all at zero is a sensor that has none.

    Attributes
    ----------
    rows, columns, drift : float
        Standard deviation of the offset of each row and column, and of the black level, in sigmas of the read noise.
    tails : float
        Shape of the read noise's distribution: 0.14 a Gaussian, 0 logistic, down to -0.4 with heavier and heavier
        tails. Its variance stays.
    hot, dead, blinking : float
        Share of pixels that add up to half of saturation; that see a third of the light at most; that are off by 5 to
        30 sigmas of the read noise, at other places in each shot.
    greens : float
        By how much greens in rows with blue see more than those in rows with red, as a share.
    focusing : float
        How much less light pixels for focusing see, every twelfth in every sixteenth row; 0 without such pixels.
    first : (int, int)
        Row and column of the first of them.
    """

    rows: float = 0.0
    columns: float = 0.0
    drift: float = 0.0
    tails: float = GAUSSIAN
    hot: float = 0.0
    dead: float = 0.0
    blinking: float = 0.0
    greens: float = 0.0
    focusing: float = 0.0
    first: tuple[int, int] = (3, 4)


# Rows, columns, drift and tails are in the middle of what Wei et al. measured on five cameras; the rest is common
# practice, no source.
USUAL = Defects(rows=0.25, columns=0.1, drift=0.2, tails=-0.05, hot=4e-4, dead=1e-4, blinking=1e-4, greens=0.01)


def tukey_lambda(shape: tuple[int, ...], tails: float, rng: np.random.Generator) -> Array:
    """Random numbers of Tukey's lambda distribution, with mean 0 and variance 1.

    Raises
    ------
    ValueError
        At ``tails`` of -0.5 or less, where there is no variance.
    """
    if tails <= -0.5:
        raise ValueError(f"Tukey's lambda distribution has no variance at {tails:g}")
    p = rng.uniform(1e-7, 1 - 1e-7, shape)
    if abs(tails) < 1e-3:
        return (np.log(p / (1 - p)) * (3**0.5 / np.pi)).astype(np.float32)
    variance = 2 / tails**2 * (1 / (1 + 2 * tails) - math.gamma(tails + 1) ** 2 / math.gamma(2 * tails + 2))
    return ((p**tails - (1 - p) ** tails) / (tails * variance**0.5)).astype(np.float32)


def unequal(signal: Array, defects: Defects) -> Array:
    """A clean mosaic whose cells begin with red, as unequal greens and pixels for focusing see it."""
    out = signal.copy()
    out[1::2, 0::2] *= np.float32(1 + defects.greens / 2)
    out[0::2, 1::2] *= np.float32(1 - defects.greens / 2)
    top, left = defects.first
    out[top::16, left::12] *= np.float32(1 - defects.focusing)
    return out


def read_noise(shape: tuple[int, int], b: float, defects: Defects, rng: np.random.Generator) -> Array:
    """Read noise of variance ``b`` (float32, H x W), with the offsets of rows, columns and the black level."""
    height, width = shape
    noise = tukey_lambda(shape, defects.tails, rng)
    noise += np.float32(defects.rows) * rng.standard_normal((height, 1), np.float32)
    noise += np.float32(defects.columns) * rng.standard_normal((1, width), np.float32)
    noise += np.float32(defects.drift * rng.standard_normal())
    return noise * np.float32(b**0.5)


def with_dots(mosaic: Array, b: float, defects: Defects, rng: np.random.Generator, places: int = FAULTY) -> Array:
    """A mosaic with hot, dead and blinking pixels.

    Parameters
    ----------
    mosaic : float32, H x W
        0 black to 1 saturation.
    places : int
        Seed of the sensor: hot and dead pixels are where it says, in every shot.
    """
    fixed = np.random.default_rng(places)
    out = mosaic.copy()
    for sensor, share, change in (
        (fixed, defects.hot, lambda v, r: v + np.minimum(r.exponential(0.1, v.shape), 0.5)),
        (fixed, defects.dead, lambda v, r: v * r.uniform(0, 0.3, v.shape)),
        (rng, defects.blinking, lambda v, r: v + r.choice((-1, 1), v.shape) * r.uniform(5, 30, v.shape) * b**0.5),
    ):
        which = sensor.random(mosaic.shape, np.float32) < share
        out[which] = change(out[which], sensor)
    return out
