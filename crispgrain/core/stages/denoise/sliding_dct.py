"""Sliding cosine transform on finished pictures, luma and colour apart."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration import shrinkage

from ...colour.spaces import from_opponent, to_opponent
from ...model import Context, Model, Stage, Values
from .parameters import STRENGTHS, after, summary

TONE_BLUR = 2.0  # px; the noise of a tone is looked up at a tone that is itself not noisy
TONE_REACH = 8


def tone_map(luma: Array) -> Array:
    """Smoothed encoded grey level 0..1 from the orthonormal luma axis, where noise is looked up."""
    return cv2.GaussianBlur(luma, (2 * TONE_REACH + 1,) * 2, TONE_BLUR, borderType=cv2.BORDER_REFLECT) / np.float32(
        3**0.5
    )


def run(pixels: Array, values: Values, context: Context) -> Array:
    opponent = to_opponent(pixels)
    tones = tone_map(opponent[..., 0])
    noise = context.noise
    planes = []
    for axis in range(3):
        strength = float(values["luminance" if axis == 0 else "colour"]) / 100
        plane = np.ascontiguousarray(opponent[..., axis])
        if strength > 0:
            plane = shrinkage.shrink(plane, noise.sigma_at(tones, colour=axis > 0) * np.float32(strength))
        planes.append(plane)
    return from_opponent(np.stack(planes, axis=-1))


MODEL = Model(
    Stage.DENOISE, "sliding-dct", "Sliding cosine",
    "Keeps fine regular texture; the best classical choice for finished pictures.",
    STRENGTHS, run, lambda values, context: shrinkage.REACH + TONE_REACH, after=after,
    summary=summary, strength="luminance",
)  # fmt: skip
