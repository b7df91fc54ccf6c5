"""Masks that follow what the picture shows: by range, or found in the whole of it; refined along edges."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration.guided import guided_coefficients

from ..frame import Frame
from .ground import Ground
from .maps import MAPS
from .placing import eased, enlarged, in_frame

RADIUS, EPSILON = 6, 4e-4  # px of the small picture, and variance of encoded luma, of the filter along edges
EDGE = 0.02  # of a mask: less is nothing, more than the rest is all


class Kind(StrEnum):
    """What is looked for."""

    IN_FOCUS = "in-focus"
    SUBJECT = "subject"
    BACKGROUND = "background"
    SKY = "sky"
    FACES = "faces"
    EYES = "eyes"
    SKIN = "skin"
    LIGHT = "light"
    COLOUR = "colour"
    DETAIL = "detail"
    NOISE = "noise"

    @property
    def label(self) -> str:
        return self.value.replace("-", " ").capitalize()


@dataclass(frozen=True)
class Found:
    """Where the picture shows something.

    Attributes
    ----------
    sensitivity : float
        0 to 100; 50 takes what is as likely as not.
    softness : float
        0 to 100: from a hard edge to all shades.
    low, high : float
        Of a range (light, detail, noise): what is within, 0 to 1.
    colour : r, g, b
        Of a range of colour, encoded sRGB, 0 to 1; ``high`` is how far others may be.
    """

    kind: Kind
    sensitivity: float = 50.0
    softness: float = 30.0
    low: float = 0.0
    high: float = 1.0
    colour: tuple[float, float, float] = (0.5, 0.5, 0.5)

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        return in_frame(lambda part: self._of_source(ground, part), frame, ground.size, rect)

    def _of_source(self, ground: Ground, rect: Rect) -> Array:
        limits = (self.low, self.high, self.colour) if self.kind in RANGES else ()
        both = ground.found((self.kind, limits, "refined"), self._coefficients)
        likely = enlarged(both[0], ground.size, rect) * ground.luma(rect) + enlarged(both[1], ground.size, rect)
        width = 0.02 + self.softness / 100
        mask = eased((likely - (1 - self.sensitivity / 100)) / np.float32(width) + np.float32(0.5))
        return np.where(mask < EDGE, 0, np.where(mask > 1 - EDGE, 1, mask)).astype(np.float32)

    def _coefficients(self, ground: Ground) -> Array:
        return ground.joined(self._followed)

    def _followed(self, ground: Ground) -> Array:
        likely = MAPS[self.kind.value](ground, self.low, self.high, self.colour)
        return np.stack(guided_coefficients(ground.small_luma(), likely, RADIUS, EPSILON))

    def as_json(self) -> dict[str, Any]:
        ranged = {"low": self.low, "high": self.high} if self.kind in RANGES else {}
        coloured = {"colour": list(self.colour)} if self.kind is Kind.COLOUR else {}
        return {
            "shape": self.kind.value, "sensitivity": self.sensitivity, "softness": self.softness, **ranged, **coloured,
        }  # fmt: skip


RANGES = (Kind.LIGHT, Kind.COLOUR, Kind.DETAIL, Kind.NOISE)
