"""Pages of a sheet: pictures in their places, and the lines along which they are cut apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from numpy.typing import NDArray

from .layout import Place

MARK, OFF = 5.0, 2.0  # mm: length of a crop mark, and how far from the corner it begins
THIN = 0.09  # mm; a quarter of a point


@dataclass(frozen=True)
class Picture:
    """Stored values (uint8 or uint16; H x W x channels, or H x W for grey) with their profile, and words below."""

    pixels: NDArray
    profile: bytes
    words: str = ""


@dataclass(frozen=True)
class Page:
    """A page: where which pictures lie. ``marks`` are lines that say where to cut."""

    places: Sequence[Place]
    marks: bool = True


def cutting_lines(place: Place) -> list[tuple[float, float, float, float]]:
    """Lines (x and y of both ends, mm) in the prolongation of a picture's trimmed edges, outside of its bleed."""
    left, right = place.left + place.bleed, place.left + place.width - place.bleed
    top, bottom = place.top + place.bleed, place.top + place.height - place.bleed
    start = place.bleed + OFF
    out: list[tuple[float, float, float, float]] = []
    for x in (left, right):
        for y, way in ((top, -1), (bottom, 1)):
            out.append((x, y + way * start, x, y + way * (start + MARK)))
    for y in (top, bottom):
        for x, way in ((left, -1), (right, 1)):
            out.append((x + way * start, y, x + way * (start + MARK), y))
    return out
