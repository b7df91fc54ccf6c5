"""Pictures a little out of focus or moved, with noise, perhaps compressed."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.core.colour.spaces import srgb_encode
from crispgrain.core.stages.sharpen.sharp_net import LARGEST, conditions
from crispgrain.restoration.point_spread import aperture, gaussian, line

from .finished import Finished, compress
from .sensor import LINEAR

KINDS = ("sharp", "gaussian", "disc", "motion")
CHANCE = (0.1, 0.45, 0.25, 0.2)
STRONGEST = 12 / 255  # sigma of the noise
# The sharpest edges of shrunk photographs are steps. A network that has seen no others makes every edge a step,
# whatever it is told.
LESS_CRISP, SOFTEST = 0.5, 0.8  # share of the truths; sigma in px


def draw_kernel(rng: np.random.Generator) -> Array:
    """A mild blur: none, a Gaussian, a disc or a short motion, the last two with a little of the first."""
    kind = rng.choice(KINDS, p=CHANCE)
    if kind == "sharp":
        return np.ones((1, 1), np.float32)
    if kind == "gaussian":
        return gaussian(rng.uniform(0.35, 2.2))
    kernel = aperture(rng.uniform(0.8, 3.5)) if kind == "disc" else line(rng.uniform(2, 9), rng.uniform(0, 180))
    softened = np.pad(kernel, 3)
    return cv2.GaussianBlur(softened, (7, 7), rng.uniform(0.3, 0.8), borderType=cv2.BORDER_CONSTANT)


def size(kernel: Array) -> float:
    """Sigma of a blur in px: root of the mean of its variances along rows and columns."""
    places = np.arange(len(kernel)) - len(kernel) // 2
    return float(np.sqrt((kernel.sum(axis=0) + kernel.sum(axis=1)) @ places**2 / 2))


def draw_blurred(patch: NDArray[np.uint8], rng: np.random.Generator) -> Finished:
    """Blur an 8-bit sRGB patch in linear light, then add noise and perhaps compress; the network is told how much."""
    kernel = draw_kernel(rng)
    sharp = LINEAR[patch]
    if rng.random() < LESS_CRISP:
        sharp = _spread(sharp, gaussian(rng.uniform(0.2, SOFTEST)))
    soft = srgb_encode(_spread(sharp, kernel))
    sigma = STRONGEST * rng.random() ** 2
    picture = soft + rng.standard_normal(soft.shape, np.float32) * np.float32(sigma)
    quality = 100
    if rng.random() < 0.4:
        quality = int(rng.integers(50, 99))
        picture = compress(picture, quality, rng)
    # No meter is exact.
    told = min(size(kernel) * np.exp(rng.normal(0, 0.15)), LARGEST)
    noise = np.full(picture.shape[:2], sigma * np.exp(rng.normal(0, 0.1)), np.float32)
    planes = conditions(noise, told, (100 - quality) / 100)
    return Finished(picture.astype(np.float32), srgb_encode(sharp), planes)


def _spread(picture: Array, kernel: Array) -> Array:
    return cv2.filter2D(picture, cv2.CV_32F, kernel, borderType=cv2.BORDER_REFLECT)
