"""Rectangles and sizes on the pixel grid, in pixels, row first."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Size:
    """Height and width in pixels."""

    height: int
    width: int

    @property
    def rect(self) -> Rect:
        """The rectangle that covers the whole picture."""
        return Rect(0, 0, self.height, self.width)

    @property
    def megapixels(self) -> float:
        return self.height * self.width / 1e6


@dataclass(frozen=True, slots=True)
class Rect:
    """A half-open rectangle: rows ``top`` to ``bottom`` - 1, columns ``left`` to ``right`` - 1."""

    top: int
    left: int
    height: int
    width: int

    @property
    def bottom(self) -> int:
        return self.top + self.height

    @property
    def right(self) -> int:
        return self.left + self.width

    @property
    def size(self) -> Size:
        return Size(self.height, self.width)

    @property
    def empty(self) -> bool:
        return self.height <= 0 or self.width <= 0

    @property
    def slices(self) -> tuple[slice, slice]:
        """Index of this rectangle in an array of the whole picture."""
        return slice(self.top, self.bottom), slice(self.left, self.right)

    @classmethod
    def between(cls, top: int, left: int, bottom: int, right: int) -> Rect:
        return cls(top, left, bottom - top, right - left)

    def intersect(self, other: Rect) -> Rect:
        top, left = max(self.top, other.top), max(self.left, other.left)
        bottom, right = min(self.bottom, other.bottom), min(self.right, other.right)
        return Rect(top, left, max(bottom - top, 0), max(right - left, 0))

    def grow(self, margin: int, bounds: Rect) -> Rect:
        """This rectangle with a margin all round, cut off at ``bounds``."""
        return Rect.between(self.top - margin, self.left - margin, self.bottom + margin, self.right + margin).intersect(
            bounds
        )

    def moved(self, down: int, right: int) -> Rect:
        return Rect(self.top + down, self.left + right, self.height, self.width)

    def within(self, other: Rect) -> Rect:
        """The same rectangle counted from the corner of ``other``."""
        return self.moved(-other.top, -other.left)


@dataclass(frozen=True, slots=True)
class Place:
    """Where pixels lie in a whole picture of a ``size``."""

    rect: Rect
    size: Size

    @property
    def ends(self) -> tuple[tuple[bool, bool], tuple[bool, bool]]:
        """Whether the picture ends above and below them, and on their left and right."""
        rect, size = self.rect, self.size
        return (rect.top == 0, rect.bottom == size.height), (rect.left == 0, rect.right == size.width)


def tiles_over(rect: Rect, tile: int) -> Iterator[tuple[int, int]]:
    """Row and column numbers of the tiles of edge ``tile`` that touch ``rect``."""
    if rect.empty:
        return
    for row in range(rect.top // tile, (rect.bottom - 1) // tile + 1):
        for column in range(rect.left // tile, (rect.right - 1) // tile + 1):
            yield row, column


def tile_rect(row: int, column: int, tile: int, full: Size) -> Rect:
    """The tile at a row and column of the grid, cut off at the picture's edge."""
    return Rect(row * tile, column * tile, tile, tile).intersect(full.rect)
