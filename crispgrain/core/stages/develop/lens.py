"""Lens: what it bent, fringed and darkened is undone, by what is known of it or by hand; part of the one resampling."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.resample import LANCZOS_LOBES

from ...model import Context, Model, Parameter, Role, Stage, Values
from .lens_faults import KNOWN, OWN, after, by_hand
from .reshape import reshaped


def known(values: Values) -> bool:
    return not by_hand(values)


PARAMETERS = (
    Parameter("by", "Correct", "By what the file says or the lens database knows of this lens, or by hand.", KNOWN,
              choices=(KNOWN, OWN), labels=("as known of the lens", "by hand")),
    Parameter("straight", "Straight lines", "Whether what the lens bends is straightened.", "on", choices=("on", "off"),
              matters=known),
    Parameter("edges", "Colour fringes", "Whether colours are brought to one size.", "on", choices=("on", "off"),
              matters=known),
    Parameter("even", "Dark corners", "Whether they get the light that they lack.", "on", choices=("on", "off"),
              matters=known),
    Parameter("bulge", "Bent lines", "By how much the lens drew the corners too near to the middle (to the right), or "
              "too far out.", 0.0, -20, 20, 0.1, "%", matters=by_hand),
    Parameter("red_size", "Red fringes", "By how much red is too large in the corners.", 0.0, -5, 5, 0.05, "‰",
              matters=by_hand),
    Parameter("blue_size", "Blue fringes", "By how much blue is too large in the corners.", 0.0, -5, 5, 0.05, "‰",
              matters=by_hand),
    Parameter("dark", "Dark corners", "By how much the corners are too dark.", 0.0, -1, 3, 0.05, "EV",
              matters=by_hand),
)  # fmt: skip


def run(pixels: Array, values: Values, context: Context) -> Array:
    return reshaped(pixels, context)


def summary(model: Model, values: Values, size: Size) -> str:
    return "lens corrected"


MODEL = Model(
    Stage.DEVELOP, "lens", "Lens", "Straight lines, edges without coloured fringes, corners as light as the middle.",
    PARAMETERS, run, lambda values, context: LANCZOS_LOBES + 2, after=after, roles=(Role.SHAPE,), summary=summary,
)  # fmt: skip
