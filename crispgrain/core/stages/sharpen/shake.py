"""Undoing an unsteady hand: every point became a path, which is found in the picture itself."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import blind
from crispgrain.restoration.point_spread import LARGEST, as_text, from_text

from ...files.source import Source
from ...meter.blur import rough_luminance
from ...meter.reading import Reading
from ...model import Drawn, Knowledge, Model, Parameter, Product, Shape, Stage, Tool, ToolError, Values
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
    return find_path(source, undo.linear_noise(reading.noise), int(float(values["extent"])))


PATH = Product("blur path", 1, ("extent",), _found)


def path_of(values: Values, knowledge: Knowledge) -> Array:
    """The path set by hand, or that from the most promising patch of the shot."""
    text = str(values["path"])
    return from_text(text) if text else knowledge.product(PATH, values)


def run(pixels: Array, values: Values, knowledge: Knowledge) -> Array:
    return undo.undo(pixels, path_of(values, knowledge), values, knowledge, float(values["doubt"]) / 100)


def _on_reduced(values: Values, knowledge: Knowledge, factor: int) -> Values:
    """The path of the whole shot, reduced: in a reduced shot it could not be found."""
    path = path_of(values, knowledge)
    edge = max(3, 2 * round(len(path) / factor / 2) + 1)
    around = (edge * factor - len(path)) // 2
    rim = max(around, 0)
    small = cv2.resize(np.pad(path, rim), (edge, edge), interpolation=cv2.INTER_AREA)
    return {**values, "path": as_text(small)}


def _margin(values: Values, knowledge: Knowledge) -> int:
    text = str(values["path"])
    return undo.margin(len(from_text(text)) // 2 if text else int(float(values["extent"])) // 2 + 1)


def _in_patch(drawn: Drawn) -> Values:
    """The path found in a drawn rectangle."""
    extent = int(float(drawn.values["extent"]))
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

MODEL = Model(
    Stage.SHARPEN, "shake", "Shake", "Undoes an unsteady hand: finds the path each point took, and goes back along it.",
    (
        Parameter("path", "Path", "The path each point took. It is found in the picture, and can be corrected.", "",
                  check=lambda text: text and from_text(text), per_shot=True, product=PATH),
        Parameter("extent", "Extent", "The longest path looked for.", 25.0, 9, LARGEST, 2, "px"),
        Parameter("doubt", "Doubt", "Error of the path to reckon with, as noise in percent of white. A path that was "
                  "found is never exact; higher is calmer, lower is sharper.", 2.0, 0, 6, 0.1, "%"),
        *undo.SHARED,
    ),
    run, _margin, tile=lambda values: undo.TILE, same_tiles=True, suits=lambda reading: reading.blur.kind == "shake",
    on_reduced=_on_reduced,
    strength="strength", tools=(FIND,),
)  # fmt: skip
