"""What small pictures went through: soft, noisy, resized between, sharpened, compressed once or twice.

References
----------
X. Wang, L. Xie, C. Dong, Y. Shan, "Real-ESRGAN: training real-world blind super-resolution with pure synthetic data",
ICCV Workshops 2021: its second-order degradations, milder here; not its loss.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode

from .finished import compress
from .reductions import reduce

SMALL = 48  # px, edge of a reduced patch
RIM = 8  # reduced px around it at most: where the block grid of a JPEG falls is not always the same
MILD = 0.08  # share of pictures that are only reduced, a few of them with a trace of noise or compression
SECOND = 0.05  # share of the others that went through it all twice
INTERPOLATIONS = (cv2.INTER_AREA, cv2.INTER_LINEAR, cv2.INTER_CUBIC)
SOFTNESS = (0.15, 0.85)  # sigma of a Gaussian in px of the small picture
NOISIEST = 12 / 255  # sigma
QUALITIES = (25, 97)


def draw_small(patch: NDArray[np.uint8], factor: int, rng: np.random.Generator) -> tuple[Array, Array]:
    """A small picture as people have them, and the truth ``factor`` times as large; both encoded, H x W x 3.

    ``patch`` is 8-bit sRGB with an edge of (SMALL + 2 RIM) * factor.
    """
    truth = patch.astype(np.float32) / np.float32(255)
    edge = patch.shape[0] // factor
    if rng.random() < MILD:
        small = reduce(truth, factor, rng)
        small = _noisy(small, 3 / 255, rng) if rng.random() < 0.3 else small
        small = compress(small, int(rng.integers(80, 99)), rng) if rng.random() < 0.4 else small
    else:
        small = truth
        if rng.random() < SECOND:
            # Once at a size in between, as a file that was made smaller again later.
            between = int(edge * rng.uniform(1.0, min(2.0, factor) if factor > 1 else 1.3))
            small = _once(small, between, factor, rng)
        small = _once(small, edge, small.shape[0] / edge, rng)
    top, left = rng.integers(RIM // 2, 2 * RIM - RIM // 2 + 1, 2)
    inner = np.s_[top : top + SMALL, left : left + SMALL]
    outer = np.s_[top * factor : (top + SMALL) * factor, left * factor : (left + SMALL) * factor]
    return np.clip(small[inner], 0, 1).astype(np.float32), truth[outer]


def _once(picture: Array, edge: int, factor: float, rng: np.random.Generator) -> Array:
    """Blurred, shrunk to an edge, noisy, perhaps smoothed or sharpened, compressed."""
    linear = rng.random() < 0.15  # lenses and sensors work on light, programs on encoded values
    picture = srgb_decode(picture) if linear else picture
    if rng.random() < 0.8:
        picture = _soft(picture, factor, rng)
    if picture.shape[0] != edge:
        picture = np.asarray(
            cv2.resize(picture, (edge, edge), interpolation=int(rng.choice(INTERPOLATIONS))), np.float32
        )
    picture = srgb_encode(picture) if linear else picture
    if rng.random() < 0.9:
        picture = _noisy(picture, NOISIEST, rng)
    if rng.random() < 0.04:  # noise reduction in the camera
        picture = cv2.bilateralFilter(
            np.ascontiguousarray(picture, np.float32), 5, rng.uniform(0.03, 0.1), rng.uniform(1, 3)
        )
    if rng.random() < 0.2:
        blurred = cv2.GaussianBlur(picture, (0, 0), rng.uniform(0.6, 1.6))
        picture = picture + np.float32(rng.uniform(0.2, 1.0)) * (picture - blurred)
    if rng.random() < 0.85:
        picture = compress(picture, int(rng.integers(*QUALITIES)), rng)
    return np.clip(picture, 0, 1)


def _soft(picture: Array, factor: float, rng: np.random.Generator) -> Array:
    """Blurred by a lens; sizes are in pixels of what comes out, ``factor`` times as small."""
    return cv2.GaussianBlur(picture, (0, 0), factor * rng.uniform(*SOFTNESS))


def _noisy(picture: Array, strongest: float, rng: np.random.Generator) -> Array:
    """White, grey or of a sensor (stronger where it is light), perhaps smoothed by demosaicing."""
    sigma = strongest * rng.random()
    noise = rng.standard_normal(picture.shape, np.float32)
    if rng.random() < 0.3:
        noise = np.repeat(noise[..., :1], 3, axis=-1)
    if rng.random() < 0.6:
        blur = rng.uniform(0.4, 0.9)
        noise = np.asarray(cv2.GaussianBlur(noise, (0, 0), blur), np.float32)
        noise /= noise.std() + np.float32(1e-6)
    if rng.random() < 0.2:
        noise *= np.sqrt(np.clip(picture, 0, 1) + np.float32(0.05)) * np.float32(1.4)
    return picture + np.float32(sigma) * noise
