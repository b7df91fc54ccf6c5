"""A colour made stronger or lighter by dragging on it."""

from __future__ import annotations

from ...model import Drawn, Shape, Tool, Values
from .lighting import PARAMETERS

ALONG, UP = 200.0, 4.0  # % of strength for the picture's width, and stops for its height


def _dragged(drawn: Drawn) -> Values:
    """Along the picture to the right stronger colours, upwards lighter ones, from where they are now."""
    (left, from_), (right, to) = drawn.points
    size = drawn.source.size
    strength = float(drawn.values["colour"]) + ALONG * (right - left) / size.width
    stops = float(drawn.values["exposure"]) + UP * (from_ - to) / size.height
    return {"colour": _within("colour", strength), "exposure": _within("exposure", stops)}


def _within(name: str, value: float) -> float:
    parameter = next(p for p in PARAMETERS if p.id == name)
    snapped = round(value / parameter.step) * parameter.step
    return round(min(max(snapped, parameter.minimum), parameter.maximum), 3)


DRAG = Tool(
    "Drag …", "Drag from a colour: right for stronger, left for paler, up for lighter. Esc leaves it.", "dragged",
    Shape.LINE, _dragged,
)  # fmt: skip
