"""Masks that are drawn as shapes: gradients, rectangles, ellipses, an outline by hand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

from ..frame import Frame
from .ground import Ground
from .placing import eased, enlarged, in_frame

Point = tuple[float, float]  # shares of the source's width and height


@dataclass(frozen=True)
class LinearGradient:
    """Whole at ``start`` and behind it, nothing at ``end`` and beyond, and a soft step in between.

    The step is straight across the line between the two points, as seen in the picture.
    """

    start: Point
    end: Point

    def __post_init__(self) -> None:
        if self.start == self.end:
            raise ValueError("the two points of a gradient cannot be the same")

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        """The mask in a rectangle of a frame: height x width, 0 to 1, just 0 and 1 beyond the points."""
        x, y = frame.to_source.middles(rect)
        (x0, y0), (x1, y1) = _in_px((self.start, self.end), ground.size)
        length = max((x1 - x0) ** 2 + (y1 - y0) ** 2, 1e-12)
        way = np.clip(((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / length, 0, 1)
        return (1 - way * way * (3 - 2 * way)).astype(np.float32)

    def as_json(self) -> dict[str, Any]:
        return {"shape": "linear-gradient", "start": list(self.start), "end": list(self.end)}


@dataclass(frozen=True)
class Oval:
    """An ellipse, or a rectangle (``square``), upright in the source: whole within, and soft outwards.

    ``feather`` is the width of the soft rim, as a share of the half sides; the rim ends at the shape's edge.
    """

    start: Point
    end: Point
    feather: float = 0.3
    square: bool = False

    def __post_init__(self) -> None:
        if self.start[0] == self.end[0] or self.start[1] == self.end[1]:
            raise ValueError("an area without width or height is none")

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        x, y = frame.to_source.middles(rect)
        (x0, y0), (x1, y1) = _in_px((self.start, self.end), ground.size)
        right, down = (x - (x0 + x1) / 2) / (abs(x1 - x0) / 2), (y - (y0 + y1) / 2) / (abs(y1 - y0) / 2)
        far = np.maximum(np.abs(right), np.abs(down)) if self.square else np.hypot(right, down)
        return eased((1 - far) / max(self.feather, 1e-3))

    def as_json(self) -> dict[str, Any]:
        kind = "rectangle" if self.square else "ellipse"
        return {"shape": kind, "start": list(self.start), "end": list(self.end), "feather": self.feather}


@dataclass(frozen=True)
class Lasso:
    """An outline drawn by hand; ``feather`` is the width of the soft rim, as a share of the source's longer side."""

    points: tuple[Point, ...]
    feather: float = 0.01

    def __post_init__(self) -> None:
        if len(self.points) < LEAST_CORNERS:
            raise ValueError("an outline has at least three points")

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        small = ground.found(("lasso", self.points, self.feather), self._drawn)
        return in_frame(lambda part: enlarged(small, ground.size, part), frame, ground.size, rect)

    def _drawn(self, ground: Ground) -> Array:
        """Of the whole source, large enough for a line that was drawn by hand."""
        size = ground.origin.size
        share = min(1.0, DRAWN / max(size.width, size.height))
        width, height = max(1, round(size.width * share)), max(1, round(size.height * share))
        corners = np.array(self.points) * (width, height) - 0.5
        inside = np.zeros((height, width), np.uint8)
        cv2.fillPoly(inside, [np.rint(corners * SUBPIXEL).astype(np.int32)], 255, shift=FRACTION)
        soft = self.feather * max(width, height)
        if soft < 1:
            return np.asarray(inside / np.float32(255))
        padded = cv2.copyMakeBorder(inside, 1, 1, 1, 1, cv2.BORDER_REPLICATE)
        return eased(cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[1:-1, 1:-1] / np.float32(soft))

    def as_json(self) -> dict[str, Any]:
        return {"shape": "lasso", "points": [list(p) for p in self.points], "feather": self.feather}


LEAST_CORNERS = 3
DRAWN = 2048  # px of the longer side
FRACTION = 4  # bits of a coordinate below the pixel that OpenCV draws by
SUBPIXEL = 2**FRACTION


def _in_px(points: tuple[Point, ...], size: Size) -> list[Point]:
    return [(x * size.width, y * size.height) for x, y in points]
