"""Crop and straighten: which part of the source is wanted, and how it is turned."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.resample import LANCZOS_LOBES, warp

from ...colour.spaces import srgb_decode, srgb_encode
from ...frame import Frame
from ...meter.reading import Noise
from ...model import Drawn, Knowledge, Model, Parameter, Role, Shape, Stage, Tool, ToolError, Values
from ...transform import Transform

EDGES = (
    Parameter("left", "Left", "Where the picture begins, as a share of the source's width.", 0.0, 0, 100, 0.1, "%",
              per_shot=True),
    Parameter("top", "Top", "Where the picture begins, as a share of the source's height.", 0.0, 0, 100, 0.1, "%",
              per_shot=True),
    Parameter("right", "Right", "Where the picture ends, as a share of the source's width.", 100.0, 0, 100, 0.1, "%",
              per_shot=True),
    Parameter("bottom", "Bottom", "Where the picture ends, as a share of the source's height.", 100.0, 0, 100, 0.1,
              "%", per_shot=True),
)  # fmt: skip
ANGLE = Parameter(
    "angle", "Straighten", "By how much the picture is turned clockwise. What would be empty is cut off.", 0.0, -45, 45,
    0.05, "°", per_shot=True,
)  # fmt: skip


LEAST = 4  # px of the source


def cut(values: Values, size: Size) -> tuple[float, float, float, float]:
    """Left, top, right and bottom in px of the turned source: the wish, made smaller until nothing is empty in it.

    The source (of a size) is turned about its middle; the wish shrinks about its own.
    """
    left, right = sorted(float(values[k]) / 100 * size.width for k in ("left", "right"))
    top, bottom = sorted(float(values[k]) / 100 * size.height for k in ("top", "bottom"))
    angle = float(values["angle"])
    if not angle:
        return left, top, right, bottom
    c, s = abs(math.cos(math.radians(angle))), abs(math.sin(math.radians(angle)))
    back = Transform.turn(-angle, size.width / 2, size.height / 2)
    x, y = (float(v) for v in back(np.array((left + right) / 2), np.array((top + bottom) / 2)))
    half_x, half_y = (right - left) / 2, (bottom - top) / 2
    # How far the corners reach in the source's own directions, and how much room there is.
    reach_x, reach_y = half_x * c + half_y * s, half_x * s + half_y * c
    room_x, room_y = min(x, size.width - x), min(y, size.height - y)
    share = min(1.0, max(room_x, 0) / max(reach_x, 1e-9), max(room_y, 0) / max(reach_y, 1e-9))
    middle_x, middle_y = (left + right) / 2, (top + bottom) / 2
    return (
        middle_x - share * half_x, middle_y - share * half_y, middle_x + share * half_x, middle_y + share * half_y
    )  # fmt: skip


def after(frame: Frame, values: Values) -> Frame:
    """The frame of what is left. Cut to whole pixels; without turning, they are the very pixels of before."""
    size, angle = frame.size, float(values["angle"])
    left, top, right, bottom = cut(values, size)
    x, y = min(round(left), size.width - 1), min(round(top), size.height - 1)
    width, height = max(1, round(right) - x), max(1, round(bottom) - y)
    if angle:  # rounded inwards: no empty corner
        x, y = math.ceil(left - 1e-6), math.ceil(top - 1e-6)
        width, height = max(1, math.floor(right + 1e-6) - x), max(1, math.floor(bottom + 1e-6) - y)
    moved = Transform.shift(x, y)
    back = Transform.turn(-angle, size.width / 2, size.height / 2).after(moved) if angle else moved
    whole = (x, y, width, height, angle) == (0, 0, size.width, size.height, 0)
    to_source = frame.to_source.after(back)
    return replace(frame, size=Size(height, width), to_source=to_source, wraps=frame.wraps and whole)


def _of_rectangle(drawn: Drawn) -> Values:
    """The wish is kept in the source as it is turned now."""
    size = drawn.source.size
    turned = Transform.turn(float(drawn.values["angle"]), size.width / 2, size.height / 2)
    x, y = turned(*np.array(drawn.points).T)
    if min(x.max() - x.min(), y.max() - y.min()) < LEAST:
        raise ToolError(f"A crop has at least {LEAST} pixels each way.")
    shares = x.min() / size.width, y.min() / size.height, x.max() / size.width, y.max() / size.height
    return {p.id: min(max(100 * float(share), 0.0), 100.0) for p, share in zip(EDGES, shares, strict=True)}


def _of_line(drawn: Drawn) -> Values:
    """What is nearer to upright is to be upright."""
    (x1, y1), (x2, y2) = drawn.points
    slant = -math.degrees(math.atan2(y2 - y1, x2 - x1))
    return {"angle": (slant + 45) % 90 - 45}


CROP = Tool(
    "Draw crop …", "Drag a rectangle over what is to stay. Esc leaves it.", "crop drawn", Shape.RECTANGLE,
    _of_rectangle,
)  # fmt: skip
LEVEL = Tool(
    "Level line …", "Draw along something that is to be level or upright. Esc leaves it.", "straightened", Shape.LINE,
    _of_line,
)  # fmt: skip


def run(pixels: Array, values: Values, knowledge: Knowledge) -> Array:
    """Turn by one Lanczos resampling of encoded values; called for other than whole steps only."""
    to_before = knowledge.before.to_source.inverse.after(knowledge.after.to_source)
    return turned(pixels, to_before, knowledge.rect, knowledge.wanted)


def turned(pixels: Array, to_before: Transform, rect: Rect, wanted: Rect) -> Array:
    """What a transform brings to the ``wanted`` pixels from those that lie in ``rect``."""
    x, y = to_before.middles(wanted)
    return srgb_decode(warp(srgb_encode(pixels), y - rect.top, x - rect.left))


def of_whole(picture: Array, values: Values) -> Array:
    """A small picture of the whole source, cropped and straightened."""
    before = Frame(Size(*picture.shape[:2]), Noise())
    frame = after(before, values)
    if not float(values["angle"]):
        ((_, _, x), (_, _, y), _) = frame.to_source.rows
        return picture[Rect(int(y), int(x), frame.size.height, frame.size.width).slices]
    return turned(picture, frame.to_source, before.size.rect, frame.size.rect)


MODEL = Model(
    Stage.DEVELOP, "crop", "Crop", "Which part of the picture is wanted, and how it is turned.",
    (*EDGES, ANGLE), run, lambda values, knowledge: LANCZOS_LOBES + 1, after=after, roles=(Role.SHAPE,),
    summary=lambda model, values, size: "cropped", tools=(CROP, LEVEL),
)  # fmt: skip
