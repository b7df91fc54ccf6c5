"""Noise of a finished picture, from its pixels alone."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..colour.spaces import to_opponent
from ..files.source import PictureSource
from .compression import finest_step
from .noise_line import by_tone, sample_rects, smooth_variance
from .patches import content, patches_of
from .reading import Noise

# A patch among the weakest tenth, as a share of the mean; set on photographs by trial.
TEXTURE, CERTAIN_NOISE = 0.12, 0.2
# Colour noise as a share of luma noise: 1 if white; after a camera's processing (measured on simulated files) 0.8 to
# 2.4 in four files of five. Texture has much less.
LEAST_COLOURED = 0.8
LEAST_COLOUR = 0.01  # of white; a picture with less has none


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
