"""Undoing even motion: every point became a line."""

from __future__ import annotations

import math

from crispgrain.arrays import Array
from crispgrain.restoration.point_spread import line

from ...model import Context, Drawn, Model, Parameter, Shape, Stage, Tool, Values
from . import undo, words

LEAST = 1.0  # px


def _of_line(drawn: Drawn) -> Values:
    (x1, y1), (x2, y2) = drawn.points
    length, angle = math.hypot(x2 - x1, y2 - y1), math.degrees(math.atan2(y1 - y2, x2 - x1)) % 180
    return {"length": round(length * 2) / 2, "angle": round(angle) % 180}


DRAW = Tool(
    "Draw the movement …", "Draw along the streak that one point of light became, from end to end.", "movement drawn",
    Shape.LINE, _of_line,
)  # fmt: skip


def run(pixels: Array, values: Values, context: Context) -> Array:
    length = float(values["length"])
    if length < LEAST:
        return pixels
    return undo.undo(pixels, line(length, float(values["angle"])), values, context)


MODEL = Model(
    Stage.SHARPEN, "motion", "Motion", "Undoes an even movement of camera or subject, where a point became a line.",
    (
        Parameter("length", "Length", "Of the line that a point became. It can be drawn on the picture.", 8.0, 0, 60,
                  0.5, "px", metered=lambda reading: reading.blur.line_length, per_shot=True),
        Parameter("angle", "Angle", "Of that line, counter-clockwise from the horizontal.", 0.0, 0, 180, 1, "°",
                  metered=lambda reading: reading.blur.line_angle, per_shot=True),
        *undo.SHARED,
    ),
    run, lambda values, context: undo.margin(math.ceil(float(values["length"]) / 2) + 1),
    tile=lambda values: undo.TILE, same_tiles=True, suits=lambda reading: reading.blur.kind == "motion",
    summary=words.with_line, strength="strength", after=undo.after, tools=(DRAW,),
)  # fmt: skip
