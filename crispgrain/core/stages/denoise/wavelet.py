"""Wavelet shrinkage on finished pictures: fast and gentle."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration import wavelet

from ...colour.spaces import from_opponent, to_opponent
from ...model import Context, Model, Stage, Values
from .parameters import STRENGTHS, after, summary
from .sliding_dct import TONE_REACH, tone_map


def run(pixels: Array, values: Values, context: Context) -> Array:
    opponent = to_opponent(pixels)
    tones = tone_map(opponent[..., 0])
    noise = context.noise
    for axis in range(3):
        strength = float(values["luminance" if axis == 0 else "colour"]) / 100
        if strength > 0:
            sigma = noise.sigma_at(tones, colour=axis > 0) * np.float32(strength)
            opponent[..., axis] = wavelet.shrink(np.ascontiguousarray(opponent[..., axis]), sigma)
    return from_opponent(opponent)


MODEL = Model(
    Stage.DENOISE, "wavelet", "Wavelet", "Several times faster than the others; softer, and kind to smooth shading.",
    STRENGTHS, run, lambda values, context: TONE_REACH + wavelet.REACH, after=after,
    summary=summary, strength="luminance",
)  # fmt: skip
