"""Out of focus: what a mask shows is drawn as a wide lens draws what lies behind, and paler if wanted."""

from __future__ import annotations

import math

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.lens_blur import blurred_by_depth

from ...colour import oklab
from ...model import Context, Model, Parameter, Role, Stage, Values

PARAMETERS = (
    Parameter("disc", "Disc", "Of what is farthest off, across, as a share of the longer side.", 1.5, 0.1, 5, 0.1, "%"),
    Parameter("lamps", "Lamps", "How much brighter lamps are than white: their discs show.", 3.0, 0, 20, 0.5, "×"),
    Parameter("pale", "Paler", "How much colour is taken from it.", 0.0, 0, 100, 1, "%"),
)
LEAST = 1e-3  # of a mask: less is not divided by


def _radius(values: Values, context: Context) -> float:
    size = context.before.size
    return float(values["disc"]) / 200 * max(size.width, size.height)


def run(pixels: Array, values: Values, context: Context) -> Array:
    """A soft mask is depth: half of it is half as far out of focus."""
    depth = np.ones(pixels.shape[:2], np.float32) if context.mask is None else context.mask
    wanted = blurred_by_depth(pixels, depth, _radius(values, context), float(values["lamps"]))
    share = depth[..., None]
    # It is blended by the mask with what there was, which must not show through.
    result = np.where(share > LEAST, pixels + (wanted - pixels) / np.maximum(share, np.float32(LEAST)), wanted)
    pale = float(values["pale"]) / 100
    return oklab.with_colour(result, 1 - pale) if pale else result


def margin(values: Values, context: Context) -> int:
    return math.ceil(_radius(values, context)) + 2


def summary(model: Model, values: Values, size: Size) -> str:
    return "out of focus"


MODEL = Model(
    Stage.FINISH, "out-of-focus", "Out of focus",
    "What the mask shows lies far behind: soft discs, nothing of the subject in them.", PARAMETERS, run, margin,
    roles=(Role.ZONE,), summary=summary, tolerance=1e-4, sees_mask=True,
)  # fmt: skip
