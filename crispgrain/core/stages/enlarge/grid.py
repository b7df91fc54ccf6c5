"""From the grid of a picture to that of the result: size, crop and turn are one resampling."""

from __future__ import annotations

import math

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import resample
from crispgrain.restoration.resample import LANCZOS_LOBES, Sampling

from ...model import Context
from ...transform import Transform
from ..develop.reshape import Coding, drawn_together, lit, optics_of


def to_before(context: Context) -> Transform:
    """From the pixels of the result to those of the picture that is enlarged."""
    return context.before.to_source.inverse.after(context.after.to_source)


def stretch(context: Context) -> float:
    """How many pixels of the picture one of the result covers, in each direction, in its middle."""
    size = context.after.size
    return to_before(context).stretch_at(size.width / 2, size.height / 2)


def shrinks(context: Context) -> bool:
    """Whether a pixel of the result covers one of the picture or more."""
    return stretch(context) >= 1 - 1e-9


def reach(context: Context) -> int:
    """Pixels of the picture on each side that a resampled pixel depends on."""
    return math.ceil(LANCZOS_LOBES * max(stretch(context), 1)) + 1


def grids(context: Context, factor: float | None = None) -> tuple[Sampling, Sampling]:
    """Rows and columns of a grid on which a picture is enlarged before it is cut and turned.

    That of the result itself if it is not turned, unless a ``factor`` is given; its corner is the picture's then.
    """
    size, wraps = context.before.size, context.before.wraps
    (across, _, left), (_, down, top), _ = to_before(context).rows
    if factor is None and to_before(context).upright and not optics_of(context).fringes:
        return Sampling(size.height, down, top), Sampling(size.width, across, left, wraps)
    step = 1 / factor if factor is not None else stretch(context)
    return Sampling(size.height, step), Sampling(size.width, step, 0.0, wraps)


def covered(rect: Rect, grid: tuple[Sampling, Sampling]) -> Rect:
    """The part of a grid that a rectangle of the picture covers."""
    hair = 1e-6  # whole numbers stay whole
    (top, bottom), (left, right) = (
        (math.ceil((start - g.offset) / g.step - hair), math.floor((end - g.offset) / g.step + hair))
        for g, start, end in zip(grid, (rect.top, rect.left), (rect.bottom, rect.right), strict=True)
    )
    return Rect.between(top, left, bottom, right)


def resampled(pixels: Array, rect: Rect, grid: tuple[Sampling, Sampling], context: Context, coding: Coding) -> Array:
    """The wanted part of the result, linear, from ``pixels`` in a coding, in ``rect`` of a grid over the picture."""
    wanted, back, optics, rows = context.wanted, to_before(context), optics_of(context), grid[0]
    if not back.upright or optics.fringes:
        x, y = back.middles(wanted)
        scale = stretch(context) / rows.step
        moved = drawn_together(pixels, x, y, rect, optics, context.source, coding, scale, rows.step)
        return lit(moved, x, y, optics)
    moved = coding.finished(_upright(pixels, rect, grid, context))
    return lit(moved, *back.middles(wanted), optics) if optics.light is not None else moved


def _upright(pixels: Array, rect: Rect, grid: tuple[Sampling, Sampling], context: Context) -> Array:
    """The wanted part of a result that is only moved and stretched."""
    wanted = context.wanted
    rows, columns = grid
    (across, _, left), (_, down, top), _ = to_before(context).rows
    by_row = Sampling(round(rows.length / rows.step), down / rows.step, (top - rows.offset) / rows.step)
    by_column = Sampling(
        round(columns.length / columns.step), across / columns.step, (left - columns.offset) / columns.step,
        columns.wraps,
    )  # fmt: skip
    if all(s.step == 1 and s.offset.is_integer() for s in (by_row, by_column)):
        return np.ascontiguousarray(pixels[wanted.moved(int(by_row.offset), int(by_column.offset)).within(rect).slices])
    return resample.apply(
        resample.lanczos_weights(by_row, wanted.top, wanted.bottom, rect.top, rect.bottom),
        resample.lanczos_weights(by_column, wanted.left, wanted.right, rect.left, rect.right),
        pixels,
    )


def untouched(context: Context) -> tuple[Sampling, Sampling]:
    """The grid of the picture itself."""
    size = context.before.size
    return Sampling(size.height, 1.0), Sampling(size.width, 1.0, 0.0, context.before.wraps)
