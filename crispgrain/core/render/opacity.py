"""Opacity in the pixels of a result: the source's, moved and sized as the picture is, in one resampling."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration.resample import LANCZOS_LOBES, warp

from ..files.source import PictureSource
from ..files.transparency import opacity_of
from .pipeline import Pipeline

Opacity = NDArray[np.float32]


def opacity(pipeline: Pipeline, rect: Rect) -> Opacity | None:
    """Opacity (h x w, 0..1) of a rectangle of a result; None if all of the picture is opaque."""
    source = pipeline.source
    if not isinstance(source, PictureSource) or source.opacity is None:
        return None
    to_source = pipeline.steps[-1].after.to_source
    x, y = to_source.middles(rect)
    if to_source.rearranges:
        return opacity_of(source.opacity[y.astype(int), x.astype(int)])
    scale = pipeline.steps[-1].after.stretch
    reach = math.ceil(LANCZOS_LOBES * max(scale, 1)) + 1
    seen = to_source.rect(rect)
    grown = Rect.between(seen.top - reach, seen.left - reach, seen.bottom + reach, seen.right + reach)
    part = grown.intersect(source.size.rect)
    there = opacity_of(source.opacity[part.slices])
    if there.min() == there.max():
        return np.full(x.shape, there.flat[0], np.float32)
    return np.clip(warp(there[..., None], y - part.top, x - part.left, scale)[..., 0], 0, 1)


def over(pixels: Array, share: Opacity | None, backdrop: float) -> Array:
    """Linear pixels over an even grey of some light."""
    if share is None:
        return pixels
    return pixels * share[..., None] + np.float32(backdrop) * (1 - share[..., None])
