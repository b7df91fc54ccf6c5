"""What a crop leaves of a picture that is straightened, turned and mirrored."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from crispgrain.geometry import Size

from ...frame import Frame
from ...model import Values
from ...transform import Transform
from .perspective import correction, lines_from

FREE, AS_SHOT, OWN = "free", "as-shot", "own"
# Long to short side. ISO 216, clause 3: the sides of a sheet are to each other as a square's side to its diagonal.
RATIOS = {"1:1": 1.0, "4:5": 5 / 4, "5:7": 7 / 5, "2:3": 3 / 2, "3:4": 4 / 3, "16:9": 16 / 9, "iso-216": math.sqrt(2)}
AS_IT_IS, LANDSCAPE, PORTRAIT = "as-it-is", "landscape", "portrait"
QUARTERS = ("0", "90", "180", "270")  # degrees, clockwise


def ratio(values: Values, size: Size, width: float, height: float) -> float | None:
    """Width to height that a crop of these sides is to have, in a source of a size; None if it is free.

    The long side of the ratio lies along that of the crop, unless landscape or portrait is asked for (as it is seen,
    after quarter turns).
    """
    wish = str(values["ratio"])
    if wish == FREE:
        return None
    if wish == AS_SHOT:
        long = max(size.width, size.height) / min(size.width, size.height)
    else:
        long = float(values["aspect"]) if wish == OWN else RATIOS[wish]
    long, side = max(long, 1 / long), str(values["side"])
    wide = width >= height if side == AS_IT_IS else (side == LANDSCAPE) != _swaps(values)
    return long if wide else 1 / long


def cut(values: Values, size: Size) -> tuple[float, float, float, float]:
    """Left, top, right and bottom in px of the straightened source: the wish, made smaller until it will do.

    First to the ratio that is asked for, then until nothing is empty in it, each about its own middle; the source (of
    a size) is straightened about its own.
    """
    left, right = sorted(float(values[k]) / 100 * size.width for k in ("left", "right"))
    top, bottom = sorted(float(values[k]) / 100 * size.height for k in ("top", "bottom"))
    wanted = ratio(values, size, right - left, bottom - top)
    if wanted is not None:
        half_x, half_y = min(right - left, (bottom - top) * wanted) / 2, min(bottom - top, (right - left) / wanted) / 2
        x, y = (left + right) / 2, (top + bottom) / 2
        left, top, right, bottom = x - half_x, y - half_y, x + half_x, y + half_y
    angle, tilted = float(values["angle"]), perspective(values, size)
    if tilted.tilts:
        return _within(straightened(values, size), size, (left, top, right, bottom))
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


def perspective(values: Values, size: Size) -> Transform:
    """From the picture in corrected perspective to the source, of a size."""
    try:
        return correction(lines_from(str(values.get("lines", ""))), size)
    except ValueError:  # lines of another shape of picture, for instance: there is nothing to correct by them
        return Transform()


def straightened(values: Values, size: Size) -> Transform:
    """From the picture in corrected perspective and straightened to the source, of a size."""
    tilted, angle = perspective(values, size), float(values["angle"])
    return tilted.after(Transform.turn(-angle, size.width / 2, size.height / 2)) if angle else tilted


def _within(
    to_source: Transform, size: Size, sides: tuple[float, float, float, float]
) -> tuple[float, float, float, float]:
    """A crop made smaller about its middle until its corners lie in the source, to a thousandth of a pixel."""
    left, top, right, bottom = sides
    middle, half = ((left + right) / 2, (top + bottom) / 2), ((right - left) / 2, (bottom - top) / 2)
    signs = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)], float).T

    def fits(share: float) -> bool:
        (g, h, i), dots = to_source.rows[2], [m + share * n * s for m, n, s in zip(middle, half, signs, strict=True)]
        x, y = to_source(*dots)
        ahead = g * dots[0] + h * dots[1] + i > 0  # in front of the camera
        return bool((ahead & (x >= 0) & (x <= size.width) & (y >= 0) & (y <= size.height)).all())

    low, high = 0.0, 1.0
    if fits(high):
        low = high
    while high - low > 1e-3 / max(size.width, size.height):
        trial = (low + high) / 2
        low, high = (trial, high) if fits(trial) else (low, trial)
    return (
        middle[0] - low * half[0], middle[1] - low * half[1], middle[0] + low * half[0], middle[1] + low * half[1]
    )  # fmt: skip


def after(frame: Frame, values: Values) -> Frame:
    """The frame of what is left. Cut to whole pixels; if not straightened, they are the very pixels of before."""
    size, straight = frame.size, straightened(values, frame.size)
    moves = straight != Transform()
    left, top, right, bottom = cut(values, size)
    x, y = min(round(left), size.width - 1), min(round(top), size.height - 1)
    width, height = max(1, round(right) - x), max(1, round(bottom) - y)
    if moves:  # rounded inwards: no empty corner
        x, y = math.ceil(left - 1e-6), math.ceil(top - 1e-6)
        width, height = max(1, math.floor(right + 1e-6) - x), max(1, math.floor(bottom + 1e-6) - y)
    wanted = ratio(values, size, width, height)
    if wanted is not None:  # rounding must not make a square oblong
        if not moves:
            width, height = max(1, round(right - left)), max(1, round(bottom - top))
            x, y = min(x, size.width - width), min(y, size.height - height)
        if round(width / wanted) <= height:
            height = max(1, round(width / wanted))
        else:
            width = min(width, max(1, round(height * wanted)))
    moved = Transform.shift(x, y)
    back = straight.after(moved) if moves else moved
    whole = (x, y, width, height, moves) == (0, 0, size.width, size.height, False)
    left_alone = str(values["turn"]) == "0" and values["mirror"] == "off"
    seen = Size(width, height) if _swaps(values) else Size(height, width)
    to_source = frame.to_source.after(back).after(_turned_back(values, Size(height, width)))
    return replace(frame, size=seen, to_source=to_source, wraps=frame.wraps and whole and left_alone)


def seen_ratio(values: Values, size: Size, width: float, height: float) -> float | None:
    """As :func:`ratio`, of sides as they are seen after quarter turns."""
    if not _swaps(values):
        return ratio(values, size, width, height)
    wanted = ratio(values, size, height, width)
    return 1 / wanted if wanted is not None else None


def _swaps(values: Values) -> bool:
    return str(values["turn"]) in ("90", "270")


def _turned_back(values: Values, size: Size) -> Transform:
    """From what is seen after quarter turns and mirroring to the picture (of a size) before."""
    width, height = float(size.width), float(size.height)
    back = {
        "0": Transform(),
        "90": Transform(((0, 1, 0), (-1, 0, height), (0, 0, 1))),
        "180": Transform(((-1, 0, width), (0, -1, height), (0, 0, 1))),
        "270": Transform(((0, -1, width), (1, 0, 0), (0, 0, 1))),
    }[str(values["turn"])]
    across = height if _swaps(values) else width
    return back.after(Transform(((-1, 0, across), (0, 1, 0), (0, 0, 1)))) if values["mirror"] == "on" else back
