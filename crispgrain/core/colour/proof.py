"""Which colours a file of a profile has not, and by how much it misses them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from .difference import ciede2000, lab
from .icc import Intent, through

# CIEDE2000 from which a colour counts as out of gamut: about twice what tables of ink leave of a colour within it
# (measured on the simulated paper: 95 % of those within are missed by less than 1.5).
MISSED = 2.0


@dataclass(frozen=True)
class Gamut:
    """What a profile makes of a picture: the share of pixels out of gamut, and the largest CIEDE2000."""

    share: float
    largest: float


def missed(pixels: Array, icc: bytes) -> NDArray:
    """By how much (CIEDE2000) each colour (H x W x 3, working space) is missed, as near as the profile comes to it.

    Relative to the paper, without compensation of the black point.
    """
    shown = np.clip(pixels, 0, None)
    return ciede2000(lab(shown), lab(through(pixels, icc, Intent.RELATIVE, black_point=False, paper=False)))


def gamut_of(pixels: Array, icc: bytes) -> Gamut:
    """The figures for a picture."""
    far = missed(pixels, icc)
    return Gamut(float((far > MISSED).mean()), float(far.max()))
