"""What a crop leaves of a picture that is turned."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from crispgrain.geometry import Size

from ...frame import Frame
from ...model import Values
from ...transform import Transform


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
