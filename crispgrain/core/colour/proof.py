"""Which colours a file of a profile has not, and by how much it misses them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from .difference import ciede2000, lab
from .icc import Intent, from_working, profile, through

# CIEDE2000 from which a colour counts as out of gamut: about twice what tables of ink leave of a colour within it
# (measured on the simulated paper: 95 % of those within are missed by less than 1.5).
MISSED = 2.0


@dataclass(frozen=True)
class Proof:
    """How a result is shown as a file of a profile would look.

    With ``paper``, white and black are those of paper and ink. ``warning`` is a colour (8-bit sRGB) for what is out of
    gamut; without one such colours are shown as they come out.
    """

    icc: bytes
    intent: Intent
    black_point: bool
    paper: bool = False
    warning: tuple[int, int, int] | None = None

    def shown(self, pixels: Array) -> NDArray[np.uint8]:
        """Working-space pixels (H x W x 3) as 8-bit sRGB for the screen."""
        screen = profile("srgb")
        if self.warning is not None:
            stored = from_working(pixels, screen, 8)
            stored[missed(pixels, self.icc) > MISSED] = self.warning
            return stored
        return from_working(through(pixels, self.icc, self.intent, self.black_point, self.paper), screen, 8)


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
