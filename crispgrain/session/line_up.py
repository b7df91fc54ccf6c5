"""The line-up: the same spot of many shots, source beside result, with figures that find the exceptions."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from enum import StrEnum
from pathlib import Path

import cv2
import numpy as np
from attrs import evolve, frozen
from numpy.typing import NDArray

from crispgrain.cancel import NEVER, CancelToken
from crispgrain.core.colour import icc
from crispgrain.core.files.source import Source
from crispgrain.core.meter import first_reading
from crispgrain.core.meter.blocks import rough_luminance
from crispgrain.core.networks.faces import find_faces
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.overview import overview
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import halo_mask, structure_taken
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect

from .comparing import developed

EDGE = 192  # px of the source, of a spot
BAND = (1.5, 6.0)  # px
SHOWN, GAP = 150, 6  # px, of each of several spots, and between them
FACES_AT = 1200  # px, long side at which faces are sought
LOOKED_AT = 9  # places each way in which a spot is sought
SMALL_CACHE = 120_000_000  # bytes, for one shot


class Spot(StrEnum):
    """Where a line-up looks."""

    POINTED = "the middle of the easel"
    DETAIL = "the finest detail"
    NOISE = "the smoothest dark part"
    FACE = "a face, or the finest detail"


@frozen(eq=False)
class Row:
    """One shot at its spot: 8-bit sRGB values before and after, and what the treatment did to them.

    ``structure`` is the share of detail that was taken away, ``halo`` the share of pixels with one; None where the
    result is of another size.
    """

    path: Path
    rect: Rect  # of the source
    source: NDArray[np.uint8]
    result: NDArray[np.uint8]
    structure: float | None
    halo: float | None


def side_by_side(rows: Sequence[Row]) -> Row:
    """Several spots of one shot as one row: their pictures beside each other, of each figure the worst."""
    first = rows[0]
    if len(rows) == 1:
        return first

    def worst(figures: Iterable[float | None]) -> float | None:
        known = [figure for figure in figures if figure is not None]
        return max(known) if known else None

    return evolve(
        first, source=_joined([row.source for row in rows]), result=_joined([row.result for row in rows]),
        structure=worst(row.structure for row in rows), halo=worst(row.halo for row in rows),
    )  # fmt: skip


def _joined(pictures: Sequence[NDArray[np.uint8]]) -> NDArray[np.uint8]:
    """Pictures of one size beside each other, with a little grey between; cut to what is shown of each."""
    height = min(picture.shape[0] for picture in pictures)
    gap = np.full((height, GAP, 3), 119, np.uint8)
    parts = [part for picture in pictures for part in (gap, picture[:height, :SHOWN])][1:]
    return np.concatenate(parts, axis=1)


def spot_of(
    source: Source, spot: Spot, pointed: tuple[float, float] = (0.5, 0.5), result: Pipeline | None = None
) -> Rect:  # fmt: skip
    """A square of a source (whole cells of a mosaic): at a point in shares of width and height, or sought.

    With a ``result``, in what of the source that shows.
    """
    whole = source.size.rect
    if result is not None:
        whole = result.steps[-1].after.to_source.rect(result.size.rect).intersect(whole)
    height, width = (min(EDGE, max(2, n // 2 * 2)) for n in (whole.height, whole.width))

    def at(x: float, y: float) -> Rect:
        """About a point in px, moved into what is shown."""
        left = min(max(int(x) - width // 2, whole.left), whole.right - width) // 2 * 2
        top = min(max(int(y) - height // 2, whole.top), whole.bottom - height) // 2 * 2
        return Rect(top, left, height, width)

    if spot is Spot.FACE and (face := _largest_face(source)) is not None and _shown(*face, result):
        return at(*face)
    wanted = pointed[0] * source.size.width, pointed[1] * source.size.height
    shares = (np.arange(LOOKED_AT) + 0.5) / LOOKED_AT
    columns, rows = whole.left + shares * whole.width, whole.top + shares * whole.height
    points = [(float(x), float(y)) for y in rows for x in columns]
    places = [at(*point) for point in ([wanted, *points] if spot is Spot.POINTED else points)]
    places = [place for place in places if _shown(*_middle(place), result)] or [at(*points[len(points) // 2])]
    if spot is Spot.POINTED:
        return min(places, key=lambda place: math.dist(_middle(place), wanted))

    def detail(rect: Rect) -> float:
        y = rough_luminance(source, rect)
        # Between two Gaussians there is detail, and hardly any noise, which is finer.
        near, far = (np.sqrt(np.maximum(cv2.GaussianBlur(np.ascontiguousarray(y), (0, 0), s), 1e-4)) for s in BAND)
        energy = float((near - far).std())
        # Burnt out or black parts are as smooth as can be, and show nothing.
        level = float(y.mean())
        shown = 0.002 < level < 0.6
        return energy if spot is not Spot.NOISE else (-energy - 0.1 * level if shown else -np.inf)

    return max(places, key=detail)


def _middle(rect: Rect) -> tuple[float, float]:
    return rect.left + rect.width / 2, rect.top + rect.height / 2


def _shown(x: float, y: float, result: Pipeline | None) -> bool:
    """Whether a point of the source, in px, is in a result: not in the corners that a turned crop cuts off, say."""
    if result is None:
        return True
    across, down = result.steps[-1].after.to_source.inverse(x, y)  # type: ignore[arg-type]
    return bool(0 <= across <= result.size.width and 0 <= down <= result.size.height)


def _largest_face(source: Source) -> tuple[float, float] | None:
    """The middle of the largest face, in px from left and top."""
    small = overview(source, resolve(Treatment(), source, first_reading(source)), FACES_AT)
    faces = find_faces(icc.from_working(small, icc.profile("srgb"), 8))
    if not faces:
        return None
    face, (height, width) = faces[0].where, small.shape[:2]
    across, down = (face.left + face.width / 2) / width, (face.top + face.height / 2) / height
    return across * source.size.width, down * source.size.height


def row_of(shot: Shot, treatment: Treatment, rect: Rect, cancel: CancelToken = NEVER) -> Row:
    """A shot's row, for a part of its source.

    Raises
    ------
    Cancelled
        If ``cancel`` was set.
    """
    cache = TileCache(SMALL_CACHE)
    before, after = shot.pipeline(developed(treatment), cache), shot.pipeline(treatment, cache)
    pixels = []
    for pipeline in (before, after):
        there = pipeline.steps[-1].after.to_source.inverse.rect(rect).intersect(pipeline.size.rect)
        pixels.append(pipeline.untiled(there, cancel=cancel))
    old, new = pixels
    alike = old.shape == new.shape
    stored = [icc.from_working(p, icc.profile("srgb"), 8) for p in pixels]
    return Row(
        shot.path, rect, stored[0], stored[1], structure_taken(old, new) if alike else None,
        float(halo_mask(old, new).mean()) if alike else None,
    )  # fmt: skip
