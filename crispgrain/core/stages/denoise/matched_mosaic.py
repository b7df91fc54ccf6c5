"""What the mosaic net makes of a mosaic, cleaned again and again together with all that looks alike."""

from __future__ import annotations

import math

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import block_matching, collaborative

from ...model import Context, Domain, Model, Parameter, Stage, Values
from ...networks import mosaic, runtime
from ...networks.mosaic import MULTIPLE, mosaic_of, network
from ...networks.runtime import EDGE
from . import dots, mosaic_net
from .dots import DOTS
from .parameters import STRENGTHS, after_demosaicing, summary

REACH = block_matching.reach(collaborative.SEARCH) + 2 * block_matching.BLOCK  # px on one side, of the rounds
OFFSETS = (0, 4)  # px between the grids of blocks of the rounds: whole cells
NOISE_LEFT = 0.2  # share of the noise that is put back for the network to look again
MOST_AGAIN = 0.8  # of the second look in the result
HALFWAY = 0.02  # of white in the stabilised mosaic, about ISO 6400: so much noise makes the second look count half that
TILE = 512  # px; a spot the network rounds otherwise may find other blocks alike, so tiles are the same everywhere
EFFORT = Parameter(
    "effort", "Effort",
    "Best takes a network with more layers, lets it look again, and cleans twice as many groups.", "fast",
    choices=("fast", "best"),
)  # fmt: skip


def run(pixels: Array, values: Values, context: Context) -> Array:
    """The network needs all of its margin, blocks only theirs."""
    part = context.wanted.grow(REACH, context.rect)

    def refined(stable: Array, rgb: Array, sigma: float, start: tuple[int, int]) -> Array:
        # On red cells where the chessboard of groups and the network's deepest cells begin anew, counted in every tile
        # from where the mirrored surroundings of the picture begin.
        again = math.lcm(2 * block_matching.BLOCK, MULTIPLE)
        top, left = (
            (n + EDGE + s % 2) // again * again - EDGE - s % 2
            for n, s in zip((part.top, part.left), start, strict=True)
        )
        inside = Rect.between(top, left, part.bottom, part.right).moved(-start[0], -start[1]).slices
        rgb[inside] = _refined(stable[inside], rgb[inside], sigma, values["effort"] == "best")
        return rgb

    return mosaic_net.run(pixels, values, context, refined)


def _refined(stable: Array, rgb: Array, sigma: float, best: bool) -> Array:
    first, second = OFFSETS
    rgb = collaborative.refine_mosaic(stable, mosaic_of(rgb), rgb, sigma, first, best)
    if best:
        rgb = _look_again(stable, rgb, sigma)
    return collaborative.refine_mosaic(stable, mosaic_of(rgb), rgb, sigma, second, best)


def _look_again(stable: Array, rgb: Array, sigma: float) -> Array:
    """What the network makes of the result with a little of the noise: the stronger it was, the more that helps."""
    height, width = stable.shape
    seen = mosaic_of(rgb)
    seen += np.float32(NOISE_LEFT) * (stable - seen)
    seen = np.pad(seen, ((0, -height % MULTIPLE), (0, -width % MULTIPLE)), mode="reflect")
    again = network(seen, NOISE_LEFT * sigma, "fast")[:height, :width]
    return rgb + np.float32(MOST_AGAIN * sigma**2 / (sigma**2 + HALFWAY**2)) * (again - rgb)


MODEL = Model(
    Stage.DENOISE, "matched-mosaic", "Matched mosaic",
    "For RAW: the mosaic net, then spots that look alike are cleaned together. Least noise, and slow.",
    (*STRENGTHS, DOTS, EFFORT), run,
    lambda values, context: mosaic.REACH[str(values["effort"])] + REACH + dots.REACH, Domain.MOSAIC,
    draft=mosaic_net.MODEL.id, unavailable=lambda: runtime.unavailable(mosaic.NAME), after=after_demosaicing,
    tile=lambda values: TILE, same_tiles=True,
    tolerance=runtime.ROUNDING,
    summary=summary, strength="luminance", bayer_only=True,
)  # fmt: skip
