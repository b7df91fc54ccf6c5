"""What a damaged file has lost."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect

from ..frame import Frame
from .ground import Ground
from .placing import in_frame


@dataclass(frozen=True)
class Lost:
    """Where what stands in the picture is not the file's; nothing of a healthy one."""

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        return in_frame(lambda part: self._of_source(ground, part), frame, ground.size, rect)

    def _of_source(self, ground: Ground, rect: Rect) -> Array:
        lost, size = ground.origin.lost, ground.size
        if lost is None:
            return np.zeros((rect.height, rect.width), np.float32)
        if size == ground.origin.size:
            return lost[rect.slices].astype(np.float32)
        small = cv2.resize(lost.astype(np.float32), (size.width, size.height), interpolation=cv2.INTER_AREA)
        return np.asarray(small[rect.slices])

    def as_json(self) -> dict[str, Any]:
        return {"shape": "lost"}
