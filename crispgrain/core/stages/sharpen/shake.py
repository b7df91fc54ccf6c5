"""Undoing an unsteady hand: every point became a path, which is found in the picture itself."""

from __future__ import annotations

import threading
from weakref import WeakKeyDictionary

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import blind
from crispgrain.restoration.point_spread import LARGEST, as_text, from_text

from ...files.source import Source
from ...meter.blur import rough_luminance
from ...meter.reading import Reading
from ...model import Knowledge, Model, Parameter, Stage, Values
from . import undo

PATCH = 448  # px, edge
LOOKED_AT = 5  # places each way
MOST_CLIPPED = 0.02  # of a patch
LEAST_NOISE = 0.005  # of white; with less, what is finest in a patch misleads (by trial on photographs)

_found: WeakKeyDictionary[Source, dict[int, Array]] = WeakKeyDictionary()
_finding = threading.Lock()


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


def metered_path(source: Source, reading: Reading, extent: int) -> Array:
    """The path from the most promising patch of a shot; found once, however many tiles ask."""
    with _finding:
        paths = _found.setdefault(source, {})
        if extent not in paths:
            paths[extent] = find_path(source, undo.linear_noise(reading.noise), extent)
        return paths[extent]


def run(pixels: Array, values: Values, knowledge: Knowledge) -> Array:
    text, extent = str(values["path"]), int(float(values["extent"]))
    path = from_text(text) if text else metered_path(knowledge.source, knowledge.reading, extent)
    return undo.undo(pixels, path, values, knowledge, least_noise=float(values["doubt"]) / 100)


def _on_reduced(values: Values, knowledge: Knowledge, factor: int) -> Values:
    """The path of the whole shot, reduced: in a reduced shot it could not be found."""
    text, extent = str(values["path"]), int(float(values["extent"]))
    path = from_text(text) if text else metered_path(knowledge.source, knowledge.reading, extent)
    edge = max(3, 2 * round(len(path) / factor / 2) + 1)
    around = (edge * factor - len(path)) // 2
    rim = max(around, 0)
    small = cv2.resize(np.pad(path, rim), (edge, edge), interpolation=cv2.INTER_AREA)
    return {**values, "path": as_text(small)}


def _margin(values: Values, knowledge: Knowledge) -> int:
    text = str(values["path"])
    return undo.margin(len(from_text(text)) // 2 if text else int(float(values["extent"])) // 2 + 1)


MODEL = Model(
    Stage.SHARPEN, "shake", "Shake", "Undoes an unsteady hand: finds the path each point took, and goes back along it.",
    (
        Parameter("path", "Path", "The path each point took. It is found in the picture, and can be corrected.", "",
                  check=lambda text: text and from_text(text), per_shot=True),
        Parameter("extent", "Extent", "The longest path looked for.", 25.0, 9, LARGEST, 2, "px"),
        Parameter("doubt", "Doubt", "Error of the path to reckon with, as noise in percent of white. A path that was "
                  "found is never exact; higher is calmer, lower is sharper.", 2.0, 0, 6, 0.1, "%"),
        *undo.SHARED,
    ),
    run, _margin, tile=lambda values: undo.TILE, same_tiles=True, suits=lambda reading: reading.blur.kind == "shake",
    on_reduced=_on_reduced,
)  # fmt: skip
