"""Sensor values to the working space, and what becomes of those that are saturated."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.strips import in_strips, in_strips_of

from ...colour.spaces import apply_matrix, brightest
from ...files.source import RawSource

CLIPPED = 0.985  # share of saturation from which a sensor value no longer tells the truth


def in_working_space(sensor: Array, source: RawSource, rect: Rect, how: str) -> Array:
    """Sensor RGB (H x W x 3) of a rectangle balanced, shading undone, its highlights treated, in the working space."""

    def worked(pixels: Array, gains: Array) -> Array:
        return apply_matrix(highlights(pixels * gains, pixels, how), source.camera_to_working)

    if source.shading is None:
        return in_strips(worked)(sensor, source.white_balance)
    return in_strips_of(2)(worked)(sensor, source.shading.over(rect) * source.white_balance)


def highlights(balanced: Array, sensor: Array, how: str) -> Array:
    """Treat saturated pixels so that lamps do not turn pink.

    Parameters
    ----------
    balanced : float32, H x W x 3
        White-balanced camera RGB, green saturating at 1.
    sensor : float32, H x W x 3
        The same before white balance: 1 is saturation.
    how : str
        ``white`` cuts all colours at 1, where the first saturates. ``rebuild``
        fades to a neutral of the brightest colour, keeping values above 1.
    """
    if how == "white":
        return np.minimum(balanced, np.float32(1))
    near = np.clip((brightest(sensor) - CLIPPED + 0.1) / 0.1, 0, 1)
    if not near.any():
        return balanced
    neutral = brightest(balanced)[..., None]
    return balanced + near[..., None] * (neutral - balanced)
