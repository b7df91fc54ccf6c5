"""View: what one sees of a picture all round in a direction, flat, or the whole of it as a little planet."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.resample import LANCZOS_LOBES, warp

from ...colour.spaces import srgb_decode, srgb_encode
from ...frame import Frame
from ...model import Context, Drawn, Model, Parameter, Role, Shape, Stage, Tool, Values
from ...sphere import Projection, Sphere
from ...transform import Transform
from .reshape import reshaped

FLAT, PLANET, TUNNEL = "flat", "planet", "tunnel"
SHAPES = {"3:2": 3 / 2, "4:3": 4 / 3, "1:1": 1.0, "16:9": 16 / 9, "3:4": 3 / 4, "2:3": 2 / 3, "9:16": 9 / 16}
LARGEST = 0.5  # of the width of the picture all round: more pixels are not in it


def _flat(values: Values) -> bool:
    return values["seen"] == FLAT


PARAMETERS = (
    Parameter("seen", "Seen as", "A flat view keeps straight lines. A little planet has the ground in its middle and "
              "the sky around, inside out it is the other way round.", FLAT, choices=(FLAT, PLANET, TUNNEL),
              labels=("a flat view", "a little planet", "a planet inside out"), per_shot=True),
    Parameter("direction", "Direction", "To the right of the middle of the picture all round.", 0.0, -180, 180, 0.5,
              "°", per_shot=True),
    Parameter("pitch", "Upwards", "Above the horizon; below it is less than nothing.", 0.0, -90, 90, 0.5, "°",
              per_shot=True, matters=_flat),
    Parameter("roll", "Tilted", "Turned clockwise about the middle of the view.", 0.0, -180, 180, 0.5, "°",
              per_shot=True, matters=_flat),
    Parameter("field", "Angle of view", "From the left edge to the right.", 90.0, 20, 150, 1, "°", per_shot=True,
              matters=_flat),
    Parameter("round", "Angle of view", "From edge to edge; all round would be 360°.", 280.0, 120, 340, 1, "°",
              per_shot=True, matters=lambda values: not _flat(values)),
    Parameter("shape", "Shape", "Width to height.", "3:2", choices=tuple(SHAPES), per_shot=True),
)  # fmt: skip


def sphere_of(whole: Size, values: Values) -> Sphere:
    """The view that is asked for, with as many pixels as the picture all round has there."""
    flat, ratio = _flat(values), SHAPES[str(values["shape"])]
    field = float(values["field"] if flat else values["round"])
    half = math.radians(field) / 2
    natural = whole.width / math.pi * (math.tan(half) if flat else 2 * math.tan(half / 2))
    width = max(1, round(min(natural, LARGEST * whole.width)))
    view = Size(max(1, round(width / ratio)), width)
    pitch = float(values["pitch"]) if flat else -90.0 if values["seen"] == PLANET else 90.0
    roll = float(values["roll"]) if flat else 0.0
    projection = Projection.FLAT if flat else Projection.ROUND
    return Sphere(whole, view, projection, float(values["direction"]), pitch, roll, field)


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
)  # fmt: skip


def after(frame: Frame, values: Values) -> Frame:
    if not frame.wraps or frame.to_source.lens is not None:
        return frame
    sphere = sphere_of(frame.size, values)
    seen = replace(frame, size=sphere.view, to_source=frame.to_source.after(Transform(lens=sphere)), wraps=False)
    return replace(seen, softness=frame.softness * frame.stretch / seen.stretch)


def run(pixels: Array, values: Values, context: Context) -> Array:
    return reshaped(pixels, context)


def of_whole(picture: Array, values: Values) -> Array:
    """What is seen of a small picture all round."""
    sphere = sphere_of(Size(*picture.shape[:2]), values)
    rows, columns = np.mgrid[: sphere.view.height, : sphere.view.width] + 0.5
    x, y = sphere(columns, rows)
    thrice = np.concatenate([picture] * 3, axis=1)  # what lies beyond its side edges
    return srgb_decode(warp(srgb_encode(thrice), y, x + picture.shape[1]))


def summary(model: Model, values: Values, size: Size) -> str:
    if not _flat(values):
        return "little planet" if values["seen"] == PLANET else "inside out"
    return f"view of {float(values['field']):.0f}°"


MODEL = Model(
    Stage.DEVELOP, "view", "View of it", "One direction of a picture all round, or a little planet.",
    PARAMETERS, run, lambda values, context: LANCZOS_LOBES + 2, after=after, roles=(Role.SHAPE,), summary=summary,
    tools=(LOOK, TURN), all_round=True,
)  # fmt: skip
