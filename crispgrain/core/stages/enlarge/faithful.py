"""Enlarging that agrees with the source: shrinking the result gives the source back."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import resample

from ...colour.spaces import srgb_decode, srgb_encode
from ...model import Knowledge, Model, Stage, Values
from . import lanczos
from .size import PARAMETERS, summary

ITERATIONS = 6


def run(pixels: Array, values: Values, knowledge: Knowledge) -> Array:
    """Lanczos, then iterated back-projection of what area averaging says is still missing.

    Works on encoded values, as :mod:`.lanczos` does. A shrinking factor leaves
    nothing to agree with, and is plain Lanczos.
    """
    rect, full, wanted, out = knowledge.rect, knowledge.before.size, knowledge.wanted, knowledge.after.size
    if out.height <= full.height or out.width <= full.width:
        return lanczos.run(pixels, values, knowledge)
    # The part of the output that the given input covers; its rim is cut off at the end.
    whole = Rect.between(
        *(
            -(-n * o // f) if n else 0
            for n, o, f in ((rect.top, out.height, full.height), (rect.left, out.width, full.width))
        ),
        *(n * o // f for n, o, f in ((rect.bottom, out.height, full.height), (rect.right, out.width, full.width))),
    )
    # The first of them, from nothing, is plain Lanczos.
    result = resample.back_project(srgb_encode(pixels), full, rect, out, whole, 1 + ITERATIONS)
    return srgb_decode(np.ascontiguousarray(result[wanted.within(whole).slices]))


MODEL = Model(
    Stage.ENLARGE, "faithful", "Faithful",
    "Sharper than plain resampling, and checked: shrinking the result gives the source back.",
    PARAMETERS, run, lambda values, knowledge: (2 * ITERATIONS + 1) * lanczos.reach(knowledge),
    summary=summary,
)  # fmt: skip
