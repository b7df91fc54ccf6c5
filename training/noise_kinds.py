"""Finished pictures of known noise, for the network that tells how noisy one is."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.core.meter.noise_net import CELL, LEVELS

from .finished import Finished, Mix, draw_finished

# Most pictures have little noise: more clean ones than for a network that is to take it off, and weaker noise.
MIX = Mix(chance=(0.33, 0.37, 0.3), weaker=4, wrong=0)
SHARPENED, SOFTENED, GREY = 0.25, 0.2, 0.15  # shares of crops


def draw_crop(patch: NDArray[np.uint8], rng: np.random.Generator) -> Finished:
    """A degraded patch, which may have been sharpened, soft or grey before."""
    before, kind = np.ascontiguousarray(patch), rng.random()
    if kind < SHARPENED:
        soft, strength = cv2.GaussianBlur(before, (0, 0), rng.uniform(0.6, 2)), rng.uniform(0.2, 1.2)
        before = np.asarray(cv2.addWeighted(before, 1 + strength, soft, -strength, 0), np.uint8)
    elif kind < SHARPENED + SOFTENED:
        before = np.asarray(cv2.GaussianBlur(before, (0, 0), rng.uniform(0.3, 1.5)), np.uint8)
    if rng.random() >= GREY:
        return draw_finished(before, rng, MIX)
    crop = draw_finished(np.round(_grey(before)).astype(np.uint8), rng, MIX)
    conditions = crop.conditions * np.array([1, 0, 1], np.float32)
    return replace(crop, picture=_grey(crop.picture), conditions=conditions)


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
