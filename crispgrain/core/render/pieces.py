"""Cutting what is seen of a result into pieces, each computed by itself.

Whole tiles cost several times as much: around those in sight, all that they look at is computed in whole tiles, too.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable

from crispgrain.geometry import Rect, Size

LARGEST = Size(384, 512)  # px; larger, the first one comes late; smaller, work is mostly margin
LEAST = 96  # px; a narrower strip costs hardly less


def uncovered(rect: Rect, covers: Iterable[Rect]) -> list[Rect]:
    """What ``covers`` leave of a rectangle, as rectangles that do not overlap."""
    left = [rect] if not rect.empty else []
    for cover in covers:
        left = [part for r in left for part in _without(r, cover)]
    return left


def _without(rect: Rect, cover: Rect) -> list[Rect]:
    shared = rect.intersect(cover)
    if shared.empty:
        return [rect]
    beside = [
        Rect.between(rect.top, rect.left, shared.top, rect.right),
        Rect.between(shared.bottom, rect.left, rect.bottom, rect.right),
        Rect.between(shared.top, rect.left, shared.bottom, shared.left),
        Rect.between(shared.top, shared.right, shared.bottom, rect.right),
    ]
    return [part for part in beside if not part.empty]


def pieces(rect: Rect, full: Size, level: int = 0) -> list[Rect]:
    """A rectangle of a picture cut evenly into pieces, those nearest to its middle first.

    They may be larger the smaller they are shown, halved ``level`` times. A narrow one is widened.
    """
    wide = Rect(
        rect.top - max(0, LEAST - rect.height) // 2, rect.left - max(0, LEAST - rect.width) // 2,
        max(rect.height, LEAST), max(rect.width, LEAST),
    ).intersect(full.rect)  # fmt: skip
    rows = _cuts(wide.top, wide.bottom, LARGEST.height << level)
    columns = _cuts(wide.left, wide.right, LARGEST.width << level)
    cut = [
        Rect.between(top, left, bottom, right)
        for top, bottom in itertools.pairwise(rows)
        for left, right in itertools.pairwise(columns)
    ]

    def distance(piece: Rect) -> int:
        down, right = (
            piece.top + piece.bottom - wide.top - wide.bottom,
            piece.left + piece.right - wide.left - wide.right,
        )
        return down**2 + right**2

    return sorted(cut, key=distance)


def _cuts(start: int, end: int, largest: int) -> list[int]:
    count = max(1, -(-(end - start) // largest))
    return [start + (end - start) * n // count for n in range(count + 1)]
