"""What the mosaic net makes of a mosaic, cleaned again and again together with all that looks alike."""

from __future__ import annotations

import numpy as np

from ...colour.spaces import Array
from ...geometry import Rect
from ...model import Domain, Knowledge, Model, Parameter, Stage, Values
from ...networks import runtime
from . import alike, mosaic_net
from .parameters import STRENGTHS

SAME_COLOURS = 2  # rows and columns from one cell of the mosaic to the next
OFFSETS = (0, 4)  # px between the grids of blocks of the rounds: whole cells
# Of each round in the result. Where noise is weak, more would gain; where it is strong, a first result that lost detail
# would lose more of it.
SHARE = np.float32(0.5)
SEEN = np.array([0.25, 0.5, 0.25], np.float32)  # shares of the colours in what blocks are compared by: as in a cell
TILE = 512  # px; a spot the network rounds otherwise may find other blocks alike, so tiles are the same everywhere
EFFORT = Parameter(
    "effort", "Effort", "Best averages four renderings of the network, and cleans twice as many groups.", "fast",
    choices=("fast", "best"),
)  # fmt: skip


def run(mosaic: Array, values: Values, knowledge: Knowledge) -> Array:
    """The network needs all of its margin, blocks only theirs."""
    part = knowledge.wanted.grow(alike.REACH + 2 * alike.BLOCK, knowledge.rect)

    def together(stable: Array, rgb: Array, sigma: float, start: tuple[int, int]) -> Array:
        # Two blocks on from a red cell there is one again, and the chessboard of groups begins anew.
        top, left = (
            (n - s % 2) // (2 * alike.BLOCK) * 2 * alike.BLOCK + s % 2
            for n, s in zip((part.top, part.left), start, strict=True)
        )
        inside = Rect.between(top, left, part.bottom, part.right).moved(-start[0], -start[1]).slices
        rgb[inside] = _together(stable[inside], rgb[inside], sigma, str(values["effort"]))
        return rgb

    return mosaic_net.denoised(mosaic, values, knowledge, together)


def _together(mosaic: Array, rgb: Array, sigma: float, effort: str) -> Array:
    """Each round starts from the last one's result, on another grid of blocks, so that their errors do not add up."""
    seen = mosaic[..., None].astype(np.float32)
    noise = np.full_like(seen, sigma)
    for offset in OFFSETS:
        places = alike.find_alike(rgb @ SEEN, offset, SAME_COLOURS)
        groups = alike.every_second(places) if effort == "fast" else places.reshape(-1, *places.shape[2:])
        pilot = mosaic_net.mosaic_of(rgb)[..., None]
        rgb = rgb + SHARE * (alike.clean_together(seen, pilot, noise, groups, whole=rgb) - rgb)
    return rgb


MODEL = Model(
    Stage.DENOISE, "matched-mosaic", "Matched mosaic",
    "For RAW: the mosaic net, then spots that look alike are cleaned together. Least noise, and slow.",
    (*STRENGTHS, EFFORT), run,
    lambda values, knowledge: mosaic_net.REACH + alike.REACH + 2 * alike.BLOCK, Domain.MOSAIC,
    problem=lambda: runtime.problem(mosaic_net.NAME), demosaics=True, tile=lambda values: TILE, same_tiles=True,
)  # fmt: skip
