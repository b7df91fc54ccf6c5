"""Rounds of collaborative filtering after a first result: each starts from the last one's, on another grid of blocks,
so that their errors do not add up."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from crispgrain.arrays import Array

from . import block_matching
from .block_matching import chessboard, collaborative_filter, match_blocks

OFFSET = block_matching.BLOCK // 2  # px between the two grids of blocks of a picture
HALFWAY = 35 / 255  # of white; of so much noise the second look counts half: the stronger the noise, the more
SAME_COLOURS = 2  # rows and columns from one cell of a mosaic to the next
SEARCH = 20  # px each way in which others are sought: in steps of two no more work than 10 in steps of one
# Of each round of a mosaic in the result. Where noise is weak, more would gain; where it is strong, a first result that
# lost detail would lose more of it.
SHARE = np.float32(0.5)
SEEN = np.array([0.25, 0.5, 0.25], np.float32)  # shares of the colours in what blocks are compared by: as in a cell

Again = Callable[[Array], Array]  # from a picture to what another look makes of it


def refine_picture(noisy: Array, pilot: Array, sigma: Array, mean_weight: float, again: Again | None = None) -> Array:
    """Two rounds on half of the groups each; with ``again`` two more on all of them, another look between.

    Parameters
    ----------
    noisy, pilot, sigma : float32, H x W x 3
        On orthonormal luma and colour axes of encoded values; see :func:`.block_matching.collaborative_filter`.
    mean_weight : float
        How much of a group's mean is, in the first round, that of its noisy blocks.

    Examples
    --------
    >>> noise = np.random.default_rng(0).normal(0, 0.1, (24, 24, 3)).astype(np.float32)
    >>> flat = np.zeros_like(noise)
    >>> bool(refine_picture(noise, flat, flat + np.float32(0.1), mean_weight=0.5).std() < 0.05)
    True
    """
    first = match_blocks(_lightness(pilot))
    picture = collaborative_filter(noisy, pilot, sigma, chessboard(first), mean_weight)
    second = match_blocks(_lightness(picture), OFFSET)
    picture = collaborative_filter(noisy, picture, sigma, chessboard(second))
    if again is None:
        return picture
    first, second = (p.reshape(-1, *p.shape[2:]) for p in (first, second))
    picture = collaborative_filter(noisy, picture, sigma, first)
    share = np.square(sigma) / (np.square(sigma) + HALFWAY**2)
    return collaborative_filter(noisy, picture + share * (again(picture) - picture), sigma, second)


def refine_mosaic(mosaic: Array, seen: Array, rgb: Array, sigma: float, offset: int, every: bool) -> Array:
    """One round on a mosaic of even noise.

    Parameters
    ----------
    mosaic, seen : float32, H x W
        The noisy mosaic, and what a sensor would see of the result so far.
    rgb : float32, H x W x 3
        That result.
    offset : int
        Rows and columns by which the grid of blocks begins before the picture.
    every : bool
        Whether all groups are cleaned, or every second one.

    Examples
    --------
    >>> noise = np.random.default_rng(0).normal(0.5, 0.1, (24, 24)).astype(np.float32)
    >>> flat = np.full((24, 24, 3), 0.5, np.float32)
    >>> bool(np.allclose(refine_mosaic(noise, flat[..., 0], flat, 0.1, 0, True), 0.5, atol=0.05))
    True
    """
    noisy, pilot = (m[..., None].astype(np.float32) for m in (mosaic, seen))
    places = match_blocks(rgb @ SEEN, offset, SAME_COLOURS, SEARCH)
    groups = places.reshape(-1, *places.shape[2:]) if every else chessboard(places)
    cleaned = collaborative_filter(noisy, pilot, np.full_like(noisy, sigma), groups, whole=rgb)
    return rgb + SHARE * (cleaned - rgb)


def _lightness(opponent: Array) -> Array:
    """0 to 1; the luma axis is orthonormal, so white is the root of 3 on it."""
    return opponent[..., 0] * np.float32(3**-0.5)
