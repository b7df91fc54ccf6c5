"""The path of an unsteady hand: found in a patch of the shot, the most promising one or one that is drawn."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import blind
from crispgrain.restoration.point_spread import as_text

from ...files.source import Source
from ...meter.blur import rough_luminance
from ...meter.reading import Reading
from ...model import Drawn, Product, Shape, Tool, ToolError, Values
from . import undo

PATCH = 448  # px, edge
LOOKED_AT = 5  # places each way
MOST_CLIPPED = 0.02  # of a patch
LEAST_NOISE = 0.005  # of white; with less, what is finest in a patch misleads (by trial on photographs)


def promising_patch(source: Source) -> Rect:
    """The patch with most edges in its poorest direction, and hardly anything clipped."""

    def promise(rect: Rect) -> float:
        y = np.ascontiguousarray(cv2.GaussianBlur(rough_luminance(source, rect), (0, 0), 2))
        across, down = (cv2.Scharr(y, cv2.CV_32F, *d, scale=1 / 32) for d in ((1, 0), (0, 1)))
        a, b, c = (float((u * v).mean()) for u, v in ((across, across), (across, down), (down, down)))
        poorest = (a + c) / 2 - np.hypot((a - c) / 2, b)
        return poorest if (y >= undo.CLIPPED).mean() < MOST_CLIPPED else poorest / 100

    height, width = (min(PATCH, n) for n in (source.size.height, source.size.width))
    tops, lefts = (
        sorted({int(v) // 2 * 2 for v in np.linspace(0, whole - part, LOOKED_AT)})  # whole cells of a mosaic
        for whole, part in ((source.size.height, height), (source.size.width, width))
    )
    return max((Rect(top, left, height, width) for top in tops for left in lefts), key=promise)


def find_path(source: Source, noise: float, extent: int, patch: Rect | None = None) -> Array:
    """The blur path of a shot, from a patch of it; ``noise`` is its sigma, white = 1."""
    y = rough_luminance(source, patch or promising_patch(source))
    return blind.estimate(y, extent, max(noise, LEAST_NOISE))


def _found(source: Source, reading: Reading, values: Values) -> Array:
    return find_path(source, undo.linear_noise(reading.noise), int(float(values["longest"])))


PATH = Product("blur path", 1, ("longest",), _found)


def _in_patch(drawn: Drawn) -> Values:
    """The path found in a drawn rectangle."""
    extent = int(float(drawn.values["longest"]))
    x, y = zip(*drawn.points, strict=True)
    left, top, right, bottom = (int(end(v)) // 2 * 2 for end in (min, max) for v in (x, y))  # whole sensor cells
    patch = Rect.between(top, left, bottom, right).intersect(drawn.source.size.rect)
    if min(patch.width, patch.height) < 3 * extent:
        raise ToolError(f"The patch is too small: it wants at least {3 * extent} pixels each way.")
    return {"path": as_text(find_path(drawn.source, undo.linear_noise(drawn.reading.noise), extent, patch))}


FIND = Tool(
    "Find the path in a patch …", "Drag a rectangle over a part with clear edges in all directions.",
    "path found in a patch", Shape.RECTANGLE, _in_patch, slow=True,
)  # fmt: skip
