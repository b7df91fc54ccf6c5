"""Crop, straighten, turn and mirror: which part of the source is wanted, and how it is seen."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.resample import LANCZOS_LOBES, warp

from ...colour.spaces import srgb_decode, srgb_encode
from ...frame import Frame
from ...meter.reading import Noise
from ...model import Context, Model, Parameter, Role, Stage, Values
from .crop_shape import AS_IT_IS, AS_SHOT, FREE, LANDSCAPE, OWN, PORTRAIT, QUARTERS, RATIOS, after
from .crop_tools import BY_HAND, CROP, FIND_LEVEL, LEVEL, PERSPECTIVE, PRINT_EDGE, TO_PRINT
from .perspective import lines_from
from .reshape import reshaped

EDGE = Parameter(
    "edge", "Cut to", "What is set below, or for each scan the edges of the print on it, straightened.", BY_HAND,
    choices=(BY_HAND, TO_PRINT), labels=("what is set", "the print’s edge"),
)  # fmt: skip


def _by_hand(values: Values) -> bool:
    return values["edge"] == BY_HAND


EDGES = (
    Parameter("left", "Left", "Where the picture begins, as a share of the source's width.", 0.0, 0, 100, 0.1, "%",
              per_shot=True, matters=_by_hand),
    Parameter("top", "Top", "Where the picture begins, as a share of the source's height.", 0.0, 0, 100, 0.1, "%",
              per_shot=True, matters=_by_hand),
    Parameter("right", "Right", "Where the picture ends, as a share of the source's width.", 100.0, 0, 100, 0.1, "%",
              per_shot=True, matters=_by_hand),
    Parameter("bottom", "Bottom", "Where the picture ends, as a share of the source's height.", 100.0, 0, 100, 0.1,
              "%", per_shot=True, matters=_by_hand),
)  # fmt: skip
ANGLE = Parameter(
    "angle", "Straighten", "By how much the picture is turned clockwise. What would be empty is cut off.", 0.0, -45, 45,
    0.05, "°", per_shot=True, matters=_by_hand,
)  # fmt: skip
LINES = Parameter(
    "lines",
    "Perspective lines",
    "Two to four, drawn along what is upright or level; empty for none.",
    "",
    check=lines_from,
    per_shot=True,
)
RATIO = Parameter(
    "ratio", "Ratio", "The crop is cut to it about its middle.", FREE, choices=(FREE, AS_SHOT, *RATIOS, OWN),
    labels=("free", "as shot", *list(RATIOS)[:-1], "ISO 216 (A4, A3 …)", "own"),
)  # fmt: skip
ASPECT = Parameter(
    "aspect", "Own ratio", "Long side divided by short side.", 1.5, 1, 10, 0.01,
    matters=lambda values: values["ratio"] == OWN,
)  # fmt: skip
SIDE = Parameter(
    "side", "Stands", "Which way the ratio lies.", AS_IT_IS, choices=(AS_IT_IS, LANDSCAPE, PORTRAIT),
    labels=("as drawn", "landscape", "portrait"), matters=lambda values: values["ratio"] not in (FREE, "1:1"),
)  # fmt: skip
TURN = Parameter(
    "turn", "Quarter turns", "Clockwise. No pixel changes.", "0", choices=QUARTERS, per_shot=True,
    labels=("none", "one, to the right", "two", "one, to the left"),
)  # fmt: skip
MIRROR = Parameter("mirror", "Mirrored", "Left and right change places.", "off", choices=("off", "on"), per_shot=True)


def run(pixels: Array, values: Values, context: Context) -> Array:
    return reshaped(pixels, context)


def of_whole(picture: Array, values: Values) -> Array:
    """A small picture of the whole source, cropped and straightened."""
    frame = after(Frame(Size(*picture.shape[:2]), Noise()), values)
    x, y = frame.to_source.middles(frame.size.rect)
    if frame.to_source.rearranges:
        return picture[y.astype(int), x.astype(int)]
    return srgb_decode(warp(srgb_encode(picture), y, x))


MODEL = Model(
    Stage.DEVELOP, "crop", "Crop", "Which part of the picture is wanted, and how it stands.",
    (EDGE, *EDGES, ANGLE, LINES, RATIO, ASPECT, SIDE, TURN, MIRROR), run,
    lambda values, context: LANCZOS_LOBES + 1, after=after, roles=(Role.SHAPE,),
    summary=lambda model, values, size: "cropped", tools=(CROP, LEVEL, FIND_LEVEL, PERSPECTIVE, PRINT_EDGE),
)  # fmt: skip
