"""Masks painted by hand: strokes of a brush, in and out."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.guided import guided_coefficients

from ..frame import Frame
from .gradients import Point
from .ground import Ground
from .placing import eased, enlarged, grid_values, in_frame

STEPS = 4  # of a grid, at least, over a soft rim
SPACING = 0.5  # of the radius, from one dab of a flowing brush to the next


@dataclass(frozen=True)
class Stroke:
    """One path of the brush.

    Attributes
    ----------
    points : tuple of (x, y)
        Shares of the source's width and height; one is a dab.
    radius : float
        As a share of the source's longer side.
    feather : float
        Share of the radius over which the rim is soft, 0 to 1.
    opacity : float
        0.01 to 1; pressing again adds to what is there.
    out : bool
        Whether it takes away.
    flow : float
        0.01 to 1: how much of the opacity each dab along the path lays on. Below 1 a stroke builds up where it is
        slowly covered or crosses itself.
    """

    points: tuple[Point, ...]
    radius: float
    feather: float = 0.5
    opacity: float = 1.0
    out: bool = False
    flow: float = 1.0

    def cover(self, size: Size, rect: Rect) -> tuple[Rect, Array] | None:
        """Where in a rectangle of the source the stroke lies, and how much of it (0 to 1) is covered."""
        radius = max(self.radius * max(size.width, size.height), 0.5)
        places = np.array(self.points) * (size.width, size.height)
        low, high = np.floor(places.min(0) - radius - 1).astype(int), np.ceil(places.max(0) + radius + 1).astype(int)
        part = Rect.between(low[1], low[0], high[1], high[0]).intersect(rect)
        if part.empty:
            return None
        soft = max(self.feather * radius, 1.0)
        step = max(1, int(soft / STEPS))
        if self.flow < 1:
            covered = _built_up(_dabs(places, SPACING * radius), radius, soft, self.flow, part, step)
        else:
            covered = eased((np.float32(radius) - _distances(places, radius, part, step)) / np.float32(soft))
        return part, covered * np.float32(self.opacity)

    def as_json(self) -> dict[str, Any]:
        points = [[round(v, 6) for v in p] for p in self.points]
        flowing = {"flow": self.flow} if self.flow < 1 else {}
        return {
            "points": points, "radius": self.radius, "feather": self.feather, "opacity": self.opacity, "out": self.out,
            **flowing,
        }  # fmt: skip


def _distances(places: NDArray[np.float64], radius: float, rect: Rect, step: int) -> Array:
    """Of a rectangle's pixels from a path, in px, where that is less than the radius; else about that, or more.

    Worked out on a grid of ``step`` px, the same for all rectangles, and interpolated: a soft rim has no fine detail.
    """
    coarse = _grid(rect, step)
    path, reach = places / step, radius / step + 2
    far = np.full((coarse.height, coarse.width), np.float32(reach), np.float32)
    for start, end in pairwise(path if len(path) > 1 else path.repeat(2, axis=0)):
        low, high = np.floor(np.minimum(start, end) - reach), np.ceil(np.maximum(start, end) + reach)
        near = Rect.between(int(low[1]), int(low[0]), int(high[1]), int(high[0])).intersect(coarse)
        if not near.empty:
            there = far[near.within(coarse).slices]
            np.minimum(there, _distance(near, start, end), out=there)
    return far if step == 1 else np.float32(step) * grid_values(far, coarse, step, rect)


def _grid(rect: Rect, step: int) -> Rect:
    """What of a grid of ``step`` px a rectangle of pixels needs."""
    if step == 1:
        return rect
    return Rect.between(
        rect.top // step - 1, rect.left // step - 1, -(-rect.bottom // step) + 1, -(-rect.right // step) + 1
    )


def _dabs(places: NDArray[np.float64], spacing: float) -> NDArray[np.float64]:
    """Places (n x 2) along a path, so far from each other; the first is where it begins."""
    way = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(places, axis=0).T))])
    at = np.arange(0, way[-1] + spacing / 2, spacing)
    return np.stack([np.interp(at, way, values) for values in places.T], axis=1)


def _built_up(dabs: NDArray[np.float64], radius: float, soft: float, flow: float, rect: Rect, step: int) -> Array:
    """What dabs lay on a rectangle's pixels, each a share ``flow`` of what is still bare: h x w, 0 to 1."""
    coarse, reach = _grid(rect, step), radius / step + 2
    bare = np.ones((coarse.height, coarse.width), np.float32)
    for dab in dabs / step:
        low, high = np.floor(dab - reach), np.ceil(dab + reach)
        near = Rect.between(int(low[1]), int(low[0]), int(high[1]), int(high[0])).intersect(coarse)
        if not near.empty:
            laid = eased((np.float32(radius) - np.float32(step) * _distance(near, dab, dab)) / np.float32(soft))
            bare[near.within(coarse).slices] *= 1 - np.float32(flow) * laid
    return 1 - bare if step == 1 else 1 - grid_values(bare, coarse, step, rect)


