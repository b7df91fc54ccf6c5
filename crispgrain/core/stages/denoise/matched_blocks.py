"""What the photo net makes of a picture, cleaned again and again together with all that looks alike."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import block_matching, collaborative, shadow_clipping

from ...meter.reading import Reading
from ...model import Context, Model, Parameter, Stage, Values
from ...networks import runtime
from ...networks.conditioned import REACH
from . import photo_net
from .parameters import STRENGTHS, after, summary
from .sliding_dct import TONE_REACH

# How much of a group's mean is, at first, that of its noisy blocks: the network loses faint texture, and later rounds
# take off the noise that comes with it.
MEAN_WEIGHT = {"fast": 0.5, "best": 0.65}
NOISE_LEFT = 0.2  # share of the noise that is put back for the network to look again
TILE = 512  # px; a spot the network rounds otherwise may find other blocks alike, so tiles are the same everywhere
EFFORT = Parameter(
    "effort", "Effort", "Best goes on with more groups of blocks: a little cleaner, twice as slow.", "fast",
    choices=("fast", "best"),
)  # fmt: skip


def _warning(reading: Reading) -> str:
    if reading.white:
        return ""
    better = "Mosaic net" if reading.raw else "Photo net"
    return f"Matched blocks is for white noise, which this shot's is not: {better} is likely to come out cleaner."


GROUPS = block_matching.reach() + 2 * block_matching.BLOCK  # px; how far the blocks of a group lie apart


def run(pixels: Array, values: Values, context: Context) -> Array:
    """The photo net needs all of its margin, blocks only theirs."""
    part = context.wanted.grow(GROUPS + shadow_clipping.REACH, context.rect)
    square = 2 * block_matching.BLOCK
    top, left = (n // square * square for n in (part.top, part.left))  # where a white square and a coarse pixel begin
    inside = Rect.between(top, left, part.bottom, part.right).within(context.rect).slices

    def refined(opponent: Array, cleaned: Array, conditioning: Array) -> Array:
        noisy, planes, effort = opponent[inside], conditioning[inside], str(values["effort"])

        def again(picture: Array) -> Array:
            left_in = picture + np.float32(NOISE_LEFT) * (noisy - picture)
            return photo_net.network(left_in, NOISE_LEFT * planes)

        cleaned[inside] = collaborative.refine_picture(
            noisy, cleaned[inside], planes[..., [0, 1, 1]], MEAN_WEIGHT[effort], again if effort == "best" else None
        )
        return cleaned

    return photo_net.denoised(pixels, {**values, "compression": 0.0, "effort": "fast"}, context, refined)


MODEL = Model(
    Stage.DENOISE, "matched-blocks", "Matched blocks",
    "For white noise, which is of its own in every pixel: the photo net, then spots that look alike are cleaned "
    "together. Slow, and worse than the photo net where noise was smoothed, compressed or made smaller.",
    (*STRENGTHS, EFFORT), run,
    lambda values, context: REACH + TONE_REACH + GROUPS + shadow_clipping.REACH,
    unavailable=lambda: runtime.unavailable(photo_net.NAME), tile=lambda values: TILE, same_tiles=True,
    warning=_warning, after=after,
    tolerance=runtime.ROUNDING,
    summary=summary, strength="luminance",
)  # fmt: skip
