"""A print on the bed of a scanner, or on a table: where its edges are."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

FRAME = 0.012  # of the shorter side: the rim that is taken to be the bed
DIFFERS = 0.06  # of encoded white, by which the print differs from the bed at least
SMALLEST, LARGEST = 0.12, 0.985  # shares of the scan that a print covers
FULL = 0.9  # share of its rectangle that it fills at least


@dataclass(frozen=True)
class Sheet:
    """Four corners (4 x 2, x and y in px, clockwise from the upper left), and how well they hold what was found."""

    corners: NDArray[np.float64]
    fills: float

    @property
    def slant(self) -> float:
        """By how many degrees its upper and lower edges fall to the right, -45 to 45."""
        (x1, y1), (x2, y2), (x3, y3), (x4, y4) = self.corners
        return math.degrees(math.atan2((y2 - y1) + (y3 - y4), (x2 - x1) + (x3 - x4)))


def sheet_in(picture: Array) -> Sheet | None:
    """Find the one rectangular thing on an even bed.

    Parameters
    ----------
    picture : H x W x 3
        Encoded, 0 to 1; a few hundred px are enough.

    Returns
    -------
    Sheet or None
        None if nothing stands out from the rim as a rectangle.

    Examples
    --------
    >>> scan = np.full((200, 300, 3), 0.9, np.float32)
    >>> scan[40:160, 60:240] = 0.3
    >>> np.round(sheet_in(scan).corners[0]).tolist()
    [60.0, 40.0]
    """
    height, width = picture.shape[:2]
    rim = max(2, round(FRAME * min(height, width)))
    outer = np.ones((height, width), bool)
    outer[rim:-rim, rim:-rim] = False
    bed = np.median(picture[outer], axis=0)
    apart = np.linalg.norm(cv2.GaussianBlur(picture, (0, 0), 1.0) - bed, axis=2)
    least = max(DIFFERS, 3 * float(np.median(apart[outer])))
    whole = _largest(apart > least)
    if whole is None:
        return None
    # An edge is where half of the step from the bed to the print's own rim is done.
    inner = cv2.erode(cv2.drawContours(np.zeros((height, width), np.uint8), [whole], -1, 1, cv2.FILLED),
                      np.ones((5, 5), np.uint8), iterations=2)  # fmt: skip
    band = (inner - cv2.erode(inner, np.ones((5, 5), np.uint8))) > 0
    if band.any():
        whole = _largest(apart > max(least, 0.5 * float(np.median(apart[band]))))
    if whole is None:
        return None
    hull = cv2.convexHull(whole)
    # Pixels have a width: an outline runs through the middles of the outermost.
    area, box = cv2.contourArea(hull), cv2.minAreaRect(hull)
    fills = area / max(box[1][0] * box[1][1], 1.0)
    if not SMALLEST < area / (height * width) < LARGEST or fills < FULL:
        return None
    corners = cv2.boxPoints((box[0], (box[1][0] + 1, box[1][1] + 1), box[2])).astype(np.float64) + 0.5
    return Sheet(_clockwise(corners), float(fills))


def _largest(there: NDArray[np.bool_]) -> NDArray[np.int32] | None:
    """The outline of the largest thing in a mask; hairs left out, gaps closed."""
    size = max(3, round(0.01 * min(there.shape)) | 1)
    solid = cv2.morphologyEx(there.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    solid = cv2.morphologyEx(solid, cv2.MORPH_CLOSE, np.ones((size, size), np.uint8))
    outlines, _ = cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    return np.asarray(max(outlines, key=cv2.contourArea), np.int32) if outlines else None


def _clockwise(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """In the order that begins with the upper left, for what leans by less than 45 degrees."""
    around = corners[np.argsort(np.arctan2(*(corners - corners.mean(axis=0)).T[::-1]))]
    first = int(np.argmin(around.sum(axis=1)))
    turned = np.roll(around, -first, axis=0)
    (x1, y1), (x2, y2) = turned[:2]
    return turned if abs(x2 - x1) >= abs(y2 - y1) else np.roll(turned, 1, axis=0)
