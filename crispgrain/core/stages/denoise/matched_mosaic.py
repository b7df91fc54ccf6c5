"""What the mosaic net makes of a mosaic, cleaned again and again together with all that looks block_matching."""

from __future__ import annotations

import math

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import block_matching

from ...model import Domain, Knowledge, Model, Parameter, Stage, Values
from ...networks import runtime
from ...networks.runtime import EDGE
from . import mosaic_net
from .parameters import STRENGTHS, after_demosaicing, summary

SAME_COLOURS = 2  # rows and columns from one cell of the mosaic to the next
FAR = 20  # px each way in which others are sought: in steps of two no more work than 10 in steps of one
REACH = block_matching.reach(FAR) + 2 * block_matching.BLOCK  # px on one side, of the rounds
OFFSETS = (0, 4)  # px between the grids of blocks of the rounds: whole cells
# Of each round in the result. Where noise is weak, more would gain; where it is strong, a first result that lost detail
# would lose more of it.
SHARE = np.float32(0.5)
NOISE_LEFT = 0.2  # share of the noise that is put back for the network to look again
MOST_AGAIN = 0.8  # of the second look in the result
HALFWAY = 0.02  # of white in the stabilised mosaic, about ISO 6400: so much noise makes the second look count half that
SEEN = np.array([0.25, 0.5, 0.25], np.float32)  # shares of the colours in what blocks are compared by: as in a cell
TILE = 512  # px; a spot the network rounds otherwise may find other blocks alike, so tiles are the same everywhere
EFFORT = Parameter(
    "effort", "Effort",
    "Best averages four renderings of the network, lets it look again, and cleans twice as many groups.", "fast",
    choices=("fast", "best"),
)  # fmt: skip


def run(mosaic: Array, values: Values, knowledge: Knowledge) -> Array:
    """The network needs all of its margin, blocks only theirs."""
    part = knowledge.wanted.grow(REACH, knowledge.rect)

    def together(stable: Array, rgb: Array, sigma: float, start: tuple[int, int]) -> Array:
        # On red cells where the chessboard of groups and the network's deepest cells begin anew, counted in every tile
        # from where the mirrored surroundings of the picture begin.
        again = math.lcm(2 * block_matching.BLOCK, mosaic_net.MULTIPLE)
        top, left = (
            (n + EDGE + s % 2) // again * again - EDGE - s % 2
            for n, s in zip((part.top, part.left), start, strict=True)
        )
        inside = Rect.between(top, left, part.bottom, part.right).moved(-start[0], -start[1]).slices
        rgb[inside] = _together(stable[inside], rgb[inside], sigma, str(values["effort"]))
        return rgb

    return mosaic_net.denoised(mosaic, values, knowledge, together)


def _together(mosaic: Array, rgb: Array, sigma: float, effort: str) -> Array:
    """Each round starts from the last one's result, on another grid of blocks, so that their errors do not add up."""
    first, second = OFFSETS
    rgb = _round(mosaic, rgb, sigma, effort, first)
    if effort == "best":
        rgb = _look_again(mosaic, rgb, sigma)
    return _round(mosaic, rgb, sigma, effort, second)


def _round(mosaic: Array, rgb: Array, sigma: float, effort: str, offset: int) -> Array:
    seen, pilot = (m[..., None].astype(np.float32) for m in (mosaic, mosaic_net.mosaic_of(rgb)))
    places = block_matching.find_alike(rgb @ SEEN, offset, SAME_COLOURS, FAR)
    groups = block_matching.every_second(places) if effort == "fast" else places.reshape(-1, *places.shape[2:])
    together = block_matching.clean_together(seen, pilot, np.full_like(seen, sigma), groups, whole=rgb)
    return rgb + SHARE * (together - rgb)


def _look_again(mosaic: Array, rgb: Array, sigma: float) -> Array:
    """What the network makes of the result with a little of the noise: the stronger it was, the more that helps."""
    height, width = mosaic.shape
    seen = mosaic_net.mosaic_of(rgb)
    seen += np.float32(NOISE_LEFT) * (mosaic - seen)
    seen = np.pad(seen, ((0, -height % mosaic_net.MULTIPLE), (0, -width % mosaic_net.MULTIPLE)), mode="reflect")
    again = mosaic_net.network(seen, NOISE_LEFT * sigma, "fast")[:height, :width]
    return rgb + np.float32(MOST_AGAIN * sigma**2 / (sigma**2 + HALFWAY**2)) * (again - rgb)


MODEL = Model(
    Stage.DENOISE, "matched-mosaic", "Matched mosaic",
    "For RAW: the mosaic net, then spots that look alike are cleaned together. Least noise, and slow.",
    (*STRENGTHS, EFFORT), run,
    lambda values, knowledge: mosaic_net.REACH + REACH, Domain.MOSAIC, draft=mosaic_net.MODEL.id,
    problem=lambda: runtime.problem(mosaic_net.NAME), after=after_demosaicing, tile=lambda values: TILE,
    same_tiles=True,
    tolerance=runtime.ROUNDING,
    summary=summary, strength="luminance",
)  # fmt: skip
