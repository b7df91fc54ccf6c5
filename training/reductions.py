"""Reduced pictures and what they were reduced from."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from crispgrain.arrays import Array
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode

from .finished import compress

SMALL = 32  # px, edge of a reduced patch
RIM = 4  # reduced px around it, so that reducing sees real surroundings
STRONGEST_NOISE = 3 / 255
FILTERS = (Image.Resampling.BOX, Image.Resampling.BICUBIC, Image.Resampling.LANCZOS)


def shrink(picture: NDArray[np.uint8], least: int, most: int, rng: np.random.Generator) -> NDArray[np.uint8]:
    """A picture (uint8, H x W x 3) made smaller by one of the filters that programs have.

    Its shorter side has ``least`` px at least afterwards, and no more than ``most``; all ratios are as likely.
    """
    shorter = min(picture.shape[:2])
    share = float(np.exp(rng.uniform(np.log(least), np.log(min(shorter, most))))) / shorter
    height, width = (max(least, round(share * n)) for n in picture.shape[:2])
    return np.asarray(Image.fromarray(picture).resize((width, height), FILTERS[rng.integers(len(FILTERS))]))


def reduce(picture: Array, factor: int, rng: np.random.Generator) -> Array:
    """Shrink an encoded picture in one of the ways pictures are shrunk."""
    linear = rng.random() < 0.25
    picture = srgb_decode(picture) if linear else picture
    size = picture.shape[1] // factor, picture.shape[0] // factor
    kind = rng.choice(["area", "bicubic", "lens"], p=[0.35, 0.4, 0.25])
    if kind == "bicubic":
        planes = [Image.fromarray(picture[..., c]).resize(size, Image.Resampling.BICUBIC) for c in range(3)]
        small = np.stack([np.asarray(p) for p in planes], axis=-1)
    else:
        if kind == "lens":
            picture = cv2.GaussianBlur(picture, (0, 0), factor * rng.uniform(0.2, 0.5))
        small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    return srgb_encode(small) if linear else small


def draw_pair(patch: NDArray[np.uint8], factor: int, rng: np.random.Generator) -> tuple[Array, Array]:
    """Reduced patch, perhaps a little noisy or compressed, and its truth; both encoded, H x W x 3."""
    truth = patch.astype(np.float32) / np.float32(255)
    small = reduce(truth, factor, rng)
    if rng.random() < 0.25:
        small = small + rng.standard_normal(small.shape, np.float32) * np.float32(STRONGEST_NOISE * rng.random())
    if rng.random() < 0.25:
        small = compress(small, int(rng.integers(80, 99)), rng)
    inner, outer = np.s_[RIM:-RIM, RIM:-RIM], np.s_[RIM * factor : -RIM * factor, RIM * factor : -RIM * factor]
    return np.clip(small[inner], 0, 1).astype(np.float32), truth[outer]
