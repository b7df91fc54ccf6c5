"""How a RAW's light is best shown at first: a curve for its tones, by its own histogram or as its camera shows it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.restoration.curves import Points, risen

from ..colour.spaces import SRGB_TO_WORKING, apply_matrix, luminance, srgb_decode, srgb_encode

BELOW = -0.25  # encoded: noise around black must find something to ride on
DARKEST, LIGHTEST = 0.002, 0.998  # shares of pixels that are darker than what becomes black, and white
MOST_BLACK = 0.09  # encoded, that becomes black at most
WHITE, LEAST_WHITE, MOST_WHITE = 0.985, 0.8, 1.7  # encoded: what the lightest becomes; between what it is looked for
BENT = 0.955  # encoded: what white becomes where something is lighter
MIDDLE, TOWARDS, FARTHEST = 0.46, 0.5, 0.1  # encoded mid grey; how far the median is brought there, at most
STEEPER = 0.025  # encoded: how far a quarter and three quarters of the way are moved apart
NODES = 17  # of a curve that follows the camera's


def by_histogram(lifted: Array) -> Points:
    """A curve of encoded luma for a RAW's pixels (h x w x 3, working space) in the light they come up in.

    Black and white are where the picture has its darkest and its lightest, within limits: fog stays fog. Its median is
    brought half of the way to mid grey. What lies above white is bent down into it, with little else.
    """
    luma = np.asarray(srgb_encode(luminance(lifted)))
    dark, middle, light = (float(v) for v in np.quantile(luma, (DARKEST, 0.5, LIGHTEST)))
    black = min(max(dark, 0.0), MOST_BLACK)
    white = min(max(light, LEAST_WHITE), MOST_WHITE)
    middle = min(max(middle, black + 0.1), white - 0.2)
    placed = middle + min(max(TOWARDS * (MIDDLE - middle), -FARTHEST), FARTHEST)
    end, full = (1.0, BENT) if white > 1 else (white, WHITE)  # a lamp must not make the rest of the picture flat
    low, high = (black + middle) / 2, (middle + end) / 2
    lamps = [(white, WHITE)] if white > 1 else []
    return risen([
        (black + BELOW, BELOW), (black, 0.0), (low, placed / 2 - STEEPER), (middle, placed),
        (high, (placed + full) / 2 + STEEPER), (end, full), *lamps, (max(2.0, white + 0.3), 1.02),
    ])  # fmt: skip


def as_shown(lifted: Array, preview: NDArray[np.uint8]) -> tuple[Points, float]:
    """A curve that gives a RAW's pixels the tones of the camera's own picture, and how much stronger its colours are.

    By quantiles of luma: the two need not lie on each other pixel by pixel.
    """
    theirs = apply_matrix(srgb_decode(preview.astype(np.float32) / np.float32(255)), SRGB_TO_WORKING)
    shares = (np.arange(NODES) + 0.5) / NODES
    ours, shown = (np.quantile(np.asarray(srgb_encode(luminance(p))), shares) for p in (lifted, theirs))
    points = [(float(ours[0]) + BELOW, float(shown[0]) + BELOW), *zip(ours.tolist(), shown.tolist(), strict=True)]
    points.append((max(2.0, float(ours[-1]) + 0.3), max(1.02, float(shown[-1]) + 0.02)))
    strong = [_strength(p) for p in (theirs, lifted)]
    return risen(points), float(np.clip(strong[0] / max(strong[1], 1e-6), 0.7, 1.6))


def _strength(pixels: Array) -> float:
    """Mean share of colour in light: differences of channels over luma, where there is enough light to tell."""
    luma = luminance(pixels)
    told = luma > 0.01
    apart = np.ptp(pixels, axis=-1)
    return float(np.mean(apart[told] / luma[told])) if told.any() else 0.0
