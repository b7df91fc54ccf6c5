"""Which pixels of what a step is given its own depend on, and in which order tiles are wanted."""

from __future__ import annotations

from crispgrain.geometry import Rect, tiles_over

from ..frame import Frame
from ..model import Model, Role


def whole_shift(model: Model, before: Frame, after: Frame) -> tuple[int, int] | None:
    """Rows and columns by which a model only moves what it is given; None if it does anything else."""
    back = before.to_source.inverse.after(after.to_source)
    if not model.may_be(Role.SHAPE) or back.lens is not None or after.optics is not None:
        return None
    (a, b, right), (c, d, down), last = back.rows
    only_moves = (a, b, c, d, *last) == (1, 0, 0, 1, 0, 0, 1) and right == int(right) and down == int(down)
    return (int(down), int(right)) if only_moves else None


def needed(wanted: Rect, before: Frame, after: Frame, margin: int, grid: int, wraps: bool = False) -> Rect:
    """The input rectangle, on a grid, that a wanted output rectangle depends on.

    If the picture ``wraps``, it may reach beyond the left and the right edge.
    """
    back = before.to_source.inverse.after(after.to_source)
    seen = back.rect(wanted)
    grown = Rect.between(seen.top - margin, seen.left - margin, seen.bottom + margin, seen.right + margin)
    aligned = Rect.between(
        *(n // grid * grid for n in (grown.top, grown.left)),
        *(-(-n // grid) * grid for n in (grown.bottom, grown.right)),
    )
    if wraps:
        return Rect.between(max(aligned.top, 0), aligned.left, min(aligned.bottom, before.size.height), aligned.right)
    return aligned.intersect(before.size.rect)


def wrapped(rect: Rect, width: int) -> list[Rect]:
    """Parts, within a picture of ``width``, of a rectangle that goes on round its left and right edges."""
    parts, left = [], rect.left
    while left < rect.right:
        start = left % width
        columns = min(width - start, rect.right - left)
        parts.append(Rect(rect.top, start, rect.height, columns))
        left += columns
    return parts


def near_first(rect: Rect, tile: int, centre: tuple[float, float]) -> list[tuple[int, int]]:
    """Tiles over a rectangle, those nearest to a point (row, column) first."""

    def distance(place: tuple[int, int]) -> float:
        row, column = place
        return ((row + 0.5) * tile - centre[0]) ** 2 + ((column + 0.5) * tile - centre[1]) ** 2

    return sorted(tiles_over(rect, tile), key=distance)
