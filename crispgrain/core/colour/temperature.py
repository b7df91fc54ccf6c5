"""The colour of light in kelvin and Duv, and CIE's illuminants."""

from __future__ import annotations

from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from .spaces import WORKING, to_xyz, white_xyz

Chromaticity = tuple[float, float]  # x, y of CIE 1931

# CIE 15:2018, tables T.3 and 10: incandescent, daylight, tubes (halophosphate, three bands), a blue LED with phosphor.
ILLUMINANTS: dict[str, Chromaticity] = {
    "A": (0.44758, 0.40745), "D50": (0.34570, 0.35850), "D55": (0.33243, 0.34744), "D65": (0.31270, 0.32900),
    "D75": (0.29903, 0.31488), "FL2": (0.37210, 0.37510), "FL11": (0.38050, 0.37690), "LED-B3": (0.37560, 0.37230),
}  # fmt: skip
DAYLIGHT, BULB = 4000.0, 2856.0  # K: the least that CIE's daylight is stated for, and illuminant A
COLDEST, HOTTEST = 1500.0, 20000.0  # K, between which a light is given a temperature


def _planckian(kelvin: float) -> tuple[float, float]:
    """u, v of CIE 1960 of a black body (M. Krystek, Color Research and Application 10(1), 1985; 1000 to 15000 K)."""
    t = kelvin
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return u, v


def _across(kelvin: float) -> NDArray[np.float64]:
    """The direction, of length 1, that leads away from the locus of black bodies towards green."""
    step = 0.01 * kelvin
    along = np.array(_planckian(kelvin + step)) - np.array(_planckian(kelvin - step))
    return np.array([along[1], -along[0]]) / np.hypot(*along) * (1 if along[0] < 0 else -1)


def kelvin_of(light: Chromaticity) -> tuple[float, float]:
    """Correlated colour temperature in kelvin and Duv, positive towards green, of a light.

    Duv is the distance from the locus of black bodies in u, v of CIE 1960 (ANSI C78.377). Lights hotter or colder than
    1500 to 20000 K have the nearer end.

    Examples
    --------
    >>> kelvin, duv = kelvin_of(ILLUMINANTS["D65"])
    >>> round(kelvin, -2), round(duv, 3)
    (6500.0, 0.003)
    """
    x, y = light
    place = np.array([4 * x, 6 * y]) / (-2 * x + 12 * y + 3)

    def ahead(mired: float) -> float:
        off = place - _planckian(1e6 / mired)
        direction = _across(1e6 / mired)
        return float(off @ (direction[1], -direction[0]))

    low, high = 1e6 / HOTTEST, 1e6 / COLDEST
    if ahead(low) * ahead(high) > 0:
        kelvin = HOTTEST if abs(ahead(low)) < abs(ahead(high)) else COLDEST
    else:
        kelvin = 1e6 / float(scipy.optimize.brentq(ahead, low, high, xtol=1e-6))
    return kelvin, float((place - _planckian(kelvin)) @ _across(kelvin))


def light_of(kelvin: float, duv: float) -> Chromaticity:
    """The other way round.

    Examples
    --------
    >>> [round(v, 3) for v in light_of(*kelvin_of((0.38, 0.38)))]
    [0.38, 0.38]
    """
    u, v = np.array(_planckian(kelvin)) + duv * _across(kelvin)
    return float(3 * u / (2 * u - 8 * v + 4)), float(2 * v / (2 * u - 8 * v + 4))


def daylight(kelvin: float) -> Chromaticity:
    """Daylight of a temperature (CIE 15:2018, 4000 to 25000 K), and from there on down to bulbs what is between.

    Examples
    --------
    >>> [round(v, 3) for v in daylight(6504)], [round(v, 3) for v in daylight(2856)]
    ([0.313, 0.329], [0.448, 0.408])
    """
    if kelvin < DAYLIGHT:
        _, duv = kelvin_of(daylight(DAYLIGHT))
        return light_of(kelvin, duv * max(kelvin - BULB, 0) / (DAYLIGHT - BULB))
    t = 1e3 / min(kelvin, 25000)
    if kelvin <= 7000:
        x = -4.6070 * t**3 + 2.9678 * t**2 + 0.09911 * t + 0.244063
    else:
        x = -2.0064 * t**3 + 1.9018 * t**2 + 0.24748 * t + 0.237040
    return x, -3.0 * x * x + 2.870 * x - 0.275


@cache
def _from_xyz() -> NDArray[np.float64]:
    return np.asarray(np.linalg.inv(to_xyz(WORKING)), np.float64)


def in_working(light: Chromaticity) -> NDArray[np.float64]:
    """A light as a colour of the working space, the largest value 1."""
    colour = _from_xyz() @ white_xyz(light)
    return np.asarray(colour / colour.max())


def of_working(colour: NDArray[np.float64]) -> Chromaticity:
    """The other way round."""
    x, y, z = to_xyz(WORKING) @ colour
    return float(x / (x + y + z)), float(y / (x + y + z))
