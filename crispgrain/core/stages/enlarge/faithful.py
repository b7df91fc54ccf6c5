"""Enlarging that agrees with the source: shrinking the result gives the source back."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.restoration import resample

from ...colour.spaces import srgb_encode
from ...model import Context, Model, Stage, Values
from ..develop.reshape import ENCODED
from . import lanczos
from .grid import covered, grids, reach, resampled, shrinks
from .size import PARAMETERS, summary

ITERATIONS = 6


def run(pixels: Array, values: Values, context: Context) -> Array:
    """Lanczos, then iterated back-projection of what area averaging says is still missing.

    Works on encoded values, as :mod:`.lanczos` does. A shrinking factor leaves
    nothing to agree with, and is plain Lanczos.
    """
    if shrinks(context):
        return lanczos.run(pixels, values, context)
    grid = grids(context)
    part = covered(context.rect, grid)
    # The first of them, from nothing, is plain Lanczos.
    large = resample.back_project(srgb_encode(pixels), context.rect, grid, part, 1 + ITERATIONS)
    return resampled(large, part, grid, context, ENCODED)


MODEL = Model(
    Stage.ENLARGE, "faithful", "Faithful",
    "Sharper than plain resampling, and checked: shrinking the result gives the source back.",
    PARAMETERS, run, lambda values, context: (2 * ITERATIONS + 2) * reach(context),
    summary=summary,
)  # fmt: skip
