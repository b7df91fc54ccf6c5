"""Masks put together from others: added, taken away, limited to, turned round, grown and made soft."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any, Protocol, runtime_checkable

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.guided import guided_coefficients
from crispgrain.restoration.matting import matted

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

    ``grow`` (below 0: shrink) and ``feather`` are shares of the picture's longer side. ``strength`` is how much is done
    where the mask is, and ``rest`` how much everywhere else, 0 to 1. ``hair`` is how far beyond the edge fine things
    are looked for that belong to it, as a share of the longer side.
    """

    parts: tuple[Part, ...] = ()
    inverted: bool = False
    grow: float = 0.0
    feather: float = 0.0
    strength: float = 1.0
    rest: float = 0.0
    hair: float = 0.0

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        if self.hair:
            mask = in_frame(lambda part: self._along_hair(ground, part), frame, ground.size, rect)
        elif not self.grow and not self.feather:
            mask = self._combined(frame, ground, rect)
        else:
            size = ground.size

            def of_source(part: Rect) -> Array:
                return enlarged(ground.found(self._shaped(), self._changed), size, part)

            mask = np.clip(in_frame(of_source, frame, size, rect), 0, 1)
        mask = 1 - mask if self.inverted else mask
        if (self.strength, self.rest) == (1, 0):
            return mask
        return np.float32(self.rest) + np.float32(self.strength - self.rest) * mask

    @property
    def shape_alone(self) -> Composite:
        """Where it is, all of it and nothing elsewhere."""
        return replace(self, strength=1.0, rest=0.0)

    def _shaped(self) -> Composite:
        return replace(self.shape_alone, inverted=False)

    def _along_hair(self, ground: Ground, rect: Rect) -> Array:
        """Of the small picture, its shares made to follow the full one's luma."""
        slope, offset = ground.found((self._shaped(), "hair"), self._matted)
        mask = enlarged(slope, ground.size, rect) * ground.luma(rect) + enlarged(offset, ground.size, rect)
        return np.where(mask < FAINT, 0, np.where(mask > 1 - FAINT, 1, mask)).astype(np.float32)

    def _matted(self, ground: Ground) -> Array:
        mask, picture = self._changed(ground), ground.small
        height, width = picture.shape[:2]
        mask = cv2.resize(mask, (width, height), interpolation=cv2.INTER_AREA)
        far = max(2, round(self.hair * max(height, width)))
        inside = cv2.erode((mask > 1 - SURE).astype(np.uint8), _disc(max(2, far // 4))) > 0
        outside = cv2.dilate((mask > SURE).astype(np.uint8), _disc(far)) == 0
        share = matted(picture, inside, outside, mask)
        return np.stack(guided_coefficients(ground.small_luma(), share, *FOLLOWS))

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
        more = {"inverted": self.inverted, "grow": self.grow, "feather": self.feather, "rest": self.rest,
                "hair": self.hair}  # fmt: skip
        weaker = {"strength": self.strength} if self.strength != 1 else {}
        return {"shape": "parts", "parts": parts, **{k: v for k, v in more.items() if v}, **weaker}


def _disc(radius: int) -> NDArray[np.uint8]:
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)).astype(np.uint8)


EDGE = 0.004  # of a mask: less is nothing
FAINT = 0.03  # the same, of one that follows a picture
SURE = 0.1  # of a mask: less is surely not the subject, but for hair, and more than the rest surely is
FOLLOWS = (2, 1e-5)  # px and variance of luma: how closely hair follows the full picture
