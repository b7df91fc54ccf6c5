"""Finished pictures of known noise, for the network that tells how noisy one is."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.core.colour.spaces import OPPONENT, apply_matrix
from crispgrain.core.meter.noise_net import CELL, LEVELS

from .finished import FRESH_QUALITY, Finished, Mix, compress, draw_finished, told

# Most pictures have little noise: more clean ones than for a network that is to take it off, and weaker noise.
# A clean one, lightly compressed, is what texture as JPEG mostly is.
MIX = Mix(chance=(0.28, 0.44, 0.28), weaker=4, compressed=(0.3, 0.45, 0.55), fresh=(0.3, 0.6, 0.6), quiet=0.5, wrong=0)
SHARPENED, SOFTENED, GREY = 0.25, 0.2, 0.25  # shares of crops, before they get noise
SMOOTHED, RESIZED, GRAINY, COLOUR_OFF = 0.1, 0.15, 0.3, 0.15  # and after it
# Developers take colour noise off and leave luma: half of the grain lies on what is clean otherwise.
UNDER_GRAIN = replace(MIX, chance=(0.15, 0.35, 0.5), compressed=(0.1, 0.2, 0.1))
COMPRESSED = 0.5  # of those, once more
SIZES = (0.7, 1.5)
COARSEST = 1.2  # px, sigma of a grain
STRONGEST_GRAIN = 16 / 255


def draw_crop(patch: NDArray[np.uint8], rng: np.random.Generator) -> Finished:
    """A degraded patch, with what people do to pictures before noise comes in and after it."""
    before, kind = np.ascontiguousarray(patch), rng.random()
    if kind < SHARPENED:
        soft, strength = cv2.GaussianBlur(before, (0, 0), rng.uniform(0.6, 2)), rng.uniform(0.2, 1.2)
        before = np.asarray(cv2.addWeighted(before, 1 + strength, soft, -strength, 0), np.uint8)
    elif kind < SHARPENED + SOFTENED:
        before = np.asarray(cv2.GaussianBlur(before, (0, 0), rng.uniform(0.3, 1.5)), np.uint8)
    grey = rng.random() < GREY
    if grey:
        before = np.round(_grey(before)).astype(np.uint8)
    kind = rng.random()
    grainy = SMOOTHED + RESIZED <= kind < SMOOTHED + RESIZED + GRAINY
    crop = draw_finished(before, rng, UNDER_GRAIN if grainy else MIX)
    picture, truth = crop.picture, crop.truth
    if kind < SMOOTHED:  # as cameras do
        strength = rng.uniform(0.02, 0.15)
        picture = np.asarray(cv2.bilateralFilter(picture, 5, strength, rng.uniform(0.7, 2)), np.float32)
    elif kind < SMOOTHED + RESIZED:
        size = (int(truth.shape[0] * rng.uniform(*SIZES)) // 8 * 8,) * 2
        how = int(rng.choice([cv2.INTER_AREA, cv2.INTER_LINEAR, cv2.INTER_CUBIC]))
        picture, truth = (np.clip(np.asarray(cv2.resize(p, size, interpolation=how)), 0, 1) for p in (picture, truth))
    elif grainy:
        grain = rng.standard_normal(truth.shape[:2], np.float32)
        grain = np.asarray(cv2.GaussianBlur(grain, (0, 0), rng.uniform(0.3, COARSEST)))
        strength = STRONGEST_GRAIN * rng.random() ** 2 / grain.std()
        picture = np.clip(picture + strength * grain[..., None], 0, 1).astype(np.float32)
    elif kind < SMOOTHED + RESIZED + GRAINY + COLOUR_OFF:  # nearly all of its noise, as programs do
        axes, clean = apply_matrix(picture, OPPONENT), apply_matrix(truth, OPPONENT)
        axes[..., 1:] += np.float32(rng.uniform(0.7, 1)) * (clean - axes)[..., 1:]
        picture = np.clip(apply_matrix(axes, OPPONENT.T), 0, 1)
    elif not grey:
        return crop
    compression = float(crop.conditions[0, 0, 2])
    if picture is not crop.picture:
        compression = 0.0
        if rng.random() < COMPRESSED:
            quality = int(rng.integers(*FRESH_QUALITY))
            picture, compression = compress(picture, quality, rng), (100 - quality) / 100
    if grey:
        picture = _grey(picture)
    return Finished(picture, truth, told(picture, truth, compression))


def _grey(picture: NDArray) -> NDArray:
    """The same without colour, still with three channels."""
    return np.repeat(picture.mean(axis=-1, keepdims=True), 3, axis=-1)


def levels_of(conditions: NDArray[np.float32]) -> NDArray[np.float32]:
    """Shares of the levels (2 * levels x H / 16 x W / 16) that the noise of luma and colour lies between."""
    rows, columns = (n // CELL for n in conditions.shape[:2])
    sigma = 255 * conditions[..., :2].reshape(rows, CELL, columns, CELL, 2).mean(axis=(1, 3))
    at = np.clip(2 * np.log2(np.maximum(sigma, LEVELS[0]) / LEVELS[0]), 0, len(LEVELS) - 1)
    shares = np.maximum(1 - np.abs(at[..., None] - np.arange(len(LEVELS))), 0)
    return shares.reshape(rows, columns, -1).transpose(2, 0, 1).astype(np.float32)
