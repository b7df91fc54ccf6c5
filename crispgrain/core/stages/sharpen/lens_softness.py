"""Undoing the small, even softness of a lens, an anti-alias filter and demosaicing."""

from __future__ import annotations

from dataclasses import replace

from crispgrain.arrays import Array
from crispgrain.restoration.deconvolution import SMOOTH
from crispgrain.restoration.point_spread import gaussian

from ...model import Context, Model, Parameter, Stage, Values
from ...networks import runtime
from . import luminance, photo_prior, regions, undo, words

LEAST = 0.1  # px; less is no blur


def run(pixels: Array, values: Values, context: Context) -> Array:
    radius = float(values["radius"])
    if radius < LEAST:
        return pixels

    sharp = undo.deconvolved(pixels, radius, values, context, gaussian, SMOOTH)
    if not runtime.unavailable(photo_prior.NAME):
        return sharp
    # The classical prior alone lets noise through in smooth places; nothing there wants sharpening.
    boldness = max(float(values["strength"]) / 100, 1)
    mask = luminance.detail_mask(luminance.working_luminance(pixels), context, boldness)
    return pixels + mask[..., None] * (sharp - pixels)


def _margin(values: Values, context: Context) -> int:
    radius = regions.largest(max(float(values["radius"]), LEAST), str(values["varies"]))
    return undo.margin(len(gaussian(radius)) // 2)


MODEL = Model(
    Stage.SHARPEN, "lens-softness", "Lens softness",
    "Undoes the small even blur every lens and sensor leaves, by deconvolution.",
    (
        Parameter("radius", "Radius", "Size of the blur: sigma of a Gaussian.", 0.6, 0, 3, 0.05, "px",
                  metered=lambda reading: reading.blur.softness),
        replace(undo.STRENGTH, default=80.0),
        regions.VARIES, undo.FINE, undo.COARSE, undo.HALO, undo.EFFORT,
    ),
    run, _margin, tile=lambda values: undo.TILE, same_tiles=True,
    suits=lambda reading: reading.blur.kind in ("none", "soft lens"),
    summary=words.with_radius, strength="strength", after=undo.after,
)  # fmt: skip
