"""Drawing a crop and a level line."""

from __future__ import annotations

import math

import numpy as np

from ...model import Drawn, Shape, Tool, ToolError, Values
from ...transform import Transform

EDGES = ("left", "top", "right", "bottom")
LEAST = 4  # px of the source


def _of_rectangle(drawn: Drawn) -> Values:
    """The wish is kept in the source as it is turned now."""
    size = drawn.source.size
    turned = Transform.turn(float(drawn.values["angle"]), size.width / 2, size.height / 2)
    x, y = turned(*np.array(drawn.points).T)
    if min(x.max() - x.min(), y.max() - y.min()) < LEAST:
        raise ToolError(f"A crop has at least {LEAST} pixels each way.")
    shares = x.min() / size.width, y.min() / size.height, x.max() / size.width, y.max() / size.height
    return {edge: min(max(100 * float(share), 0.0), 100.0) for edge, share in zip(EDGES, shares, strict=True)}


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
