"""Masks: grey maps that limit an operation to part of a picture, as shapes in the source's coordinates."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

from .errors import TreatmentError
from .frame import Frame

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

    def values(self, frame: Frame, source: Size, rect: Rect) -> Array:
        """The mask in a rectangle of a frame: height x width, 0 to 1, just 0 and 1 beyond the points."""
        x, y = frame.to_source.middles(rect)
        (x0, y0), (x1, y1) = ((px * source.width, py * source.height) for px, py in (self.start, self.end))
        length = max((x1 - x0) ** 2 + (y1 - y0) ** 2, 1e-12)
        way = np.clip(((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / length, 0, 1)
        return (1 - way * way * (3 - 2 * way)).astype(np.float32)

    def as_json(self) -> dict[str, Any]:
        return {"shape": "linear-gradient", "start": list(self.start), "end": list(self.end)}


Mask = LinearGradient

POINT = {"type": "array", "items": {"type": "number", "minimum": -1, "maximum": 2}, "minItems": 2, "maxItems": 2}
SCHEMA: dict[str, Any] = {
    "description": "Points are shares of the source's width and height.",
    "oneOf": [
        {
            "type": "object",
            "properties": {"shape": {"const": "linear-gradient"}, "start": POINT, "end": POINT},
            "required": ["shape", "start", "end"],
            "additionalProperties": False,
        }
    ],
}


def mask_from_json(data: dict[str, Any]) -> Mask:
    """A mask that follows the schema.

    Raises
    ------
    TreatmentError
        If its points are one.
    """
    start, end = ((float(x), float(y)) for x, y in (data["start"], data["end"]))
    try:
        return LinearGradient(start, end)
    except ValueError as error:
        raise TreatmentError(f"not a treatment: {error}") from None


def blended(without: Array, changed: Array, mask: Array) -> Array:
    """``without`` where the mask (H x W) is 0, ``changed`` where it is 1, to the last bit; mixed in between."""
    share = mask[..., None] if without.ndim == 3 else mask
    return without * (1 - share) + changed * share
