"""Curves from encoded values to encoded values through given points: smooth, and rising everywhere."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.strips import in_strips

Points = tuple[tuple[float, float], ...]
Curve = Callable[[NDArray], NDArray[np.float64]]

LEAST_RISE = 0.02  # of a curve's steepness: nothing becomes flat, and nothing turns
APART = 1e-3  # of the range, the least distance of two points


def risen(points: Sequence[tuple[float, float]]) -> Points:
    """Points in order, none lower than those before it, and none of two that lie at one place.

    Examples
    --------
    >>> risen([(0.5, 0.4), (0.0, 0.0), (0.75, 0.3)])
    ((0.0, 0.0), (0.5, 0.4), (0.75, 0.405))
    """
    kept: list[tuple[float, float]] = []
    for x, y in sorted((float(x), float(y)) for x, y in points):
        if kept and x - kept[-1][0] < APART:
            continue
        kept.append((x, y if not kept else max(y, kept[-1][1] + LEAST_RISE * (x - kept[-1][0]))))
    return tuple(kept)


@lru_cache(maxsize=64)
def through(points: Points) -> Curve:
    """A curve through points; straight on beyond them, as steep as at its ends, but never falling.

    Raises
    ------
    ValueError
        For fewer than two points, or such that do not rise.

    References
    ----------
    F. Fritsch, R. Carlson, "Monotone piecewise cubic interpolation", SIAM J. Num. Anal. 17, 1980.

    Examples
    --------
    >>> curve = through(((0.0, 0.0), (0.5, 0.6), (1.0, 1.0)))
    >>> [round(float(v), 3) for v in curve(np.array([0.0, 0.25, 0.5, 1.0, 1.5]))]
    [0.0, 0.327, 0.6, 1.0, 1.3]
    """
    if len(points) < 2:
        raise ValueError("a curve needs two points at least")
    x, y = np.array(points, np.float64).T
    if np.diff(x).min() <= 0 or np.diff(y).min() < 0:
        raise ValueError("a curve must rise from point to point")
    smooth = scipy.interpolate.PchipInterpolator(x, y)
    steep = smooth.derivative()
    low, high = (max(float(steep(v)), LEAST_RISE) for v in (x[0], x[-1]))

    @in_strips
    def placed(values: NDArray) -> NDArray[np.float64]:
        inside = np.clip(values, x[0], x[-1])
        beyond = np.asarray(values) - inside
        return np.asarray(smooth(inside) + np.where(beyond < 0, low, high) * beyond)

    return placed


def points_of(text: str) -> Points:
    """Points written as ``x y; x y``.

    Raises
    ------
    ValueError
        If they are not numbers in pairs.

    Examples
    --------
    >>> points_of("0 0; 0.5 0.6; 1 1")
    ((0.0, 0.0), (0.5, 0.6), (1.0, 1.0))
    """
    pairs = [part.split() for part in text.split(";") if part.strip()]
    if any(len(pair) != 2 for pair in pairs):
        raise ValueError("points are written as x y; x y")
    return tuple((float(x), float(y)) for x, y in pairs)


def written(points: Points) -> str:
    """The other way round.

    Examples
    --------
    >>> written(((0.0, 0.0), (0.5, 0.625)))
    '0 0; 0.5 0.625'
    """
    return "; ".join(f"{x:.6g} {y:.6g}" for x, y in points)