def _distance(rect: Rect, start: NDArray[np.float64], end: NDArray[np.float64]) -> Array:
    """Of the middles of a rectangle's pixels from a line between two points: h x w, in px."""
    x = (np.arange(rect.left, rect.right)[None] + 0.5 - start[0]).astype(np.float32)
    y = (np.arange(rect.top, rect.bottom)[:, None] + 0.5 - start[1]).astype(np.float32)
    along = (end - start).astype(np.float32)
    length = float(along @ along)
    way = np.clip((x * along[0] + y * along[1]) / np.float32(length), 0, 1) if length else np.zeros((1, 1), np.float32)
    return np.sqrt((x - way * along[0]) ** 2 + (y - way * along[1]) ** 2)


@dataclass(frozen=True)
class Brush:
    """Strokes, one over the other; ``follow``, 0 to 1, is how far they end at the edges of what they begin on."""

    strokes: tuple[Stroke, ...] = ()
    follow: float = 0.0

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        return in_frame(lambda part: self._on_ground(ground, part), frame, ground.size, rect)

    def _on_ground(self, ground: Ground, rect: Rect) -> Array:
        painted = self.of_source(ground.size, rect, ground.wraps)
        if not self.follow:
            return painted
        slope, offset = ground.found(("brush", self.strokes), lambda g: g.joined(self._followed))
        edged = enlarged(slope, ground.size, rect) * ground.luma(rect) + enlarged(offset, ground.size, rect)
        edged = np.minimum(edged, painted)
        mask = painted + np.float32(self.follow) * (edged - painted)
        return np.where(mask < FAINT, 0, np.where(mask > 1 - FAINT, 1, mask)).astype(np.float32)

    def _followed(self, ground: Ground) -> Array:
        small, luma = ground.small, ground.small_luma()
        size = Size(*luma.shape)
        alike = np.zeros(luma.shape, np.float32)
        for stroke in self.strokes:
            x, y = (np.array(stroke.points) * (size.width, size.height)).astype(int).T
            on = small[y.clip(0, size.height - 1), x.clip(0, size.width - 1)]
            far = np.linalg.norm(small - on.mean(0), axis=2) / (ALIKE + 2 * np.linalg.norm(on.std(0)))
            alike = np.maximum(alike, eased(2 - far))
        return np.stack(guided_coefficients(luma, alike * self.of_source(size, size.rect), *FOLLOWS))

    def of_source(self, size: Size, rect: Rect, wraps: bool = False) -> Array:
        """The mask in a rectangle of the source; strokes go on beyond an edge of one that ``wraps``."""
        mask = np.zeros((rect.height, rect.width), np.float32)
        for stroke in self.strokes:
            for turns in (0, -1, 1) if wraps else (0,):
                covered = stroke.cover(size, rect.moved(0, turns * size.width))
                if covered is not None:
                    part, share = covered
                    there = mask[part.moved(0, -turns * size.width).within(rect).slices]
                    there += share * (-there if stroke.out else 1 - there)
        return mask

    def painted(self, stroke: Stroke) -> Brush:
        return Brush((*self.strokes, stroke), self.follow)

    def as_json(self) -> dict[str, Any]:
        following = {"follow": self.follow} if self.follow else {}
        return {"shape": "brush", "strokes": [s.as_json() for s in self.strokes], **following}


ALIKE = 0.08  # of encoded white, by which colours may differ from those under a stroke's path, beside their own spread
FOLLOWS = (3, 1e-4)  # px of the small picture, and variance of its luma, of the filter along edges
FAINT = 0.03  # of a mask: less is nothing
