"""Plain Lanczos resampling: quick, neutral, a little soft."""

from __future__ import annotations

from crispgrain.arrays import Array

from ...colour.spaces import srgb_encode
from ...model import Context, Model, Stage, Values
from ..develop.reshape import ENCODED, LINEAR
from .grid import reach, resampled, shrinks, untouched
from .size import PARAMETERS, summary


def run(pixels: Array, values: Values, context: Context) -> Array:
    """Enlarge encoded values, shrink linear ones.

    Between light and dark, encoded values interpolate as the eye expects, without
    dark rims round lamps; averaging many pixels into one averages their light.
    """
    grid, rect = untouched(context), context.rect
    if shrinks(context):
        return resampled(pixels, rect, grid, context, LINEAR)
    return resampled(srgb_encode(pixels), rect, grid, context, ENCODED)


MODEL = Model(
    Stage.ENLARGE, "lanczos", "Lanczos", "Plain resampling: quick and neutral; edges stay a little soft.",
    PARAMETERS, run, lambda values, context: reach(context),
    summary=summary,
)  # fmt: skip
