"""Undoing an unsteady hand: every point became a path, which is found in the picture itself."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration.point_spread import LARGEST, as_text, from_text

from ...model import Context, Model, Parameter, Stage, Values
from . import shake_net, undo
from .shake_path import FIND, PATH


def path_of(values: Values, context: Context) -> Array:
    """The path set by hand, or that from the most promising patch of the shot."""
    text = str(values["path"])
    return from_text(text) if text else context.product(PATH, values)


def run(pixels: Array, values: Values, context: Context) -> Array:
    return undo.undo(pixels, path_of(values, context), values, context, float(values["path_error"]) / 100)


def _on_reduced(values: Values, context: Context, factor: int) -> Values:
    """The path of the whole shot, reduced: in a reduced shot it could not be found."""
    path = path_of(values, context)
    edge = max(3, 2 * round(len(path) / factor / 2) + 1)
    around = (edge * factor - len(path)) // 2
    rim = max(around, 0)
    small = cv2.resize(np.pad(path, rim), (edge, edge), interpolation=cv2.INTER_AREA)
    return {**values, "path": as_text(small)}


def _margin(values: Values, context: Context) -> int:
    text = str(values["path"])
    reach = len(from_text(text)) // 2 if text else int(float(values["longest"])) // 2 + 1
    return max(undo.margin(reach), shake_net.REACH)


MODEL = Model(
    Stage.SHARPEN, "shake", "Shake", "Undoes an unsteady hand: finds the path each point took, and goes back along it.",
    (
        Parameter("path", "Path", "The path each point took. It is found in the picture, and can be corrected.", "",
                  check=lambda text: text and from_text(text), per_shot=True, product=PATH),
        Parameter("longest", "Longest path", "The longest path that is looked for in the picture.", 25.0, 9, LARGEST, 2,
                  "px"),
        Parameter("path_error", "Path error", "How far the path may be wrong, as noise in percent of white. A path "
                  "that was found is never exact; higher is calmer, lower is sharper. From 1 % on, "
                  "shake net takes off what wrong paths leave.", 2.0, 0, 6, 0.1, "%"),
        *undo.SHARED,
    ),
    run, _margin, tile=lambda values: undo.TILE, same_tiles=True, suits=lambda reading: reading.blur.kind == "shake",
    on_reduced=_on_reduced,
    strength="strength", after=undo.after, tools=(FIND,),
)  # fmt: skip
