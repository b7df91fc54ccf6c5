"""Turning a view of a picture all round on the picture itself."""

from __future__ import annotations

from ...model import Drawn, Shape, Tool, Values
from . import view_shape


def _at(drawn: Drawn, number: int) -> tuple[float, float]:
    """Degrees to the right of the middle of the picture all round and above the horizon, of a point."""
    (x, y), size = drawn.points[number], drawn.source.size
    return 360 * (x / size.width - 0.5), 180 * (0.5 - y / size.height)


def _facing(direction: float, pitch: float) -> Values:
    return {"direction": round((direction + 180) % 360 - 180, 1), "pitch": round(min(max(pitch, -90.0), 90.0), 1)}


def _look(drawn: Drawn) -> Values:
    return _facing(*_at(drawn, -1))


def _turn(drawn: Drawn) -> Values:
    """What was at the first point comes to where the last one was."""
    (from_x, from_y), (to_x, to_y) = _at(drawn, 0), _at(drawn, -1)
    direction, pitch = float(drawn.values["direction"]), float(drawn.values["pitch"])
    return _facing(direction + from_x - to_x, pitch + from_y - to_y)


LOOK = Tool(
    "Look there …", "Click what is to be in the middle of the view. Esc leaves it.", "direction", Shape.PATH, _look
)
TURN = Tool(
    "Turn …", "Drag what you see to where it is to be. Esc ends it.", "turned", Shape.LINE, _turn, again=True,
    live=view_shape.at_once,
)  # fmt: skip
