"""View: what one sees of a picture all round in a direction, flat, or the whole of it as a little planet."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.resample import LANCZOS_LOBES

from ...model import Context, Model, Parameter, Role, Stage, Values
from .reshape import reshaped
from .view_shape import FLAT, PLANET, SHAPES, TUNNEL, after, is_flat
from .view_tools import LOOK, TURN

PARAMETERS = (
    Parameter("seen", "Seen as", "A flat view keeps straight lines. A little planet has the ground in its middle and "
              "the sky around, inside out it is the other way round.", FLAT, choices=(FLAT, PLANET, TUNNEL),
              labels=("a flat view", "a little planet", "a planet inside out"), per_shot=True),
    Parameter("direction", "Direction", "To the right of the middle of the picture all round.", 0.0, -180, 180, 0.5,
              "°", per_shot=True),
    Parameter("pitch", "Upwards", "Above the horizon; below it is less than nothing.", 0.0, -90, 90, 0.5, "°",
              per_shot=True, matters=is_flat),
    Parameter("roll", "Tilted", "Turned clockwise about the middle of the view.", 0.0, -180, 180, 0.5, "°",
              per_shot=True, matters=is_flat),
    Parameter("field", "Angle of view", "From the left edge to the right.", 90.0, 20, 150, 1, "°", per_shot=True,
              matters=is_flat),
    Parameter("round", "Angle of view", "From edge to edge; all round would be 360°.", 280.0, 120, 340, 1, "°",
              per_shot=True, matters=lambda values: not is_flat(values)),
    Parameter("shape", "Shape", "Width to height.", "3:2", choices=tuple(SHAPES), per_shot=True),
)  # fmt: skip


def run(pixels: Array, values: Values, context: Context) -> Array:
    return reshaped(pixels, context)


def summary(model: Model, values: Values, size: Size) -> str:
    if not is_flat(values):
        return "little planet" if values["seen"] == PLANET else "inside out"
    return f"view of {float(values['field']):.0f}°"


MODEL = Model(
    Stage.DEVELOP, "view", "View of it", "One direction of a picture all round, or a little planet.",
    PARAMETERS, run, lambda values, context: LANCZOS_LOBES + 2, after=after, roles=(Role.SHAPE,), summary=summary,
    tools=(LOOK, TURN), all_round=True,
)  # fmt: skip
