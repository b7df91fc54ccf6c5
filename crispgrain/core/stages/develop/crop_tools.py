"""Drawing a crop and a level line."""

from __future__ import annotations

import math
from dataclasses import replace
from weakref import WeakKeyDictionary

import numpy as np

from crispgrain.restoration.sheet_edge import Sheet, sheet_in

from ...colour.spaces import srgb_encode
from ...files.source import Source
from ...meter.level import tilt_of_shot
from ...model import Drawn, Shape, Tool, ToolError, Values
from ...transform import Transform
from .crop_shape import perspective, seen_ratio, straightened
from .perspective import MOST, as_text, correction, lines_from
from .small import small_of

EDGES = ("left", "top", "right", "bottom")
BY_HAND, TO_PRINT = "hand", "print"
LEAST = 4  # px of the source
ANGLE_STEP, WITHIN = 0.05, 0.004  # degrees; of the shorter side, by which a print is cut within its edge


_sheets: WeakKeyDictionary[Source, Sheet | None] = WeakKeyDictionary()


def _of_rectangle(drawn: Drawn) -> Values:
    """The wish is kept in the source as it is turned now."""
    size = drawn.source.size
    x, y = straightened(drawn.values, size).inverse(*np.array(drawn.points).T)
    if min(x.max() - x.min(), y.max() - y.min()) < LEAST:
        raise ToolError(f"A crop has at least {LEAST} pixels each way.")
    shares = x.min() / size.width, y.min() / size.height, x.max() / size.width, y.max() / size.height
    cut = {edge: min(max(100 * float(share), 0.0), 100.0) for edge, share in zip(EDGES, shares, strict=True)}
    return {**cut, "edge": BY_HAND}


def _of_line(drawn: Drawn) -> Values:
    """What is nearer to upright is to be upright."""
    x, y = perspective(drawn.values, drawn.source.size).inverse(*np.array(drawn.points).T)
    (x1, x2), (y1, y2) = x, y
    slant = -math.degrees(math.atan2(y2 - y1, x2 - x1))
    return {"angle": (slant + 45) % 90 - 45, "edge": BY_HAND}


def _found(drawn: Drawn) -> tuple[Values, str]:
    tilt = tilt_of_shot(drawn.source)
    share = f"{100 * tilt.confidence:.0f} % of its long edges say so"
    if not tilt.sure:
        raise ToolError(f"Nothing says surely what is level or upright here ({tilt.degrees:+.1f}°, {share}).")
    return {"angle": -tilt.degrees, "edge": BY_HAND}, f"It leaned by {tilt.degrees:+.2f}°; {share}."


def _sheet_of(source: Source) -> Sheet | None:
    """The print on a scan's bed, its corners in px of the source; looked for once."""
    if source not in _sheets:
        small = np.clip(srgb_encode(small_of(source)), 0, 1)
        sheet = sheet_in(small)
        scale = source.size.width / small.shape[1], source.size.height / small.shape[0]
        _sheets[source] = None if sheet is None else replace(sheet, corners=sheet.corners * scale)
    return _sheets[source]


def cut_to_print(source: Source, values: Values) -> tuple[Values, str]:
    """Settings of a crop, straight and cut to the edges of a print, a hair within them, and words.

    Raises
    ------
    ToolError
        If no print stands out.
    """
    size, sheet = source.size, _sheet_of(source)
    if sheet is None:
        raise ToolError("No print stands out from what it lies on.")
    angle = round(-sheet.slant / ANGLE_STEP) * ANGLE_STEP
    corners = sheet.corners
    there = straightened({**values, "angle": angle}, size).inverse
    x, y = (np.sort(v) for v in there(*corners.T))
    inside = WITHIN * min(size.width, size.height)
    # Of the two corners at each edge the inner one, so that nothing of the bed is left.
    ends = x[1] + inside, y[1] + inside, x[2] - inside, y[2] - inside
    shares = (100 * float(v) / side for v, side in zip(ends, (size.width, size.height) * 2, strict=True))
    cut = {edge: min(max(share, 0.0), 100.0) for edge, share in zip(EDGES, shares, strict=True)}
    return {**cut, "angle": round(angle, 2)}, f"The print leaned by {sheet.slant:+.2f}°."


def _to_the_edge(drawn: Drawn) -> tuple[Values, str]:
    cut, words = cut_to_print(drawn.source, drawn.values)
    return {**cut, "edge": BY_HAND}, words


def _of_perspective(drawn: Drawn) -> tuple[Values, str]:
    size = drawn.source.size
    (x1, y1), (x2, y2) = drawn.points
    lines = lines_from(str(drawn.values["lines"]))
    if len(lines) == MOST:
        raise ToolError(f"There are {MOST} lines already: empty “Perspective lines” to begin anew.")
    lines.append((x1 / size.width, y1 / size.height, x2 / size.width, y2 / size.height))
    try:
        moves = correction(lines, size)
    except ValueError as error:
        raise ToolError(f"This line will not do: {error}.") from None
    words = f"{len(lines)} of up to {MOST} lines drawn."
    if moves == Transform():
        words += " One more beside it, along something else that is upright or level, sets the perspective right."
    return {"lines": as_text(lines)}, words


CROP = Tool(
    "Draw crop …", "Drag a rectangle over what is to stay. Esc leaves it.", "crop drawn", Shape.RECTANGLE,
    _of_rectangle, held=seen_ratio,
)  # fmt: skip
LEVEL = Tool(
    "Level line …", "Draw along something that is to be level or upright. Esc leaves it.", "straightened", Shape.LINE,
    _of_line,
)  # fmt: skip
FIND_LEVEL = Tool(
    "Find level", "Looking for what is level or upright …", "straightened as found", Shape.NOTHING, _found, slow=True,
)  # fmt: skip
PRINT_EDGE = Tool(
    "Print’s edge", "Looking for the edges of a print …", "cut to the print's edge", Shape.NOTHING, _to_the_edge,
    slow=True,
)  # fmt: skip
PERSPECTIVE = Tool(
    "Perspective …", "Draw along something that is upright or level; two of a kind set it right. Esc leaves it.",
    "perspective line drawn", Shape.LINE, _of_perspective,
)  # fmt: skip
