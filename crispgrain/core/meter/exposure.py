"""How much brighter a RAW is best shown: near the camera's own rendering, or with its median at mid grey."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from ..colour.spaces import SRGB_TO_WORKING, apply_matrix, luminance, srgb_decode
from ..files.preview import embedded_preview, working_colours
from ..files.source import RawSource, Source
from .base_curve import as_shown, by_histogram
from .reading import Tones

LOOKED_AT = 400  # px, long side
MEDIAN = -2.5  # stops from white, where the median is brought
BRIGHT = 0.99  # share of the pixels that stay below white
QUARTERS = (0.25, 0.5, 0.75)
MOST, LEAST = 3.0, -1.0  # stops
STEP = 0.05


def measure_start(source: Source, tones: Tones) -> Tones:
    """Tones with how a RAW comes up at first: how much brighter, and along which curves."""
    if not isinstance(source, RawSource):
        return tones
    own, preview = _own(source), embedded_preview(source.path, LOOKED_AT)
    lift = _lift(own, preview)
    lifted = own * np.float32(2**lift)
    tones = replace(tones, lift=lift, curve=by_histogram(lifted))
    if preview is None:
        return tones
    camera, colour = as_shown(lifted, preview)
    return replace(tones, camera=camera, camera_colour=colour)


def measure_lift(source: Source) -> float:
    """Stops by which a RAW is brightened at first; 0 for a finished picture, whose light someone has chosen.

    Near the light of the preview that the camera put into the file if there is one; else the median comes to 2.5 stops
    below white, but no more than one pixel in a hundred reaches white.
    """
    if not isinstance(source, RawSource):
        return 0.0
    return _lift(_own(source), embedded_preview(source.path, LOOKED_AT))


def _own(source: RawSource) -> Array:
    return working_colours(source, LOOKED_AT)


def _lift(own: Array, preview: NDArray[np.uint8] | None) -> float:
    lift = _to_preview(own, preview) if preview is not None else _to_median(own)
    return float(np.clip(round(lift / STEP) * STEP, LEAST, MOST))


def _to_median(own: Array) -> float:
    wanted = MEDIAN - float(np.log2(max(float(np.median(luminance(own))), 1e-5)))
    room = -float(np.log2(max(float(np.quantile(own.max(axis=-1), BRIGHT)), 1e-5)))
    return min(wanted, max(room, 0.0))


def _to_preview(own: Array, preview: NDArray[np.uint8]) -> float:
    shown = apply_matrix(srgb_decode(preview.astype(np.float32) / np.float32(255)), SRGB_TO_WORKING)
    theirs, ours = (np.quantile(luminance(p), QUARTERS) for p in (shown, own))
    return float(np.mean(np.log2(np.maximum(theirs, 1e-5) / np.maximum(ours, 1e-5))))
