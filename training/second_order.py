"""What small pictures went through: soft, noisy, resized between, sharpened, compressed once or twice.

References
----------
X. Wang, L. Xie, C. Dong, Y. Shan, "Real-ESRGAN: training real-world blind super-resolution with pure synthetic data",
ICCV Workshops 2021: its second-order degradations, milder here; not its loss.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.core.networks.restoring import UNKNOWN, told
from crispgrain.simulation.camera import disc

from .finished import compress
from .reductions import reduce

SMALL = 32  # px, edge of a reduced patch
RIM = 8  # reduced px around it at most: where the block grid of a JPEG falls is not always the same
MILD = 0.15  # share of pictures that are only reduced, a few of them with a trace of noise or compression
SECOND = 0.15  # share of the others that went through it all twice
INTERPOLATIONS = (cv2.INTER_AREA, cv2.INTER_LINEAR, cv2.INTER_CUBIC)
SOFTEST = 1.1  # sigma of a Gaussian in px of the small picture
LARGEST_DISC = 1.6  # radius in px
NOISIEST = 12 / 255  # sigma
QUALITIES = (25, 97)
UNTOLD = 0.35  # share of pictures of which the network is told nothing
METERS_ERROR = 0.15  # as a logarithm


@dataclass(frozen=True)
class Small:
    """A small picture as people have them, the truth ``factor`` times as large, and what the network is told of it."""

    picture: Array  # H x W x 3, encoded
    truth: Array
    told: Array  # see :func:`crispgrain.core.networks.restoring.told`


@dataclass
class History:
    """What the last pass did: sigma of the blur in px of what came out, of the noise, and the JPEG's quality."""

    blur: float = 0.0
    noise: float = 0.0
    quality: int = 100


def draw_small(patch: NDArray[np.uint8], factor: int, rng: np.random.Generator) -> Small:
    """Degrade an 8-bit sRGB patch with an edge of (SMALL + 2 RIM) * factor."""
    truth = patch.astype(np.float32) / np.float32(255)
    edge = patch.shape[0] // factor
    history, twice = History(), False
    if rng.random() < MILD:
        small = reduce(truth, factor, rng)
        small = _noisy(small, 3 / 255, history, rng) if rng.random() < 0.3 else small
        if rng.random() < 0.4:
            history.quality = int(rng.integers(80, 99))
            small = compress(small, history.quality, rng)
    else:
        small, twice = truth, rng.random() < SECOND
        if twice:
            # Once at a size in between, as a file that was made smaller again later.
            between = int(edge * rng.uniform(1.0, min(2.0, factor) if factor > 1 else 1.3))
            small = _once(small, between, factor, history, rng)
        history = History()
        small = _once(small, edge, small.shape[0] / edge, history, rng)
    top, left = rng.integers(RIM // 2, 2 * RIM - RIM // 2 + 1, 2)
    inner = np.s_[top : top + SMALL, left : left + SMALL]
    outer = np.s_[top * factor : (top + SMALL) * factor, left * factor : (left + SMALL) * factor]
    picture = np.clip(small[inner], 0, 1).astype(np.float32)
    return Small(picture, truth[outer], UNKNOWN if twice or rng.random() < UNTOLD else _told(history, rng))


def _told(history: History, rng: np.random.Generator) -> Array:
    """What a meter would say, which is not exact."""
    blur, noise = (v * np.exp(rng.normal(0, METERS_ERROR)) for v in (history.blur, 255 * history.noise))
    return told(float(blur), float(noise), float(100 - history.quality))


def _once(picture: Array, edge: int, factor: float, history: History, rng: np.random.Generator) -> Array:
    """Blurred, shrunk to an edge, noisy, perhaps smoothed or sharpened, compressed."""
    linear = rng.random() < 0.4  # lenses and sensors work on light, programs on encoded values
    picture = srgb_decode(picture) if linear else picture
    if rng.random() < 0.8:
        picture = _soft(picture, factor, history, rng)
    if picture.shape[0] != edge:
        picture = np.asarray(
            cv2.resize(picture, (edge, edge), interpolation=int(rng.choice(INTERPOLATIONS))), np.float32
        )
    picture = srgb_encode(picture) if linear else picture
    if rng.random() < 0.9:
        picture = _noisy(picture, NOISIEST, history, rng)
    if rng.random() < 0.06:  # noise reduction in the camera
        picture = cv2.bilateralFilter(
            np.ascontiguousarray(picture, np.float32), 5, rng.uniform(0.03, 0.1), rng.uniform(1, 3)
        )
    if rng.random() < 0.2:
        blurred = cv2.GaussianBlur(picture, (0, 0), rng.uniform(0.6, 1.6))
        picture = picture + np.float32(rng.uniform(0.2, 1.0)) * (picture - blurred)
    if rng.random() < 0.85:
        history.quality = int(rng.integers(*QUALITIES))
        picture = compress(picture, history.quality, rng)
    return np.clip(picture, 0, 1)


def _soft(picture: Array, factor: float, history: History, rng: np.random.Generator) -> Array:
    """Blurred by a lens; sizes are in pixels of what comes out, ``factor`` times as small."""
    if rng.random() < 0.1:
        radius = rng.uniform(0.5, LARGEST_DISC)
        history.blur = radius / 2  # the root of a disc's variance along an axis
        kernel = disc(radius * factor)
        return cv2.filter2D(picture, -1, kernel, borderType=cv2.BORDER_REFLECT_101)
    across, other = factor * rng.uniform(0.1, SOFTEST, 2)
    along = across if rng.random() < 0.85 else other
    history.blur = float(np.hypot(across, along)) / factor / 2**0.5
    angle = rng.uniform(0, np.pi)
    reach = int(np.ceil(3 * max(across, along)))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    u, v = x * np.cos(angle) + y * np.sin(angle), y * np.cos(angle) - x * np.sin(angle)
    kernel = np.exp(-((u / across) ** 2 + (v / along) ** 2) / 2)
    return cv2.filter2D(picture, -1, (kernel / kernel.sum()).astype(np.float32), borderType=cv2.BORDER_REFLECT_101)


def _noisy(picture: Array, strongest: float, history: History, rng: np.random.Generator) -> Array:
    """White, grey or of a sensor (stronger where it is light), perhaps smoothed by demosaicing."""
    sigma = strongest * rng.random()
    noise = rng.standard_normal(picture.shape, np.float32)
    if rng.random() < 0.3:
        noise = np.repeat(noise[..., :1], 3, axis=-1)
    if rng.random() < 0.6:
        blur = rng.uniform(0.4, 0.9)
        noise = np.asarray(cv2.GaussianBlur(noise, (0, 0), blur), np.float32)
        noise /= noise.std() + np.float32(1e-6)
    if rng.random() < 0.4:
        noise *= np.sqrt(np.clip(picture, 0, 1) + np.float32(0.05)) * np.float32(1.4)
    history.noise = float(sigma * noise.std())
    return picture + np.float32(sigma) * noise
