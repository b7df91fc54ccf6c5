"""Noise of a sensor, from the mosaic alone."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from ..colour.spaces import OPPONENT, WORKING_TO_SRGB, srgb_decode
from ..files.source import RawSource
from .corners import corner_gain, gain_in, pieces
from .noise_line import (
    SAMPLE_EDGE,
    by_tone,
    fit_line,
    sample_rects,
    smooth_variance,
    variance_by_signal,
    with_shot_noise,
)  # fmt: skip
from .patches import GREEN, Content, content, cosine_split, joined, patches_by_colour
from .reading import Noise

BEYOND_PROFILE = 1.5  # more than this times what the file says of its sensor is texture
# For a camera's noise over many shots: finer ranges of tones, of which some shot has smooth ones, and of each the
# weaker patches; chosen on textured photographs of the training set, through the simulated camera.
FINE_BINS, FINE_LEAST, WEAKER = 24, 400, 0.3


def mosaic_noise(source: RawSource) -> Noise:
    """Noise of a RAW: (a, b) per colour from the mosaic, and what that means in the developed picture."""
    gathered: list[list[Content]] = [[], [], []]
    corner = corner_gain(source)
    for rect in pieces(source.size) if corner > 1 else sample_rects(source.size, 2 * SAMPLE_EDGE):
        # As if nothing had been put right: what is left of that is one line for the whole picture.
        gain = gain_in(rect, source.size, corner)
        for of, patches in patches_by_colour(source.region(rect), source.pattern_from(rect)):
            gathered[of].append(content(patches if corner == 1 else patches / gain))
    by_colour = [joined(contents) for contents in gathered]
    measured = [variance_by_signal(patches) for patches in by_colour]
    together = np.concatenate(measured)
    if len(together) < 4:
        lines, confidence = [_from_profile(source, c) for c in range(3)], 0.1
    else:
        lines, confidence = _bounded(_lines(measured, with_shot_noise(*fit_line(*together.T), together[:, 0])), source)
    a, b = (tuple(float(line[i]) for line in lines) for i in (0, 1))
    levels = np.linspace(0.05, 0.95, 10)
    luma, colour = propagate(source, np.array(a), np.array(b), levels)
    return Noise(
        float(np.median(luma)), float(np.median(colour)), tuple(levels.tolist()), tuple(luma.tolist()),
        tuple(colour.tolist()), a, b, confidence, _equivalent_iso(source, a[GREEN]),  # type: ignore[arg-type]
        tuple(point for patches in by_colour for point in sensor_points(patches)), corner=corner,
    )  # fmt: skip


def sensor_points(patches: Content) -> list[tuple[float, float, float]]:
    """What a shot tells of its camera's noise: (signal, variance, patches) in fine ranges of the signal of a colour.

    The variance is that of the weaker patches, as it would be of all of them if nothing but noise were in them.
    """
    freedom = len(cosine_split()[2])
    points = []
    for part in by_tone(np.sqrt(np.maximum(patches.mean, 0)), FINE_BINS, FINE_LEAST):
        smooth = patches.of(part).of(smooth_variance(patches.of(part))[1])
        variance = float(np.quantile(smooth.high, WEAKER)) * freedom / scipy.special.chdtri(freedom, 1 - WEAKER)
        points.append((round(float(smooth.mean.mean()), 6), float(f"{variance:.5g}"), float(len(part))))
    return points


def _equivalent_iso(source: RawSource, a: float) -> float | None:
    """The ISO at which the camera is as noisy, by its own noise profile: shot noise grows with it in proportion."""
    if source.noise_profile is None or not source.facts.iso or source.noise_profile[GREEN, 0] <= 0:
        return None
    return float(source.facts.iso * a / source.noise_profile[GREEN, 0])


def _lines(measured: list[NDArray], common: tuple[float, float]) -> list[tuple[float, float]]:
    """(a, b) for each colour: the common line, unless a colour is clearly cleaner than that.

    One amplifier serves all colours of most sensors, and a colour that the scene
    has little of cannot be measured well alone. A colour that seems noisier is
    not believed: texture looks like that.
    """
    lines = []
    for rows in measured:
        expected = common[0] * rows[:, 0] + common[1]
        ratio = np.average(rows[:, 1] / np.maximum(expected, 1e-12), weights=rows[:, 2]) if len(rows) else 1.0
        own_amplifier = len(rows) >= 3 and ratio < 0.75
        lines.append(fit_line(*rows.T) if own_amplifier else common)
    return lines


def _bounded(lines: list[tuple[float, float]], source: RawSource) -> tuple[list[tuple[float, float]], float]:
    """The lines as measured, or the file's own where texture everywhere made them far too high; how sure that is."""
    if source.noise_profile is None:
        return lines, 1.0
    signal = 0.1
    stated = [_from_profile(source, c) for c in range(3)]
    beyond = [
        a * signal + b > BEYOND_PROFILE * (c * signal + d) > 0 for (a, b), (c, d) in zip(lines, stated, strict=True)
    ]
    return [s if over else line for line, s, over in zip(lines, stated, beyond, strict=True)], 0.5 if any(
        beyond
    ) else 1.0


def _from_profile(source: RawSource, channel: int) -> tuple[float, float]:
    """Too few pixels to measure: what the file says, or nothing."""
    if source.noise_profile is None:
        return 0.0, 0.0
    return float(source.noise_profile[channel, 0]), float(source.noise_profile[channel, 1])


def propagate(source: RawSource, a: NDArray, b: NDArray, levels: NDArray) -> tuple[NDArray, NDArray]:
    """Sensor noise carried to the sRGB-encoded picture: sigma of luma and colour in 8-bit units.

    For greys of encoded values ``levels``, to first order, as if every pixel had
    measured all three colours.
    """
    grey = srgb_decode(levels.astype(np.float32)).astype(np.float64)
    balance = source.white_balance.astype(np.float64)
    sensor = grey[:, None] / balance
    variance = (a * sensor + b) * balance**2
    to_srgb = WORKING_TO_SRGB.astype(np.float64) @ source.camera_to_working
    slope = np.gradient(levels, grey)
    axes = OPPONENT.astype(np.float64) @ to_srgb
    along = (variance @ np.square(axes).T) * slope[:, None] ** 2
    return 255 * np.sqrt(along[:, 0]), 255 * np.sqrt((along[:, 1] + along[:, 2]) / 2)
