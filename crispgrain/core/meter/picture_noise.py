"""Noise of a finished picture, from its pixels alone."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect

from ..colour.spaces import WORKING_TO_SRGB, apply_matrix, srgb_encode, to_opponent
from ..files.source import PictureSource
from ..networks.runtime import NetworkUnavailableError
from . import noise_net
from .noise_line import by_tone, sample_rects, smooth_variance
from .patches import content, patches_of
from .reading import Noise

BLOCKS = 36  # that a network looks at
# The weakest tenth of patches, as a share of their mean, in luma and colour: up to the first number they are not as
# alike as of noise, from the second on they are. Set on photographs kept apart from the network's training.
UNLIKE, ALIKE = np.array([0.3, 0.2]), np.array([0.4, 0.3])
# Stone and grass that fill the picture are as alike, too. Where the network tells less luma than the first share of
# what patches have, it knows them for texture; from the second on patches are believed. Set on the same photographs.
TEXTURE, NOISE = 0.15, 0.3
# Low frequencies of colour in patches beside its high ones. Of white noise they are 0.6 to 1.6 as strong, of what a
# camera processed 6.5 and more (measured on simulated files). White noise has as much luma as colour, but weak one
# lies under grain, too.
WHITE, LEAST_WHITE, LUMA_OF_WHITE = 3.0, 2.0, 1.25


class ByTone(NamedTuple):
    """What patches say at n tones."""

    levels: NDArray[np.float64]
    sigma: NDArray[np.float64]  # of luma and colour (n x 2), 8-bit units
    alike: NDArray[np.float64]  # strength of the weakest tenth, as a share of the mean (n x 2)
    coarse: NDArray[np.float64]  # strength of the low frequencies of colour beside its high ones
    share: NDArray[np.float64]  # how many patches there are


def picture_noise(source: PictureSource, quality: float | None = None) -> Noise:
    """Noise of a finished picture along luma and colour, by tone; ``quality`` if it was compressed as JPEG."""
    found = in_patches(source)
    if found is None:
        return Noise()
    sigma, told = found.sigma, _told(source, quality, found.levels)
    if quality is None:
        sigma = uncompressed(found, told)
    elif told is not None:  # JPEG leaves noise here and takes it there: patches say little
        sigma = told
    confidence = min(1.0, float(found.share.sum()) / 20_000)
    overall = np.sqrt(np.average(np.square(sigma), axis=0, weights=found.share))
    return Noise(
        float(overall[0]), float(overall[1]), tuple(found.levels.tolist()),
        tuple(sigma[:, 0].tolist()), tuple(sigma[:, 1].tolist()), confidence=confidence,
    )  # fmt: skip


def uncompressed(found: ByTone, told: NDArray[np.float64] | None) -> NDArray[np.float64]:
    """Sigma (n x 2) of what was never compressed: what the network tells, if any, where patches do not say it better.

    They measure the smoothest places, so noise is never more; where they are as alike as noise makes them, and the
    network does not know better, it is as much. Luma has at least as much as colour, and hardly more where that is
    white: there patches have nothing to say of it.
    """
    even = np.clip((found.alike - UNLIKE) / (ALIKE - UNLIKE), 0, 1)
    most = np.square(found.sigma)
    if told is None:
        told, known = np.zeros_like(most), np.ones(len(most))
    else:
        told = np.minimum(told, found.sigma)
        known = np.clip((told[:, 0] / np.maximum(found.sigma[:, 0], 1e-6) - TEXTURE) / (NOISE - TEXTURE), 0, 1)
    colour = np.sqrt(told[:, 1] ** 2 + even[:, 1] * (most[:, 1] - told[:, 1] ** 2))
    white = (found.coarse < WHITE) & (colour > LEAST_WHITE)
    believed = np.where(white, 0, even[:, 0] * known)
    luma = np.sqrt(told[:, 0] ** 2 + believed * (most[:, 0] - told[:, 0] ** 2))
    luma = np.minimum(np.maximum(luma, colour), found.sigma[:, 0])
    return np.stack([np.where(white, np.minimum(luma, LUMA_OF_WHITE * colour), luma), colour], axis=1)


def in_patches(source: PictureSource) -> ByTone | None:
    """What the smoothest patches of each range of tones say; None of a picture without enough."""
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
    bins = by_tone(np.concatenate(tones))
    if not bins:
        return None
    contents = [content(np.concatenate(patches)) for patches in (luma, first, second)]
    variances, weakest, low = np.empty((3, len(bins), 3))
    levels = np.empty(len(bins))
    for n, part in enumerate(bins):
        for axis, patches in enumerate(contents):
            variances[n, axis], chosen = smooth_variance(patches.of(part))
            smooth = patches.of(part).of(chosen)
            weakest[n, axis], low[n, axis] = np.quantile(smooth.high, 0.1), smooth.low.mean()
            if not axis:
                levels[n] = smooth.mean.mean() / 3**0.5
    # The two axes of colour are one.
    variance, weak = (np.stack([v[:, 0], v[:, 1:].mean(axis=1)], axis=1) for v in (variances, weakest))
    some = np.maximum(variance, 1e-12)
    coarse = low[:, 1:].mean(axis=1) / some[:, 1]
    share = np.array([len(part) for part in bins], float)
    return ByTone(levels, 255 * np.sqrt(variance), weak / some, coarse, share)


def _told(source: PictureSource, quality: float | None, levels: NDArray[np.float64]) -> NDArray[np.float64] | None:
    """What a network says of the noise at those tones (n x 2); None without it."""
    compression = 0.0 if quality is None else (100 - quality) / 100
    each, tones = [], []
    try:
        for block in _blocks(source):
            told = noise_net.log_probabilities(block[None], compression)[0]
            rows, columns = told.shape[2:]
            each.append(told.reshape(2, len(noise_net.LEVELS), -1))
            tones.append(block.reshape(rows, noise_net.CELL, columns, noise_net.CELL, 3).mean(axis=(1, 3, 4)).ravel())
    except NetworkUnavailableError:
        return None
    return noise_net.sigma_at(np.concatenate(each, axis=-1), np.concatenate(tones), levels).T if each else None


def _blocks(source: PictureSource) -> Iterator[Array]:
    """Encoded pixels of places spread over a picture, each of whole cells."""
    cell = noise_net.CELL
    for rect in sample_rects(source.size, noise_net.BLOCK, BLOCKS):
        height, width = rect.height // cell * cell, rect.width // cell * cell
        if height and width:
            pixels = source.region(Rect(rect.top, rect.left, height, width))
            yield srgb_encode(apply_matrix(pixels, WORKING_TO_SRGB))
