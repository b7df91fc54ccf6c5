"""Fill in: what a mask shows, dust, a wire or an object, filled from around it; before Sharpen, as all retouching."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.filling import REACH, filled

from ...colour.spaces import srgb_decode, srgb_encode
from ...model import Context, Model, Parameter, Role, Stage, Values

SHOWN = 0.02  # of a mask: what shows more is not to be believed
GRAIN = Parameter("grain", "Grain", "How much of the grain around it what is filled in gets.", 100.0, 0, 100, 1, "%")


def run(pixels: Array, values: Values, context: Context) -> Array:
    if context.mask is None:
        return pixels
    hole = context.mask > SHOWN
    if not hole.any():
        return pixels
    return srgb_decode(filled(srgb_encode(pixels), hole, float(values["grain"]) / 100))


def summary(model: Model, values: Values, size: Size) -> str:
    return "filled in"


MODEL = Model(
    Stage.DEVELOP, "fill", "Fill in", "What is covered goes, and is filled in from around it: dust, wires, objects.",
    (GRAIN,), run, lambda values, context: REACH, roles=(Role.ZONE, Role.RETOUCH), summary=summary, tolerance=1e-4,
    sees_mask=True,
)  # fmt: skip
