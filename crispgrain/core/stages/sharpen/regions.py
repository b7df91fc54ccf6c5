"""Blur that differs across the picture, as towards the corners of a lens."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

from ...meter.reading import Blur
from ...model import Context, Parameter

RUNG = 1.25  # ratio of the radii a blur is undone with
FARTHEST = 2.5  # most a region's radius differs from the picture's, as a ratio

VARIES = Parameter(
    "varies", "Blur is",
    "Even is the same everywhere. By region follows the softness metered in nine parts of the picture, as where a lens "
    "gets softer towards the corners; what is meant to be out of focus gets sharper too.",
    "even", choices=("even", "by-region"), labels=("even", "by region"),
)  # fmt: skip


def ratios(blur: Blur, rect: Rect, full: Size) -> NDArray[np.float32]:
    """By what the blur in a rectangle differs from that of the whole picture (H x W)."""
    grid = np.array(blur.regions, np.float32) / max(blur.softness, 1e-3)
    places = []
    for start, length, whole, cells in (
        (rect.top, rect.height, full.height, len(grid)), (rect.left, rect.width, full.width, len(grid[0]))
    ):  # fmt: skip
        centres = (np.arange(start, start + length, dtype=np.float32) + 0.5) / whole * cells - 0.5
        places.append(np.clip(centres, 0, cells - 1))
    rows, columns = np.meshgrid(*places, indexing="ij")
    found = cv2.remap(grid, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.clip(found, 1 / FARTHEST, FARTHEST)


def blended(radius: float, context: Context, undone: Callable[[float], Array]) -> Array:
    """A picture in which each place has its own radius of blur undone.

    ``undone`` gives the pixels with one radius undone everywhere. It is asked for a few
    radii that are the same for all tiles; between two of them, results are mixed.
    """
    steps = np.log(ratios(context.reading.blur, context.rect, context.before.size)) / np.float32(np.log(RUNG))
    result: Array = np.zeros((), np.float32)
    for rung in range(int(np.floor(steps.min())), int(np.ceil(steps.max())) + 1):
        share = np.maximum(1 - np.abs(steps - rung), 0)[..., None]
        if share.any():
            result = result + share * undone(radius * RUNG**rung)
    return result


def largest(radius: float, varies: str) -> float:
    """The largest radius that may be undone anywhere."""
    return radius * FARTHEST if varies == "by-region" else radius
