"""Oklab: lightness and two opponent colours, in which a change of strength hardly turns a hue.

References
----------
B. Ottosson, "A perceptual color space for image processing", 2020; also CSS Color Module Level 4, section 9.2.
"""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array

from .spaces import WORKING, apply_matrix, to_xyz

CONES = np.array([
    [0.8189330101, 0.3618667424, -0.1288597137],
    [0.0329845436, 0.9293118715, 0.0361456387],
    [0.0482003018, 0.2643662691, 0.6338517070],
])  # fmt: skip
LAB = np.array([
    [0.2104542553, 0.7936177850, -0.0040720468],
    [1.9779984951, -2.4285922050, 0.4505937099],
    [0.0259040371, 0.7827717662, -0.8086757660],
])  # fmt: skip
_WORKING_TO_CONES = CONES @ to_xyz(WORKING)


def from_working(pixels: Array) -> Array:
    """Working space (H x W x 3) to Oklab: L 0 black to 1 white, a and b 0 in greys."""
    return apply_matrix(np.cbrt(apply_matrix(pixels, _WORKING_TO_CONES)), LAB)


def to_working(oklab: Array) -> Array:
    """Inverse of :func:`from_working`."""
    return apply_matrix(apply_matrix(oklab, np.linalg.inv(LAB)) ** 3, np.linalg.inv(_WORKING_TO_CONES))


def with_pale_colour(pixels: Array, more: float) -> Array:
    """Working-space pixels whose pale colours are stronger (``more`` above 0, up to 1) or weaker; strong ones stay.

    The colours of skin, whatever its tone, are changed half as much.
    """
    if not more:
        return pixels
    lab = from_working(pixels)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1]))
    skin = np.clip(1 - np.abs(hue - SKIN[0]) / SKIN[1], 0, 1)
    factor = 1 + np.float32(more) * np.clip(1 - chroma / STRONG, 0, 1) * (1 - 0.5 * skin)
    changed = to_working(np.concatenate([lab[..., :1], factor[..., None] * lab[..., 1:]], axis=-1))
    neutral = (pixels[..., :1] == pixels[..., 1:2]) & (pixels[..., 1:2] == pixels[..., 2:])
    return np.where(neutral, pixels, changed)


SKIN = (52.0, 30.0)  # degrees of hue in Oklab: the middle of skin's, and how far it reaches; common practice, no source
STRONG = 0.2  # chroma of colours that are not pale


def with_hue(pixels: Array, turned: float) -> Array:
    """Working-space pixels with their hues turned by degrees, from red towards yellow above 0; greys stay."""
    if not turned:
        return pixels
    lab = from_working(pixels)
    cosine, sine = np.float32(np.cos(np.radians(turned))), np.float32(np.sin(np.radians(turned)))
    a, b = lab[..., 1], lab[..., 2]
    changed = to_working(np.stack([lab[..., 0], cosine * a - sine * b, sine * a + cosine * b], axis=-1))
    neutral = (pixels[..., :1] == pixels[..., 1:2]) & (pixels[..., 1:2] == pixels[..., 2:])
    return np.where(neutral, pixels, changed)


def with_colour(pixels: Array, strength: float) -> Array:
    """Working-space pixels with their colours ``strength`` times as strong; greys stay exactly as they are."""
    if strength == 1:
        return pixels
    lab = from_working(pixels)
    strong = np.concatenate([lab[..., :1], np.float32(strength) * lab[..., 1:]], axis=-1)
    changed = to_working(strong)
    if strength == 0:
        return np.repeat(changed.mean(axis=-1, keepdims=True), 3, axis=-1)
    neutral = (pixels[..., :1] == pixels[..., 1:2]) & (pixels[..., 1:2] == pixels[..., 2:])
    return np.where(neutral, pixels, changed)
