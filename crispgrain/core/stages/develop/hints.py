"""Colour by hints: strokes of chosen colours on a grey picture, spread along what is alike in light."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Size

from ...colour import oklab
from ...frame import Frame
from ...masks.ground import Ground
from ...masks.placing import enlarged
from ...model import Context, Model, Parameter, Role, Stage, Values
from .hint_spread import SPREAD
from .hint_strokes import STROKE, colour_from, hints_from

PALE_FROM = 0.85  # Oklab lightness from which colours fade into white


def run(pixels: Array, values: Values, context: Context) -> Array:
    if not hints_from(str(values["hints"])):
        return pixels
    size = context.source.size
    luma = Ground.of(context.source).luma(context.rect)
    maps = [enlarged(plane, size, context.rect) for plane in context.product(SPREAD, values)]
    lightness = oklab.from_working(pixels)[..., 0]
    fade = np.clip((1 - lightness) / np.float32(1 - PALE_FROM), 0, 1) * np.float32(float(values["strength"]) / 100)
    a, b = (lightness * fade * (slope * luma + offset) for slope, offset in (maps[:2], maps[2:]))
    return oklab.to_working(np.stack([lightness, a, b], axis=-1))


def after(frame: Frame, values: Values) -> Frame:
    return replace(frame, grey=frame.grey and not values["hints"])


def summary(model: Model, values: Values, size: Size) -> str:
    count = len(hints_from(str(values["hints"])))
    return f"{count} stroke{'s' if count != 1 else ''} of colour"


MODEL = Model(
    Stage.DEVELOP, "colour-by-hints", "Colour by hints", "Your colours, spread along what is alike in light.",
    (
        Parameter("hints", "Strokes", "Colour, radius and places of each; empty for none.", "", check=hints_from,
                  per_shot=True),
        Parameter("paint", "Colour", "Of the next stroke.", "#b08d57", check=colour_from, colour=True),
        Parameter("size", "Size", "Of the next stroke, across, as a share of the longer side.", 1.0, 0.1, 10, 0.1, "%"),
        Parameter("strength", "Strength", "Of all these colours.", 100.0, 0, 200, 1, "%"),
    ),
    run, after=after, roles=(Role.RETOUCH,), summary=summary, tools=(STROKE,), tolerance=1e-4,
)  # fmt: skip
