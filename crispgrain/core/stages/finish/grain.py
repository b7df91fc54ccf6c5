"""A little fine grain, so that cleaned surfaces don't look like plastic."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration.halo import with_luminance

from ...colour.spaces import luminance, srgb_decode, srgb_encode
from ...model import Context, Model, Parameter, Stage, Values

FIELD = 1024  # px after which the grain repeats: farther than an eye compares


@cache
def _field(size: float) -> Array:
    """A fixed field of Gaussian grain of unit variance that joins its own edges."""
    grain = np.random.default_rng(1794).standard_normal((FIELD, FIELD)).astype(np.float32)
    edge = 4 * max(1, round(size))
    wrapped = np.pad(grain, edge, mode="wrap")
    soft = cv2.GaussianBlur(wrapped, (0, 0), size / 2)[edge:-edge, edge:-edge]
    return soft / soft.std()


def run(pixels: Array, values: Values, context: Context) -> Array:
    amount = float(values["amount"]) / 255
    if amount <= 0:
        return pixels
    rect = context.rect
    rows = np.arange(rect.top, rect.bottom) % FIELD
    columns = np.arange(rect.left, rect.right) % FIELD
    field = _field(float(values["size"]))[np.ix_(rows, columns)]
    y = luminance(pixels)
    encoded = srgb_encode(y)
    # Strongest in the middle tones, none in black and white, as on paper.
    weight = np.clip(4 * encoded * (1 - encoded), 0, 1)
    return with_luminance(pixels, y, srgb_decode(encoded + np.float32(amount) * weight * field))


MODEL = Model(
    Stage.FINISH, "grain", "Grain", "Adds fine, even luminance grain after all other stages.",
    (
        Parameter("amount", "Amount", "Strength of the grain in the middle tones, in 8-bit steps.", 2.0, 0, 20, 0.5),
        Parameter("size", "Size", "Diameter of a grain.", 1.2, 0.5, 4, 0.1, "px"),
    ),
    run, summary=lambda model, values, size: f"{model.name} {float(values['amount']):g}",
)  # fmt: skip
