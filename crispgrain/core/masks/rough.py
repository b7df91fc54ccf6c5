"""Rough strokes over what to keep and what to drop, solved to an edge; one dab is a click on an object."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.guided import guided_coefficients

from ..frame import Frame
from .found import EDGE, EPSILON, RADIUS
from .ground import Ground
from .maps import cut
from .placing import eased, enlarged, in_frame
from .strokes import Brush, Stroke

AROUND = 0.25  # of the longer side: how far from what is kept an object may reach unless strokes say more


@dataclass(frozen=True)
class Rough:
    """Strokes in keep, strokes ``out`` drop; all else is unsure, and settled by colour and edges (GrabCut)."""

    strokes: tuple[Stroke, ...] = ()
    softness: float = 10.0

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        return in_frame(lambda part: self._of_source(ground, part), frame, ground.size, rect)

    def _of_source(self, ground: Ground, rect: Rect) -> Array:
        both = ground.found(("rough", self.strokes), self._coefficients)
        likely = enlarged(both[0], ground.size, rect) * ground.luma(rect) + enlarged(both[1], ground.size, rect)
        mask = eased((likely - 0.5) / np.float32(0.02 + self.softness / 100) + np.float32(0.5))
        return np.where(mask < EDGE, 0, np.where(mask > 1 - EDGE, 1, mask)).astype(np.float32)

    def _coefficients(self, ground: Ground) -> Array:
        likely = cut(ground.small, ground.small_luma(), self._labels)
        return np.stack(guided_coefficients(ground.small_luma(), likely, RADIUS, EPSILON))

    def _labels(self, small: Array) -> NDArray[np.uint8]:
        size = Size(*small.shape)
        kept, dropped = (
            Brush(tuple(s for s in self._whole_strokes() if s.out is out)).of_source(size, size.rect) > 0.5
            for out in (False, True)
        )
        labels = np.full(kept.shape, cv2.GC_PR_BGD, np.uint8)
        if kept.any():
            longer = max(size.width, size.height)
            far = cv2.distanceTransform((~kept).astype(np.uint8), cv2.DIST_L2, 5)
            labels[far < AROUND * longer / 2] = cv2.GC_PR_FGD
            if not dropped.any():  # a click: what is far off is something else
                labels[far > AROUND * longer] = cv2.GC_BGD
        labels[dropped] = cv2.GC_BGD
        labels[kept] = cv2.GC_FGD
        return labels

    def _whole_strokes(self) -> list[Stroke]:
        return [Stroke(s.points, s.radius, 0.0, 1.0, s.out) for s in self.strokes]

    def painted(self, stroke: Stroke) -> Rough:
        return Rough((*self.strokes, stroke), self.softness)

    def as_json(self) -> dict[str, Any]:
        return {"shape": "rough", "strokes": [s.as_json() for s in self.strokes], "softness": self.softness}
