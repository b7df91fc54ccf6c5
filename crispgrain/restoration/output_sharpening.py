"""Sharpening for paper or a screen: what the medium softens and the eye hardly sees at its distance, made up for."""

from __future__ import annotations

import math

import cv2
import numpy as np

from crispgrain.arrays import Array

from .halo import bound

SHOWN = 15.0  # cycles a degree: half of the 30 that sharp eyes resolve, lines of one arc minute (ISO 8596)
LEAST_RADIUS, MOST_RADIUS = 0.4, 20.0  # px


def contrast_sensitivity(frequency: float) -> float:
    """How well an eye sees fine gratings, 1 at best; ``frequency`` in cycles a degree.

    References
    ----------
    J. L. Mannos, D. J. Sakrison, "The effects of a visual fidelity criterion on the encoding of images", IEEE Trans.
    Information Theory 20(4), 1974.

    Examples
    --------
    >>> round(contrast_sensitivity(8), 2), round(contrast_sensitivity(30), 2)
    (0.98, 0.19)
    """
    return 2.6 * (0.0192 + 0.114 * frequency) * math.exp(-((0.114 * frequency) ** 1.1))


def mask_for(distance: float, ppi: float, spread: float) -> tuple[float, float]:
    """Radius (sigma, px) and amount of an unsharp mask for a medium.

    Detail of fifteen cycles a degree, half of what a sharp eye resolves, comes to the eye as strongly as the coarse:
    what the medium's ``spread`` takes off it is given back, and what the eye makes less of is added.

    Parameters
    ----------
    distance : float
        Of the eye, mm.
    ppi : float
        Pixels per inch.
    spread : float
        Sigma of the medium's own blur, mm: of ink in paper, for instance.

    Examples
    --------
    >>> radius, amount = mask_for(distance=400, ppi=300, spread=0.0)
    >>> round(radius, 2), round(amount, 2)
    (0.87, 0.89)
    """
    cycles = SHOWN / (distance * math.tan(math.radians(1)))  # per mm
    radius = ppi / 25.4 / (2 * math.pi * cycles)
    passed = math.exp(-2 * (math.pi * spread * cycles) ** 2)
    # The medium's own blur cannot be undone without end: at most as much as the eye's two times.
    wanted = min(1 / (passed * contrast_sensitivity(SHOWN)), 3.0)
    amount = (wanted - 1) / (1 - math.exp(-0.5))
    return min(max(radius, LEAST_RADIUS), MOST_RADIUS), amount


def reach(radius: float) -> int:
    """How far around a pixel :func:`sharpened` looks, px.

    Examples
    --------
    >>> reach(1.0)
    7
    """
    return math.ceil(4 * radius) + math.ceil(2 * radius) + 1


def sharpened(luma: Array, radius: float, amount: float, limit: float = 0.02) -> Array:
    """An unsharp mask that stays within the local range.

    Parameters
    ----------
    luma : float32, H x W
        Encoded, 0 black to 1 white.
    radius : float
        Sigma of the mask, px.
    limit : float
        By how much of white the local range may be left, at white; less in the dark.

    Examples
    --------
    >>> edge = np.repeat(np.array([[0.2, 0.2, 0.4, 0.6, 0.8, 0.8]], np.float32), 3, axis=0)
    >>> sharp = sharpened(edge, 1.0, 1.0)
    >>> bool(sharp[1, 2] < 0.4), bool(sharp.max() < 0.8 + 0.02)
    (True, True)
    """
    detail = luma - cv2.GaussianBlur(luma, (0, 0), radius, borderType=cv2.BORDER_REFLECT)
    raised = luma + np.float32(amount) * detail
    return bound(raised, luma, limit, max(1, math.ceil(2 * radius)), np.zeros_like(luma))
