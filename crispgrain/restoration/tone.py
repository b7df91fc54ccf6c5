"""Tone: a smooth curve on what is large in a picture, and how strong what is small on it is."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.arrays import Array

from .guided import guided_coefficients

REACH = 0.012  # of the longer side: radius of the window that tells large from small
EDGE = 0.006  # variance of encoded luma, from which an edge stays one: no halo along it
MOST = 0.19  # encoded, by which a quarter and three quarters of the way are moved at 100
STEEPER = 0.1  # the same, of contrast
BEYOND = (1.25, 1.5, 2.0)  # encoded values above white, which a curve must say something of, too
BELOW = -0.25  # the same below black
LEAST_RISE = 0.1  # of a curve's steepness, so that nothing becomes flat and nothing turns


@dataclass(frozen=True)
class Tone:
    """What is wanted, -100 to 100 each, nothing at 0; ``black`` and ``white`` in percent of the encoded range.

    Attributes
    ----------
    contrast : float
        Steeper in the middle tones; black and white stay.
    bright, dark : float
        Bright parts, and dark parts, made lighter or (below 0) darker.
    black, white : float
        Where black and where white begin: inwards above 0.
    local : float
        Strength of what is smaller than a few hundredths of the picture.
    """

    contrast: float = 0.0
    bright: float = 0.0
    dark: float = 0.0
    black: float = 0.0
    white: float = 0.0
    local: float = 0.0

    @property
    def curved(self) -> bool:
        return any((self.contrast, self.bright, self.dark, self.black, self.white))


@lru_cache(maxsize=64)
def curve(tone: Tone) -> Callable[[NDArray[np.float64] | float], NDArray[np.float64]]:
    """Encoded luma to encoded luma, smooth and rising everywhere (F. Fritsch, R. Carlson, SIAM J. Num. Anal. 17, 1980).

    Examples
    --------
    >>> opened = curve(Tone(dark=50))
    >>> [round(float(opened(v)), 3) for v in (0, 0.25, 0.75, 1)]
    [0.0, 0.345, 0.75, 1.0]
    """
    low, high = tone.black / 100, 1 - tone.white / 100
    steep = STEEPER * tone.contrast / 100
    points = np.array([BELOW, 0.0, 0.25, 0.5, 0.75, 1.0, *BEYOND])
    bright, dark = MOST * tone.bright / 100, MOST * tone.dark / 100
    # White stays where bright parts are made lighter; made darker, they take what lies beyond white along.
    moved = points + np.array([0, 0, dark - steep, 0, bright + steep, min(bright, 0) / 2, *bright * np.array(BEYOND)])
    for n in range(1, len(points)):
        moved[n] = max(moved[n], moved[n - 1] + LEAST_RISE * (points[n] - points[n - 1]))
    places = low + points * (high - low)
    smooth = scipy.interpolate.PchipInterpolator(places, moved)

    def moved_to(values: NDArray[np.float64] | float) -> NDArray[np.float64]:
        inside = np.clip(values, places[0], places[-1])
        return smooth(inside) + (values - inside)

    return moved_to


def toned(luma: Array, tone: Tone, longer: int) -> Array:
    """Encoded luma (H x W, part of a picture whose longer side is ``longer`` px) with a tone.

    The curve moves the large parts, which end at edges (K. He, J. Sun, X. Tang, "Guided image filtering", 2013), and
    what is small rides on them: dark parts are opened without becoming flat.

    Examples
    --------
    >>> grey = np.full((40, 40), 0.25, np.float32)
    >>> round(float(toned(grey, Tone(dark=50), 400)[20, 20]), 3)
    0.345
    """
    large = _large(luma, longer)
    small = luma - large
    placed = curve(tone)(large.astype(np.float64)).astype(np.float32) if tone.curved else large
    return placed + small * np.float32(1 + tone.local / 100)


def reach(longer: int) -> int:
    """How far around a pixel is looked at, in px.

    Examples
    --------
    >>> reach(1000)
    25
    """
    return 2 * _radius(longer) + 1


def _radius(longer: int) -> int:
    return max(2, math.ceil(REACH * longer))


def _large(luma: Array, longer: int) -> Array:
    slope, offset = guided_coefficients(luma, luma, _radius(longer), EDGE)
    return slope * luma + offset
