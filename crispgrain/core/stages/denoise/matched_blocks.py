"""What the photo net makes of a picture, cleaned again and again together with all that looks block_matching."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import block_matching, shadow_clipping

from ...meter.reading import Reading
from ...model import Knowledge, Model, Parameter, Stage, Values
from ...networks import runtime
from ...networks.conditioned import REACH
from . import photo_net
from .parameters import STRENGTHS, after, summary
from .sliding_dct import TONE_REACH

# How much of a group's mean is, at first, that of its noisy blocks: the network loses faint texture, and later rounds
# take off the noise that comes with it.
HEED = {"fast": 0.5, "best": 0.65}
OFFSET = block_matching.BLOCK // 2  # px between the two grids of blocks
NOISE_LEFT = 0.2  # share of the noise that is put back for the network to look again
HALFWAY = 35 / 255  # of white; of so much noise the second look counts half: the stronger the noise, the more
TILE = 512  # px; a spot the network rounds otherwise may find other blocks alike, so tiles are the same everywhere
EFFORT = Parameter(
    "effort", "Effort", "Best goes on with more groups of blocks: a little cleaner, twice as slow.", "fast",
    choices=("fast", "best"),
)  # fmt: skip


def _caution(reading: Reading) -> str:
    if reading.white:
        return ""
    better = "Mosaic net" if reading.raw else "Photo net"
    return f"Matched blocks is for white noise, which this shot's is not: {better} is likely to come out cleaner."


GROUPS = block_matching.reach() + 2 * block_matching.BLOCK  # px; how far the blocks of a group lie apart


def run(pixels: Array, values: Values, knowledge: Knowledge) -> Array:
    """The photo net needs all of its margin, blocks only theirs."""
    part = knowledge.wanted.grow(GROUPS + shadow_clipping.REACH, knowledge.rect)
    square = 2 * block_matching.BLOCK
    top, left = (n // square * square for n in (part.top, part.left))  # where a white square begins
    inside = Rect.between(top, left, part.bottom, part.right).within(knowledge.rect).slices

    def together(opponent: Array, cleaned: Array, told: Array) -> Array:
        effort = str(values["effort"])
        cleaned[inside] = _together(opponent[inside], cleaned[inside], told[inside], (top, left), effort)
        return cleaned

    return photo_net.denoised(pixels, {**values, "compression": 0.0, "effort": "fast"}, knowledge, together)


def _lightness(opponent: Array) -> Array:
    """0 to 1; the luma axis is orthonormal, so white is the root of 3 on it."""
    return opponent[..., 0] * np.float32(3**-0.5)


def _together(noisy: Array, picture: Array, told: Array, start: tuple[int, int], effort: str) -> Array:
    """Each round starts from the last one's result, on another grid of blocks, so that their errors do not add up."""
    sigma = told[..., [0, 1, 1]]
    first = block_matching.find_alike(_lightness(picture))
    picture = block_matching.clean_together(noisy, picture, sigma, block_matching.every_second(first), HEED[effort])
    second = block_matching.find_alike(_lightness(picture), OFFSET)
    picture = block_matching.clean_together(noisy, picture, sigma, block_matching.every_second(second))
    if effort == "fast":
        return picture
    first, second = (p.reshape(-1, *p.shape[2:]) for p in (first, second))
    picture = block_matching.clean_together(noisy, picture, sigma, first)
    again = photo_net.network(picture + np.float32(NOISE_LEFT) * (noisy - picture), NOISE_LEFT * told, start)
    share = np.square(sigma) / (np.square(sigma) + HALFWAY**2)
    return block_matching.clean_together(noisy, picture + share * (again - picture), sigma, second)


MODEL = Model(
    Stage.DENOISE, "matched-blocks", "Matched blocks",
    "For white noise, which is of its own in every pixel: the photo net, then spots that look alike are cleaned "
    "together. Slow, and worse than the photo net where noise was smoothed, compressed or made smaller.",
    (*STRENGTHS, EFFORT), run,
    lambda values, knowledge: REACH + TONE_REACH + GROUPS + shadow_clipping.REACH,
    problem=lambda: runtime.problem(photo_net.NAME), tile=lambda values: TILE, same_tiles=True,
    caution=_caution, after=after,
    tolerance=runtime.ROUNDING,
    summary=summary, strength="luminance",
)  # fmt: skip
