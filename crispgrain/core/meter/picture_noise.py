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
# The weakest tenth of patches, as a share of their mean: with so much they may be, and are, as alike as of noise.
# Set on photographs kept apart from the network's training.
ALIKE = (0.3, 0.4)


class ByTone(NamedTuple):
    """What patches say at n tones."""

    levels: NDArray[np.float64]
    sigma: NDArray[np.float64]  # of luma and colour (n x 2), 8-bit units
    alike: NDArray[np.float64]  # strength in luma of the weakest tenth, as a share of the mean
    share: NDArray[np.float64]  # how many there are


def picture_noise(source: PictureSource, quality: float | None = None) -> Noise:
    """Noise of a finished picture along luma and colour, by tone; ``quality`` if it was compressed as JPEG.

    JPEG leaves noise here and takes it there, so what is left is for a network to say. Elsewhere colour is measured: of
    texture it has hardly any. Luma is what the network says, but no less than colour, nor than patches say where they
    are as alike as noise makes them; and never more than they say, which measure the smoothest places.
    """
    found = in_patches(source)
    if found is None:
        return Noise()
    sigma, told = found.sigma, _told(source, quality, found.levels)
    if quality is None:
        luma, colour = sigma.T
        even = np.clip((found.alike - ALIKE[0]) / (ALIKE[1] - ALIKE[0]), 0, 1) ** 0.5
        least = np.maximum(colour, even * luma)
        sigma = np.stack([np.minimum(luma, least if told is None else np.maximum(told[:, 0], least)), colour], axis=1)
    elif told is not None:
        sigma = told
    confidence = min(1.0, float(found.share.sum()) / 20_000)
    overall = np.sqrt(np.average(np.square(sigma), axis=0, weights=found.share))
    return Noise(
        float(overall[0]), float(overall[1]), tuple(found.levels.tolist()),
        tuple(sigma[:, 0].tolist()), tuple(sigma[:, 1].tolist()), confidence=confidence,
    )  # fmt: skip


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
    variances, levels, alike = np.empty((len(bins), 3)), np.empty(len(bins)), np.empty(len(bins))
    for n, part in enumerate(bins):
        for axis, patches in enumerate(contents):
            variances[n, axis], chosen = smooth_variance(patches.of(part))
            if not axis:
                smooth = patches.of(part).of(chosen)
                levels[n] = smooth.mean.mean() / 3**0.5
                alike[n] = np.quantile(smooth.high, 0.1) / max(variances[n, axis], 1e-12)
    sigma = 255 * np.sqrt(np.stack([variances[:, 0], variances[:, 1:].mean(axis=1)], axis=1))
    return ByTone(levels, sigma, alike, np.array([len(part) for part in bins], float))


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
