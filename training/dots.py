"""Places that stand out of simulated mosaics, for the network that tells faulty pixels from fine detail."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.special import erf

from crispgrain.arrays import Array
from crispgrain.core.networks.dot_net import places
from crispgrain.restoration.cells import SIX_BY_SIX, moved
from crispgrain.restoration.defect_pixels import filled
from crispgrain.simulation.camera import BAYER, mosaic_of
from crispgrain.simulation.defects import unequal

from .sensor import LINEAR, Processing, draw_defects, draw_noise, of_cells, seen_by

EDGE = 128  # px, of which none at the rim is learnt from
RIM = 12
BLURRED, MOST_BLUR = 0.5, 0.7  # share of crops as soft as lenses are, and its sigma in px
SIX = 0.4  # share of sensors whose colours repeat every 6 x 6 pixels
STARRY, STARS, DIMMED = 0.25, 60, (0.02, 0.3)  # share of crops at night, stars in each at most, and what light is left
POINT = (0.33, 0.9)  # px, sigma of a star; a lens that is sharper than that is not known
FAULTY = 4.5  # sigmas of the noise from the truth: hardly one pixel in 100,000 without a fault
ERROR = 0.15  # of the noise told, as a logarithm
MORE = 3  # times as many dots as the networks for mosaics see: most places are none
COST = (0.5, 10.0)  # weight of a place, in four sigmas that its filling would bring it nearer to the truth, or farther


class Places(NamedTuple):
    """What the network sees of n places, which are faulty (n), and how much each counts (n)."""

    seen: Array
    faulty: Array
    weight: Array

    def of(self, which: NDArray[np.intp]) -> Places:
        return Places(*(part[which] for part in self))


def draw_places(patch: NDArray[np.uint8], rng: np.random.Generator) -> Places:
    """What stands out of a mosaic that a random sensor, with faults more often than not, makes of a patch."""
    linear = LINEAR[patch]
    if rng.random() < BLURRED:
        linear = cv2.GaussianBlur(linear, (0, 0), rng.uniform(0.2, MOST_BLUR))
    camera = Processing.draw(rng)
    night = rng.random() < STARRY
    scene = camera.to_sensor(linear) * np.float32(rng.uniform(*DIMMED) if night else 1)
    if night:
        scene = np.minimum(scene + _stars(scene.shape[0], rng) / camera.gains * camera.gains.min(), 1)
    a, b = draw_noise(rng)
    defects = draw_defects(rng)
    defects = replace(defects, **{kind: MORE * getattr(defects, kind) for kind in ("hot", "dead", "blinking")})
    pattern = SIX_BY_SIX if rng.random() < SIX else BAYER["RGGB"]
    defects = of_cells(defects, pattern)
    signal = mosaic_of(scene, pattern)
    # Unequal greens are no faults of a pixel; those for focusing are as good as faulty.
    clean = unequal(signal, replace(defects, focusing=0.0))
    noisy = seen_by(signal, a, b, defects, rng).astype(np.float32)
    down, right = (int(n) for n in rng.integers(0, len(pattern), 2))
    noisy, clean, pattern = noisy[down:, right:], clean[down:, right:], moved(pattern, down, right)
    told = float(np.exp(rng.normal(0, ERROR)))
    (rows, columns), seen = places(noisy, [(a * told, b * told)] * 3, pattern)
    inner = np.all([(v >= RIM) & (v < n - RIM) for v, n in zip((rows, columns), noisy.shape, strict=True)], axis=0)
    rows, columns = rows[inner], columns[inner]
    truth, value = clean[rows, columns], noisy[rows, columns]
    sigma = np.sqrt(a * truth + b)
    which = np.zeros(noisy.shape, np.bool_)
    which[rows, columns] = True
    off, left = np.abs(value - truth) / sigma, np.abs(filled(noisy, which, pattern)[rows, columns] - truth) / sigma
    faulty = (off > FAULTY) & (left < off / 2)
    return Places(
        _turned(seen(np.flatnonzero(inner)), rng), faulty.astype(np.float32),
        np.clip(np.abs(off - left) / 4, *COST).astype(np.float32),
    )  # fmt: skip


def _stars(edge: int, rng: np.random.Generator) -> Array:
    """Points of light (edge x edge x 3) as a lens draws them: a pixel sees a Gaussian's integral over its area."""
    sky = np.zeros((edge, edge, 3), np.float32)
    softness, ends = rng.uniform(*POINT) * 2**0.5, np.arange(-3.5, 4)
    for y, x in rng.uniform(4, edge - 5, (int(rng.integers(1, STARS)), 2)):
        row, column = round(y), round(x)
        down, right = (np.diff(erf((ends + n - c) / softness)) / 2 for n, c in ((row, y), (column, x)))
        colour = 10 ** rng.uniform(-2.5, 0.5) * rng.uniform(0.5, 1, 3)
        sky[row - 3 : row + 4, column - 3 : column + 4] += np.outer(down, right)[..., None] * colour
    return sky


def _turned(seen: Array, rng: np.random.Generator) -> Array:
    """All turned and mirrored in one of eight ways: what stands out stays in the middle."""
    seen = np.rot90(seen, int(rng.integers(4)), (2, 3))
    return np.ascontiguousarray(seen[..., ::-1] if rng.random() < 0.5 else seen)
