"""From maps over a source to the pixels of a frame."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

from ..frame import Frame
from ..sphere import Sphere
from ..transform import Transform


def in_frame(of_source: Callable[[Rect], Array], frame: Frame, size: Size, rect: Rect) -> Array:
    """A map that is known by rectangles of a source (of a size), in a rectangle of a frame."""
    to_source = frame.to_source
    if to_source == Transform():
        return of_source(rect)
    x, y = to_source.middles(rect)
    if isinstance(to_source.lens, Sphere):  # which may go on round the picture's edges
        return interpolated(of_source(size.rect), y - 0.5, x % size.width - 0.5)
    seen = to_source.rect(rect)
    part = Rect.between(seen.top - 2, seen.left - 2, seen.bottom + 2, seen.right + 2).intersect(size.rect)
    if part.empty:
        return np.zeros(x.shape, np.float32)
    return interpolated(of_source(part), y - part.top - 0.5, x - part.left - 0.5)


def interpolated(values: Array, rows: NDArray[np.float64], columns: NDArray[np.float64]) -> Array:
    """Bilinear values (H x W) at places counted from the middle of the first pixel; the edge goes on beyond it."""
    height, width = values.shape
    y, x = np.clip(rows, 0, height - 1), np.clip(columns, 0, width - 1)
    top, left = np.minimum(y.astype(int), max(height - 2, 0)), np.minimum(x.astype(int), max(width - 2, 0))
    below, right = np.minimum(top + 1, height - 1), np.minimum(left + 1, width - 1)
    down, across = (y - top).astype(np.float32), (x - left).astype(np.float32)
    upper = values[top, left] * (1 - across) + values[top, right] * across
    lower = values[below, left] * (1 - across) + values[below, right] * across
    return np.asarray(upper * (1 - down) + lower * down)


def enlarged(small: Array, size: Size, rect: Rect) -> Array:
    """A rectangle of a small map of a whole picture, enlarged bilinearly to its size."""
    height, width = small.shape
    y = (np.arange(rect.top, rect.bottom) + 0.5) * (height / size.height) - 0.5
    x = (np.arange(rect.left, rect.right) + 0.5) * (width / size.width) - 0.5
    rows = _between(small, y, 0)
    return _between(rows, x, 1)


def grid_values(values: Array, where: Rect, step: int, rect: Rect) -> Array:
    """Values on a grid of ``step`` px, of which they fill ``where``, interpolated to the pixels of a rectangle."""
    y = (np.arange(rect.top, rect.bottom) + 0.5) / step - 0.5 - where.top
    x = (np.arange(rect.left, rect.right) + 0.5) / step - 0.5 - where.left
    return _between(_between(values, y, 0), x, 1)


def _between(values: Array, places: NDArray[np.float64], axis: int) -> Array:
    places = np.clip(places, 0, values.shape[axis] - 1)
    first = np.minimum(places.astype(int), max(values.shape[axis] - 2, 0))
    second = np.minimum(first + 1, values.shape[axis] - 1)
    share = (places - first).astype(np.float32)
    share = share[:, None] if axis == 0 else share[None]
    return np.take(values, first, axis) * (1 - share) + np.take(values, second, axis) * share


def eased(way: Array) -> Array:
    """A soft step from 0 to 1, level at both ends."""
    way = np.clip(way, 0, 1)
    return (way * way * (3 - 2 * way)).astype(np.float32)
