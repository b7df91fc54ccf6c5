"""Red eye: in a zone over eyes, what a flash made red becomes dark again."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.red_eye import without_red

from ...colour.spaces import SRGB_TO_WORKING, WORKING_TO_SRGB, apply_matrix
from ...model import Context, Model, Parameter, Role, Stage, Values

STRENGTH = Parameter("strength", "Strength", "How much of the red is taken away.", 90.0, 0, 100, 1, "%")


def run(pixels: Array, values: Values, context: Context) -> Array:
    plain = apply_matrix(pixels, WORKING_TO_SRGB)  # whose red is nearer to that of eyes
    return pixels + apply_matrix(without_red(plain, float(values["strength"]) / 100) - plain, SRGB_TO_WORKING)


def summary(model: Model, values: Values, size: Size) -> str:
    return "no red eyes"


MODEL = Model(
    Stage.DEVELOP, "red-eye", "Red eye", "Pupils that a flash lit up red become dark; skin and lips stay.",
    (STRENGTH,), run, roles=(Role.ZONE, Role.RETOUCH), summary=summary,
)  # fmt: skip
