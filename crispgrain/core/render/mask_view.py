"""Where an operation shows: its mask over the result, as grey, or as an outline."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from enum import Enum

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.cancel import NEVER, CancelToken
from crispgrain.geometry import Rect, tile_rect

from ..colour import icc, oklab
from ..colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from ..masks import Ground, Mask
from .views import InResult, shrunk

Colour = tuple[int, int, int]
COLOURS: dict[str, Colour] = {
    "red": (235, 40, 60), "green": (30, 170, 60), "blue": (30, 110, 255), "magenta": (220, 60, 220),
    "orange": (240, 150, 0),
}  # fmt: skip
STRENGTH = 0.55  # of the colour where the mask is whole
RIM = 2  # px of the screen on each side of an outline


class Shown(Enum):
    """How a mask is shown."""

    COLOUR = "colour"
    GREY = "grey"
    OUTLINE = "outline"


@dataclass(frozen=True)
class MaskView(InResult):
    """A mask in the pixels of a result."""

    mask: Mask
    shown: Shown = Shown.COLOUR
    colour: Colour | None = None  # that which the picture has least of, if none is given

    @property
    def key(self) -> Hashable:
        return ("mask", self.pipeline.steps[-1].key, self.mask, self.shown, self.colour)

    def values(self, rect: Rect) -> Array:
        return self.mask.values(self.pipeline.steps[-1].after, self.pipeline.ground, rect)

    def display(self, row: int, column: int, level: int = 0, cancel: CancelToken = NEVER) -> NDArray[np.uint8]:
        rect = tile_rect(row, column, self.tile, self.size)
        share = shrunk(self.values(rect), level)[..., None]
        if self.shown is Shown.GREY:
            return np.repeat(np.rint(share * 255).astype(np.uint8), 3, axis=2)
        pixels = self.pipeline.tile_pixels(row, column, len(self.pipeline.steps), cancel)
        under = icc.from_working(shrunk(pixels, level), icc.profile("srgb"), 8)
        colour = np.array(self.colour or self._contrasting(), np.float32)
        if self.shown is Shown.OUTLINE:
            share = _rim(self.values(rect), level)[..., None]
            return np.where(share, colour.astype(np.uint8), under)
        mixed = under + (colour - under) * (share * np.float32(STRENGTH))
        return np.rint(mixed).astype(np.uint8)

    def _contrasting(self) -> Colour:
        """Of a few strong colours that which is farthest from most of the picture's."""
        found = self.pipeline.ground.found("contrast", _contrast)
        return list(COLOURS.values())[int(found)]

    def reduced(self, factor: int) -> MaskView:
        return MaskView(self.pipeline.reduced(factor), self.mask, self.shown, self.colour)


def _contrast(ground: Ground) -> Array:
    picture = oklab.from_working(apply_matrix(srgb_decode(ground.small[::8, ::8]), SRGB_TO_WORKING)).reshape(-1, 3)
    colours = np.array(list(COLOURS.values()), np.float32).reshape(1, -1, 3) / 255
    strong = oklab.from_working(apply_matrix(srgb_decode(colours), SRGB_TO_WORKING))[0]
    far = np.linalg.norm((picture[:, None] - strong[None])[..., 1:], axis=2)
    return np.array(int(np.argmax(np.quantile(far, 0.1, axis=0))))


def _rim(values: Array, level: int) -> NDArray[np.bool_]:
    """Where a mask passes one half, wide enough to be seen at a level."""
    inside = (shrunk(values, level) > 0.5).astype(np.uint8)
    kernel = np.ones((2 * RIM - 1, 2 * RIM - 1), np.uint8)
    return cv2.dilate(inside, kernel) != cv2.erode(inside, kernel)
