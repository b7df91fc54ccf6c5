"""Photographs taken back to what a sensor would have recorded, with its noise."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.restoration import anscombe
from crispgrain.simulation.camera import BAYER, mosaic_of, shot_noise
from crispgrain.simulation.defects import GAUSSIAN, Defects, read_noise, unequal, with_dots

# White-balanced camera RGB to linear sRGB of three made-up cameras, from muted to strong.
CAMERA_TO_SRGB = np.array(
    [
        [[1.35, -0.25, -0.10], [-0.12, 1.30, -0.18], [0.02, -0.30, 1.28]],
        [[1.60, -0.45, -0.15], [-0.20, 1.50, -0.30], [0.00, -0.50, 1.50]],
        [[1.90, -0.75, -0.15], [-0.25, 1.60, -0.35], [0.05, -0.65, 1.60]],
    ]
)
# Shot noise drawn from, as the variance of a full pixel.
ANY = (1e-5, 3e-2)
OFTEN = (2e-4, 1.2e-2)  # about ISO 800 to 50000, where a network decides most
LINEAR = srgb_decode(np.arange(256, dtype=np.float32) / 255)


@dataclass(frozen=True)
class Sample:
    """A training pair: noisy mosaic (H x W) and clean sensor RGB (H x W x 3), stabilised, and the noise's sigma."""

    mosaic: Array
    target: Array
    sigma: float


@dataclass(frozen=True)
class Processing:
    """What a camera did to its sensor's values: colour matrix to linear sRGB, and gains with exposure undone."""

    matrix: Array
    gains: Array

    @classmethod
    def draw(cls, rng: np.random.Generator) -> Processing:
        """A random camera, light and exposure.

        References
        ----------
        T. Brooks et al., "Unprocessing images for learned raw denoising", CVPR 2019.
        """
        weights = rng.dirichlet([1, 1, 1])
        matrix = np.tensordot(weights, CAMERA_TO_SRGB, 1)
        matrix /= matrix.sum(axis=1, keepdims=True)
        gains = np.array([rng.uniform(1.3, 2.7), 1.0, rng.uniform(1.2, 2.6)]) / rng.uniform(0.2, 1.0)
        return cls(matrix.astype(np.float32), gains.astype(np.float32))

    def to_sensor(self, linear: Array) -> Array:
        """Linear sRGB (H x W x 3) to sensor RGB, 1 = saturation."""
        return np.clip(linear @ np.linalg.inv(self.matrix).T / self.gains, 0, 1)

    def to_picture(self, sensor: Array) -> Array:
        """Sensor RGB to encoded sRGB, unclipped."""
        return srgb_encode((sensor * self.gains) @ self.matrix.T)


def draw_noise(rng: np.random.Generator) -> tuple[float, float]:
    """(a, b) of a real camera at ISO 50 to 102400; one in ten has next to none, to learn plain demosaicing.

    The relation of read to shot noise is that of Brooks et al. 2019.
    """
    if rng.random() < 0.1:
        return 1e-6, 1e-9
    least, most = OFTEN if rng.random() < 0.5 else ANY
    log_a = rng.uniform(math.log(least), math.log(most))
    log_b = 2.18 * log_a + 1.20 + rng.normal(0, 0.3)
    return math.exp(log_a), math.exp(log_b)


def draw_defects(rng: np.random.Generator) -> Defects:
    """Two sensors in five have none; of the others each has some, at random strengths.

    The black level's drift is left out: it cannot be told from the picture.
    """
    if rng.random() < 0.4:
        return Defects()

    def some(most: float, often: float = 0.5) -> float:
        return most * rng.random() if rng.random() < often else 0.0

    def dots(most: float) -> float:
        return most * 10 ** rng.uniform(-1.5, 0) if rng.random() < 0.6 else 0.0

    return Defects(
        rows=some(0.8), columns=some(0.4), tails=GAUSSIAN - some(0.4), hot=dots(3e-3), dead=dots(1e-3),
        blinking=dots(1e-3), greens=some(0.03) - some(0.03), focusing=some(0.6, 0.15),
        first=(int(rng.integers(16)), int(rng.integers(12))),
    )  # fmt: skip


def draw_sample(
    patch: NDArray[np.uint8], rng: np.random.Generator, pattern: NDArray[np.int8] = BAYER["RGGB"]
) -> Sample:
    """A training pair from an 8-bit sRGB patch, through a sensor with a ``pattern`` of colours.

    The truth is what a sensor without defects would have seen; of unequal greens, what their mean would. Unequal
    greens and pixels for focusing are those of cells of 2 x 2; other sensors have none.
    """
    clean = Processing.draw(rng).to_sensor(LINEAR[patch])
    noisy, a, b = record(clean, rng, pattern)
    low, span = (float(v) for v in anscombe.ends(a, b))
    return Sample((anscombe.forward(noisy, a, b) - low) / span, (anscombe.forward(clean, a, b) - low) / span, 1 / span)


def record(clean: Array, rng: np.random.Generator, pattern: NDArray[np.int8]) -> tuple[Array, float, float]:
    """What a random sensor makes of what it sees (H x W x 3, 1 = saturation): a mosaic (H x W), its noise's a and b."""
    a, b = draw_noise(rng)
    return seen_by(mosaic_of(clean, pattern), a, b, of_cells(draw_defects(rng), pattern), rng), a, b


def of_cells(defects: Defects, pattern: NDArray[np.int8]) -> Defects:
    """The same without what only sensors with cells of 2 x 2 have."""
    return defects if pattern.shape == (2, 2) else replace(defects, greens=0.0, focusing=0.0)


def seen_by(signal: Array, a: float, b: float, defects: Defects, rng: np.random.Generator) -> Array:
    """What a sensor of such noise and such defects, its dots anywhere, makes of a clean mosaic (H x W, at most 1)."""
    noisy = shot_noise(unequal(signal, defects), a, rng) + read_noise(signal.shape, b, defects, rng)
    return np.minimum(with_dots(noisy, b, defects, rng, places=int(rng.integers(2**32))), 1)
