"""Masks painted by hand: strokes of a brush, in and out."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

from ..frame import Frame
from .gradients import Point
from .ground import Ground
from .placing import eased, in_frame


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
    """

    points: tuple[Point, ...]
    radius: float
    feather: float = 0.5
    opacity: float = 1.0
    out: bool = False

    def cover(self, size: Size, rect: Rect) -> tuple[Rect, Array] | None:
        """Where in a rectangle of the source the stroke lies, and how much of it (0 to 1) is covered."""
        radius = max(self.radius * max(size.width, size.height), 0.5)
        places = np.array(self.points) * (size.width, size.height)
        low, high = np.floor(places.min(0) - radius - 1).astype(int), np.ceil(places.max(0) + radius + 1).astype(int)
        part = Rect.between(low[1], low[0], high[1], high[0]).intersect(rect)
        if part.empty:
            return None
        far = np.full((part.height, part.width), np.float32(radius), np.float32)
        for start, end in pairwise(places if len(places) > 1 else places.repeat(2, axis=0)):
            low, high = np.minimum(start, end) - radius - 1, np.maximum(start, end) + radius + 1
            near = Rect.between(
                int(np.floor(low[1])), int(np.floor(low[0])), int(np.ceil(high[1])), int(np.ceil(high[0]))
            ).intersect(part)
            if not near.empty:
                there = far[near.within(part).slices]
                np.minimum(there, _distance(near, start, end), out=there)
        soft = max(self.feather * radius, 1.0)
        return part, eased((np.float32(radius) - far) / np.float32(soft)) * np.float32(self.opacity)

    def as_json(self) -> dict[str, Any]:
        points = [[round(v, 6) for v in p] for p in self.points]
        return {
            "points": points, "radius": self.radius, "feather": self.feather, "opacity": self.opacity, "out": self.out,
        }  # fmt: skip


def _distance(rect: Rect, start: NDArray[np.float64], end: NDArray[np.float64]) -> Array:
    """Of the middles of a rectangle's pixels from a line between two points: h x w, in px."""
    x = np.arange(rect.left, rect.right)[None] + 0.5 - start[0]
    y = np.arange(rect.top, rect.bottom)[:, None] + 0.5 - start[1]
    along = end - start
    length = float(along @ along)
    way = np.clip((x * along[0] + y * along[1]) / length, 0, 1) if length else np.zeros((1, 1))
    return np.asarray(np.hypot(x - way * along[0], y - way * along[1]), np.float32)


@dataclass(frozen=True)
class Brush:
    """Strokes, one over the other."""

    strokes: tuple[Stroke, ...] = ()

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        return in_frame(lambda part: self.of_source(ground.size, part), frame, ground.size, rect)

    def of_source(self, size: Size, rect: Rect) -> Array:
        """The mask in a rectangle of the source."""
        mask = np.zeros((rect.height, rect.width), np.float32)
        for stroke in self.strokes:
            covered = stroke.cover(size, rect)
            if covered is not None:
                part, share = covered
                there = mask[part.within(rect).slices]
                there += share * (-there if stroke.out else 1 - there)
        return mask

    def painted(self, stroke: Stroke) -> Brush:
        return Brush((*self.strokes, stroke))

    def as_json(self) -> dict[str, Any]:
        return {"shape": "brush", "strokes": [s.as_json() for s in self.strokes]}
