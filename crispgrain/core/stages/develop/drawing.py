"""Drawing: flat colours and letters without the stains and the ringing around them."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.flat_colours import REACH, flattened, palette_of

from ...colour.spaces import SRGB_TO_WORKING, WORKING_TO_SRGB, apply_matrix, srgb_decode, srgb_encode
from ...files.source import Source
from ...meter.flat import flat_blocks
from ...meter.reading import Reading
from ...model import Context, Model, Parameter, Product, Role, Stage, Values


def _palette(source: Source, reading: Reading, values: Values) -> Array:
    return palette_of(flat_blocks(source))


PALETTE = Product("palette", 1, (), _palette)


def run(pixels: Array, values: Values, context: Context) -> Array:
    palette = context.product(PALETTE, values)
    encoded = srgb_encode(apply_matrix(pixels, WORKING_TO_SRGB))
    cleaned = flattened(encoded, palette, float(values["strength"]) / 100)
    changed = (cleaned != encoded).any(axis=-1, keepdims=True)
    return np.where(changed, apply_matrix(srgb_decode(cleaned), SRGB_TO_WORKING), pixels)


def summary(model: Model, values: Values, size: Size) -> str:
    return "drawing cleaned"


MODEL = Model(
    Stage.DEVELOP, "drawing", "Drawing", "For drawings, letters, logos: flat colours, edges without stains.",
    (Parameter("strength", "Strength", "How much of what is none of the colours goes.", 90.0, 0, 100, 1, "%"),),
    run, lambda values, context: REACH, roles=(Role.RETOUCH,), summary=summary, tolerance=1e-4, takes_raw=False,
)  # fmt: skip
