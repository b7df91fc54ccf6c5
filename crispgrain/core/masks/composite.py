"""Masks put together from others: added, taken away, limited to, turned round, grown and made soft."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any, Protocol, runtime_checkable

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

from ..frame import Frame
from ..meter.reading import Noise
from .ground import LONGEST, Ground
from .placing import eased, enlarged, in_frame


@runtime_checkable
class Shape(Protocol):
    """A grey map over a picture: 0 where nothing is done, 1 where all is."""

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        """In a rectangle of a frame: height x width, 0 to 1."""
        ...

    def as_json(self) -> dict[str, Any]: ...


class How(StrEnum):
    """What a part does to those before it."""

    ADD = "add"
    SUBTRACT = "subtract"
    INTERSECT = "intersect"


@dataclass(frozen=True)
class Part:
    shape: Shape
    how: How = How.ADD
    inverted: bool = False


@dataclass(frozen=True)
class Composite:
    """Parts, each working on what those before it made; then grown, made soft and turned round.

    ``grow`` (below 0: shrink) and ``feather`` are shares of the picture's longer side.
    """

    parts: tuple[Part, ...] = ()
    inverted: bool = False
    grow: float = 0.0
    feather: float = 0.0

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        if not self.grow and not self.feather:
            mask = self._combined(frame, ground, rect)
        else:
            size = ground.size

            def of_source(part: Rect) -> Array:
                return enlarged(ground.found(self._shaped(), self._changed), size, part)

            mask = np.clip(in_frame(of_source, frame, size, rect), 0, 1)
        return 1 - mask if self.inverted else mask

    def _shaped(self) -> Composite:
        return replace(self, inverted=False)

    def _combined(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        mask = np.zeros((rect.height, rect.width), np.float32)
        for part in self.parts:
            own = part.shape.values(frame, ground, rect)
            own = 1 - own if part.inverted else own
            if part.how is How.ADD:
                mask = mask + own - mask * own
            elif part.how is How.SUBTRACT:
                mask = mask * (1 - own)
            else:
                mask = mask * own
        return mask

    def _changed(self, ground: Ground) -> Array:
        """Grown and soft, of the whole picture at the size of the small one: what is soft has no fine detail."""
        size = ground.origin.size
        share = min(1.0, LONGEST / max(size.width, size.height))
        small = Size(max(1, round(size.height * share)), max(1, round(size.width * share)))
        frame = Frame(size, Noise()).sized(small)
        mask = self._combined(frame, Ground(ground.origin, ground.origin, ground.remembered), small.rect)
        longer = max(small.width, small.height)
        if self.grow:
            inside = (mask > 0.5).astype(np.uint8)
            rim = cv2.distanceTransform(inside, cv2.DIST_L2, 5) - cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
            mask = eased((rim + np.float32(self.grow * longer)) / 2 + np.float32(0.5))
        if self.feather:
            sigma = self.feather * longer / 2
            mask = cv2.GaussianBlur(mask, (0, 0), max(sigma, 0.3), borderType=cv2.BORDER_REPLICATE)
        return np.where(mask < EDGE, 0, np.where(mask > 1 - EDGE, 1, mask)).astype(np.float32)

    def as_json(self) -> dict[str, Any]:
        parts = [
            {**p.shape.as_json(), **({"how": p.how.value} if p.how is not How.ADD else {}),
             **({"inverted": True} if p.inverted else {})}
            for p in self.parts
        ]  # fmt: skip
        rest = {"inverted": self.inverted, "grow": self.grow, "feather": self.feather}
        return {"shape": "parts", "parts": parts, **{k: v for k, v in rest.items() if v}}


EDGE = 0.004  # of a mask: less is nothing
