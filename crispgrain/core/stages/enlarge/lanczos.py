"""Plain Lanczos resampling: quick, neutral, a little soft."""

from __future__ import annotations

import math

from crispgrain.arrays import Array
from crispgrain.restoration import resample

from ...colour.spaces import srgb_decode, srgb_encode
from ...model import Knowledge, Model, Stage, Values
from .size import PARAMETERS, summary


def run(pixels: Array, values: Values, knowledge: Knowledge) -> Array:
    """Enlarge encoded values, shrink linear ones.

    Between light and dark, encoded values interpolate as the eye expects, without
    dark rims round lamps; averaging many pixels into one averages their light.
    """
    rect, full, wanted, out = knowledge.rect, knowledge.before.size, knowledge.wanted, knowledge.after.size
    rows = resample.lanczos_weights(full.height, out.height, wanted.top, wanted.bottom, rect.top, rect.bottom)
    columns = resample.lanczos_weights(full.width, out.width, wanted.left, wanted.right, rect.left, rect.right)
    if out.height <= full.height or out.width <= full.width:
        return resample.apply(rows, columns, pixels)
    return srgb_decode(resample.apply(rows, columns, srgb_encode(pixels)))


def reach(knowledge: Knowledge) -> int:
    """Input pixels on each side that a result depends on."""
    full, out = knowledge.before.size, knowledge.after.size
    return math.ceil(resample.LANCZOS_LOBES * max(full.height / out.height, full.width / out.width, 1)) + 1


MODEL = Model(
    Stage.ENLARGE, "lanczos", "Lanczos", "Plain resampling: quick and neutral; edges stay a little soft.",
    PARAMETERS, run, lambda values, knowledge: reach(knowledge),
    summary=summary,
)  # fmt: skip
