"""Noise that grows towards the corners: of a RAW whose lens shading was put right before it was written."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Rect, Size
from crispgrain.restoration.radial_gain import radial_gain

from ..files.source import RawSource
from .noise_line import SAMPLE_EDGE, fit_line, sample_rects, variance_by_signal
from .patches import GREEN, Content, content, joined, patches_by_colour

PIECE = 96  # px
RINGS = (0.4, 0.6, 0.75, 0.88)  # where one ends and the next begins; the corners are at 1
CANDIDATES = np.arange(1.0, 4.01, 0.125)
# Of the misfit to noise that is alike everywhere at most so much may be left. Chosen on ten training photographs at
# each of ISO 200, 800, 3200 and 12800: even noise keeps 0.82 or more, a gain of 2.5 mostly 0.1 to 0.6. How it does on
# more of them is in docs/benchmarks.md.
SURE = 0.7
FAR_OFF = 0.5  # of a variance, as a logarithm; what is farther off is texture and counts as this
LEAST_RINGS = 3
FEWEST = 300  # patches of a tone in a ring


def corner_gain(source: RawSource) -> float:
    """By how much the corners of a RAW were brightened before it was written, 1 to 4; 1 if that is not sure.

    Where light was multiplied by g, the noise of a sensor with variance a x + b has variance a g x + b g^2. That g is
    taken, growing with the square of the distance, under which one line fits the noise of all greens best.
    """
    rings = _noise_by_ring(source)
    if len(rings) < LEAST_RINGS:
        return 1.0
    misfits = [_misfit(rings, corner) for corner in CANDIDATES]
    best = int(np.argmin(misfits))
    return float(CANDIDATES[best]) if misfits[best] < SURE * misfits[0] else 1.0


def gain_in(rect: Rect, size: Size, corner: float) -> float:
    """In the middle of a rectangle of a picture."""
    middle = Rect(rect.top + rect.height // 2, rect.left + rect.width // 2, 1, 1)
    return float(radial_gain(middle, size, corner)[0, 0])


def pieces(size: Size) -> list[Rect]:
    """Squares all over a picture, small enough that a gain is nearly the same within each."""
    rects = sample_rects(size, 2 * SAMPLE_EDGE)
    if len(rects) > 1:
        return rects
    return [
        Rect(top, left, PIECE, PIECE)
        for top in range(0, size.height - PIECE + 1, PIECE)
        for left in range(0, size.width - PIECE + 1, PIECE)
    ]


def _noise_by_ring(source: RawSource) -> list[tuple[float, NDArray[np.float64]]]:
    """The gain's share of growth, 0 in the middle to 1 in the corners, and (signal, variance, patches) of each ring."""
    found: list[list[tuple[float, Content]]] = [[] for _ in range(len(RINGS) + 1)]
    for rect in pieces(source.size):
        growth = gain_in(rect, source.size, 2.0) - 1
        ring = int(np.searchsorted(np.square(RINGS), growth))
        for colour, patches in patches_by_colour(source.region(rect), source.pattern_from(rect)):
            if colour == GREEN:
                found[ring].append((growth, content(patches)))
    rings = []
    for members in found:
        rows = variance_by_signal(joined(c for _, c in members), FEWEST) if members else np.empty((0, 3))
        if len(rows):
            growth = float(np.average([g for g, _ in members], weights=[len(c.mean) + 1 for _, c in members]))
            rings.append((growth, rows))
    return rings


def _misfit(rings: list[tuple[float, NDArray[np.float64]]], corner: float) -> float:
    """How far variances are from one line, as logarithms, once a gain is taken back."""
    gains = [1 + (corner - 1) * growth for growth, _ in rings]
    rows = np.concatenate([r / (gain, gain * gain, 1.0) for gain, (_, r) in zip(gains, rings, strict=True)])
    signal, variance, count = rows.T
    a, b = fit_line(signal, variance, count)
    off = np.log(np.maximum(variance, 1e-12) / np.maximum(a * signal + b, 1e-12))
    return float(np.average(np.minimum(np.abs(off), FAR_OFF), weights=np.sqrt(count)))
