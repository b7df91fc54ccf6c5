"""Undoing missed focus: every point became an image of the aperture."""

from __future__ import annotations

import math

from crispgrain.arrays import Array
from crispgrain.restoration.point_spread import aperture

from ...model import Context, Model, Parameter, Stage, Values
from . import regions, undo, words

LEAST = 0.5  # px; a smaller disc lies within a pixel


def run(pixels: Array, values: Values, context: Context) -> Array:
    radius = float(values["radius"])
    if radius < LEAST:
        return pixels
    blades = 0 if values["blades"] == "round" else int(values["blades"])

    def kernel_of(radius: float) -> Array:
        return aperture(radius, blades, float(values["turn"]))

    return undo.deconvolved(pixels, radius, values, context, kernel_of)


def _margin(values: Values, context: Context) -> int:
    return undo.margin(math.ceil(regions.largest(float(values["radius"]), str(values["varies"]))))


MODEL = Model(
    Stage.SHARPEN, "defocus", "Defocus", "Undoes missed focus, where a point became a disc.",
    (
        Parameter("radius", "Radius", "Of the disc that a point became.", 2.0, 0, 15, 0.05, "px",
                  metered=lambda reading: reading.blur.disc_radius),
        Parameter("blades", "Aperture", "Straight edges of the lens's aperture; wide open, it is round.", "round",
                  choices=("round", "5", "6", "7", "8", "9")),
        Parameter("turn", "Turned by", "Counter-clockwise angle of a corner of the aperture.", 0, 0, 72, 1, "°",
                  matters=lambda values: values["blades"] != "round"),
        regions.VARIES,
        *undo.SHARED,
    ),
    run, _margin, tile=lambda values: undo.TILE, same_tiles=True, suits=lambda reading: reading.blur.kind == "defocus",
    summary=words.with_radius, strength="strength", after=undo.after,
)  # fmt: skip
