"""Crop and straighten: which part of the source is wanted, and how it is turned."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.resample import LANCZOS_LOBES, warp

from ...colour.spaces import srgb_decode, srgb_encode
from ...frame import Frame
from ...meter.reading import Noise
from ...model import Context, Model, Parameter, Role, Stage, Values
from ...transform import Transform
from .crop_shape import after
from .crop_tools import CROP, LEVEL

EDGES = (
    Parameter("left", "Left", "Where the picture begins, as a share of the source's width.", 0.0, 0, 100, 0.1, "%",
              per_shot=True),
    Parameter("top", "Top", "Where the picture begins, as a share of the source's height.", 0.0, 0, 100, 0.1, "%",
              per_shot=True),
    Parameter("right", "Right", "Where the picture ends, as a share of the source's width.", 100.0, 0, 100, 0.1, "%",
              per_shot=True),
    Parameter("bottom", "Bottom", "Where the picture ends, as a share of the source's height.", 100.0, 0, 100, 0.1,
              "%", per_shot=True),
)  # fmt: skip
ANGLE = Parameter(
    "angle", "Straighten", "By how much the picture is turned clockwise. What would be empty is cut off.", 0.0, -45, 45,
    0.05, "°", per_shot=True,
)  # fmt: skip


def run(pixels: Array, values: Values, context: Context) -> Array:
    """Turn by one Lanczos resampling of encoded values; called for other than whole steps only."""
    to_before = context.before.to_source.inverse.after(context.after.to_source)
    return turned(pixels, to_before, context.rect, context.wanted)


def turned(pixels: Array, to_before: Transform, rect: Rect, wanted: Rect) -> Array:
    """What a transform brings to the ``wanted`` pixels from those that lie in ``rect``."""
    x, y = to_before.middles(wanted)
    return srgb_decode(warp(srgb_encode(pixels), y - rect.top, x - rect.left))


def of_whole(picture: Array, values: Values) -> Array:
    """A small picture of the whole source, cropped and straightened."""
    before = Frame(Size(*picture.shape[:2]), Noise())
    frame = after(before, values)
    if not float(values["angle"]):
        ((_, _, x), (_, _, y), _) = frame.to_source.rows
        return picture[Rect(int(y), int(x), frame.size.height, frame.size.width).slices]
    return turned(picture, frame.to_source, before.size.rect, frame.size.rect)


MODEL = Model(
    Stage.DEVELOP, "crop", "Crop", "Which part of the picture is wanted, and how it is turned.",
    (*EDGES, ANGLE), run, lambda values, context: LANCZOS_LOBES + 1, after=after, roles=(Role.SHAPE,),
    summary=lambda model, values, size: "cropped", tools=(CROP, LEVEL),
)  # fmt: skip
