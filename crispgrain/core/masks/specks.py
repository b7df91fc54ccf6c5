"""Dust and scratches of a scan: what is much lighter or darker than around it, small or a thin line, and by itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect

from ..frame import Frame
from .ground import Ground
from .placing import in_frame

CALM = 2.5  # 8-bit steps of unrest that even a smooth scan has
FIRST, KEPT = 3.0, 12.0  # times the unrest around: where something is looked at, and steps of a score that is kept
CROWDED = 12.0  # how much a spot counts less for what else there is around it: there it is a pattern
SHORT, LONG, THIN = 2.0, 20, 10.0  # of the size, px, and length for each px of width: specks and lines
EXACTING, EASY = 6.0, 3.0  # scores asked for at sensitivity 0 and 100
GROWN = 2  # px around what was found: its edge is soft
BAND = 1024  # rows looked at at a time


@dataclass(frozen=True)
class Specks:
    """Where there is dust or a scratch.

    Attributes
    ----------
    sensitivity : float
        0 to 100; higher finds what stands out less.
    largest : float
        Width of what is still taken for dust, as a share of the picture's longer side.
    """

    sensitivity: float = 50.0
    largest: float = 0.004

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        return in_frame(lambda part: self._of_source(ground, part), frame, ground.size, rect)

    def _of_source(self, ground: Ground, rect: Rect) -> Array:
        origin, size = ground.origin.size, ground.size
        scores = ground.found(("specks", self.largest), lambda g: specks(_luma(g), self._side(g)))
        wanted = KEPT * EXACTING * (EASY / EXACTING) ** (self.sensitivity / 100)
        scale = origin.width / size.width
        far = GROWN + 2
        there = Rect.between(
            int(rect.top * scale) - far, int(rect.left * scale) - far, int(np.ceil(rect.bottom * scale)) + far,
            int(np.ceil(rect.right * scale)) + far,
        )  # fmt: skip
        part = there.intersect(origin.rect)
        found = (scores[part.slices] >= wanted).astype(np.uint8)
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * GROWN + 1, 2 * GROWN + 1))
        grown = cv2.GaussianBlur(cv2.dilate(found, kernel).astype(np.float32), (5, 5), 0.8)
        if scale == 1:
            return grown[rect.within(part).slices]
        y = ((np.arange(rect.top, rect.bottom) + 0.5) * scale - part.top).astype(int).clip(0, part.height - 1)
        x = ((np.arange(rect.left, rect.right) + 0.5) * scale - part.left).astype(int).clip(0, part.width - 1)
        return grown[y][:, x]

    def _side(self, ground: Ground) -> int:
        """Of the window that is compared with, in px: odd, and wider than what is looked for."""
        size = ground.origin.size
        return 2 * max(4, round(self.largest * max(size.width, size.height))) + 1

    def as_json(self) -> dict[str, Any]:
        return {"shape": "dust", "sensitivity": self.sensitivity, "largest": self.largest}


def _luma(ground: Ground) -> NDArray[np.uint8]:
    """Of the whole shot, 8 bits."""
    whole, size = Ground(ground.origin, ground.origin, ground.remembered), ground.origin.size
    rows = [
        np.rint(255 * whole.luma(Rect.between(top, 0, min(top + BAND, size.height), size.width))).astype(np.uint8)
        for top in range(0, size.height, BAND)
    ]
    return np.concatenate(rows)


def specks(luma: NDArray[np.uint8], side: int) -> NDArray[np.uint8]:
    """How much places look like dust or a scratch: 12 times a score, of 8-bit luma (H x W), for a window of a side.

    A speck or a line is far from the median around it, more than the picture mostly is there; what has much else of
    that kind around it is a pattern or an edge.
    """
    smooth = cv2.GaussianBlur(luma, (0, 0), 0.7)
    away = smooth.astype(np.int16) - cv2.medianBlur(smooth, side)
    size = np.abs(away).astype(np.uint8)
    unrest = cv2.GaussianBlur(cv2.medianBlur(size, 2 * side + 1).astype(np.float32), (0, 0), side / 2)
    stands_out = size / (1.5 * unrest + CALM)
    crowd = cv2.boxFilter((stands_out > 0.6 * (FIRST + 1)).astype(np.float32), -1, (4 * side + 1, 4 * side + 1))
    out = np.zeros(luma.shape, np.uint8)
    for sign in (1, -1):
        strength = np.where(sign * away > 0, stands_out, 0)
        found = cv2.morphologyEx((strength > FIRST).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
        count, labels, stats, _ = cv2.connectedComponentsWithStats(found, connectivity=8)
        area = np.maximum(stats[:, cv2.CC_STAT_AREA].astype(np.float32), 1)
        length = np.hypot(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT])
        width = area / length
        shaped = (length <= SHORT * side) | ((length >= LONG) & (length >= THIN * width) & (width <= side / 2))
        mean = np.bincount(labels.ravel(), strength.ravel(), count) / area
        others = np.bincount(labels.ravel(), crowd.ravel(), count) / area - np.minimum(area / (4 * side + 1) ** 2, 0.3)
        score = mean / (1 + CROWDED * np.maximum(others, 0)) * shaped * (area >= 2)
        score[0] = 0
        out = np.maximum(out, np.clip(KEPT * score, 0, 255).astype(np.uint8)[labels])
    return out
