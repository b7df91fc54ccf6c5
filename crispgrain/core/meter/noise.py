"""Measuring noise from pixels alone."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtri  # scipy.stats would take a second to import

from ..colour.spaces import OPPONENT, WORKING_TO_SRGB, srgb_decode, to_opponent
from ..files.source import PictureSource, RawSource
from .compression import finest_step
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
from .patches import GREEN, Content, content, cosine_split, joined, patches_by_colour, patches_of
from .reading import Noise

BEYOND_PROFILE = 1.5  # more than this times what the file says of its sensor is texture
# A patch among the weakest tenth, as a share of the mean; set on photographs by trial.
TEXTURE, CERTAIN_NOISE = 0.12, 0.2
# Colour noise as a share of luma noise: 1 if white; after a camera's processing (measured on simulated files) 0.8 to
# 2.4 in four files of five. Texture has much less.
LEAST_COLOURED = 0.8
LEAST_COLOUR = 0.01  # of white; a picture with less has none
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
        variance = float(np.quantile(smooth.high, WEAKER)) * freedom / chdtri(freedom, 1 - WEAKER)
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


def share_of_noise(strength: NDArray[np.float64], step: float = 0.0) -> float:
    """How much of the variance found in patches is noise, by how alike they are: 0 to 1.

    Noise is equally strong wherever the tone is the same: a tenth of the
    patches lie below 0.49 of the mean if it is white, below 0.2 to 0.45 after
    a camera's processing. Fine texture comes and goes: its weakest tenth lies
    below 0.17.

    Where compression rounded to a ``step`` (of white; 0 for none), weaker noise
    was left only now and then, and less of it in the weakest tenth: by trial, in
    the proportion of noise and step.
    """
    mean = float(strength.mean()) if len(strength) else 0.0
    if mean <= 0:
        return 0.0
    left = min(1.0, mean**0.5 / step) if step else 1.0
    weakest = float(np.quantile(strength, 0.1)) / (mean * left)
    return float(np.clip((weakest - TEXTURE) / (CERTAIN_NOISE - TEXTURE), 0, 1))


def picture_noise(source: PictureSource, quality: float | None = None) -> Noise:
    """Noise of a finished picture along luma and colour, by tone.

    Where it was compressed as JPEG of a quality, colour says nothing of texture:
    it was smoothed.
    """
    compressed = quality is not None
    step = finest_step(quality) / 255 if quality is not None else 0.0
    luma, first, second, tones = [], [], [], []
    for rect in sample_rects(source.size):
        pixels = source.region(rect)
        opponent = to_opponent(pixels)
        p = [patches_of(np.ascontiguousarray(opponent[..., i])) for i in range(3)]
        low = patches_of(np.ascontiguousarray(pixels.min(axis=-1))).min(axis=1)
        high = patches_of(np.ascontiguousarray(pixels.max(axis=-1))).max(axis=1)
        inside = (low > 0.0005) & (high < 0.98)  # clipped noise is smaller than it was
        luma.append(p[0][inside])
        first.append(p[1][inside])
        second.append(p[2][inside])
        tones.append(p[0][inside].mean(axis=1) / 3**0.5)
    axes = [np.concatenate(v) for v in (luma, first, second)]
    bins = by_tone(np.concatenate(tones))
    if not bins:
        return Noise()
    contents = [content(patches) for patches in axes]
    share = np.array([len(part) for part in bins], float)
    variances = np.empty((len(bins), 3))
    levels = np.empty(len(bins))
    for n, part in enumerate(bins):
        for axis, patches in enumerate(contents):
            variance, chosen = smooth_variance(patches.of(part))
            smooth = patches.of(part).of(chosen)
            if not (compressed and axis):
                variance *= share_of_noise(smooth.high, step)
            variances[n, axis] = variance
            if not axis:
                levels[n] = smooth.mean.mean() / 3**0.5
    if not compressed and max(float(axes[1].std()), float(axes[2].std())) > LEAST_COLOUR:
        # What goes beyond is fine texture, which hardly has colour; noise has, unless it was smoothed or compressed.
        variances[:, 0] = np.minimum(variances[:, 0], variances[:, 1:].mean(axis=1) / LEAST_COLOURED**2)
    sigma = 255 * np.sqrt(np.stack([variances[:, 0], variances[:, 1:].mean(axis=1)], axis=1))
    confidence = min(1.0, share.sum() / 20_000)
    overall = np.sqrt(np.average(np.square(sigma), axis=0, weights=share))
    return Noise(
        float(overall[0]), float(overall[1]), tuple(levels.tolist()),
        tuple(sigma[:, 0].tolist()), tuple(sigma[:, 1].tolist()), confidence=confidence,
    )  # fmt: skip
