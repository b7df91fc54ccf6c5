"""Cut-out: what a mask shows stays, all else becomes transparent or one grey."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Size

from ...files.source import PICTURE_SUFFIXES
from ...model import Context, Model, Parameter, Role, Stage, Values

PICTURE = "picture"
BEHIND = {"transparent": None, "white": 1.0, "grey": 0.2, "black": 0.0, PICTURE: 0.0}  # linear light
PARAMETERS = (
    Parameter("behind", "Behind it", "What is seen where the subject is not; formats without transparency have white.",
              "transparent", choices=tuple(BEHIND)),
    Parameter("fringe", "Clean edge", "Whether the old background's colour is taken off the soft edge.", "on",
              choices=("on", "off")),
    Parameter("picture", "Picture behind", "A finished picture that fills the frame behind what is cut out.", "",
              check=str, files=tuple(sorted(PICTURE_SUFFIXES)), matters=lambda values: values["behind"] == PICTURE),
    Parameter("match", "Made alike", "How far its light, its colour and its grain become those of the shot.", 100.0,
              0, 100, 1, "%", matters=lambda values: values["behind"] == PICTURE),
)  # fmt: skip


def run(pixels: Array, values: Values, context: Context) -> Array:
    """Nothing: pixels stay; what is seen of them is up to who shows or writes them."""
    return pixels


def summary(model: Model, values: Values, size: Size) -> str:
    return "cut out"


MODEL = Model(
    Stage.FINISH, "cut-out", "Cut-out", "Only what its mask shows is left of the picture.", PARAMETERS, run,
    roles=(Role.CUT,), summary=summary,
)  # fmt: skip
