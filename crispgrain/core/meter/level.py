"""Whether a picture stands straight: the tilt of what is level or upright in it."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..files.preview import sensor_colours, shrunk
from ..files.source import RawSource, Source

WITHIN = 15.0  # degrees; what leans more is meant to
LEAST = 0.03  # of the long side; shorter pieces of edges are texture
ABOUT = 0.25  # degrees, standard deviation in which directions support each other
NEAR = 0.6  # degrees around the best supported direction that are averaged
SURE = 0.3  # confidence from which a tilt is worth acting on (texture has 0.1, buildings 0.35 to 0.5)
SIDE = 1600  # px at which a shot is looked at


@dataclass(frozen=True)
class Tilt:
    """By how many degrees clockwise a picture leans, and which share of its long straight edges says so (0 to 1)."""

    degrees: float
    confidence: float

    @property
    def sure(self) -> bool:
        return self.confidence >= SURE


def tilt_of_shot(source: Source) -> Tilt:
    """:func:`tilt_of` for a shot as it is stored."""
    if isinstance(source, RawSource):
        green = sensor_colours(source, SIDE)[..., 1]
    else:
        green = shrunk(source.stored, SIDE)[..., 1].astype(np.float32)
    low, high = np.percentile(green, (0.5, 99.5))
    shares = np.clip((green - low) / max(high - low, 1e-9), 0, 1)
    # The mosaic is linear light: its edges in the dark count as much when they are seen as the eye would.
    eye = np.sqrt(shares) if isinstance(source, RawSource) else shares
    return tilt_of((eye * 255).astype(np.uint8))


def tilt_of(grey: NDArray[np.uint8]) -> Tilt:
    """The direction near level and upright that most of the long straight edges have.

    Parameters
    ----------
    grey
        Height x width.

    References
    ----------
    R. Grompone von Gioi et al., "LSD: a Line Segment Detector", Image Processing On Line 2, 2012.
    """
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_ADV).detect(np.ascontiguousarray(grey))[0]
    if found is None:
        return Tilt(0.0, 0.0)
    across, down = (found.reshape(-1, 4)[:, 2:] - found.reshape(-1, 4)[:, :2]).T
    length = np.hypot(across, down)
    angle = (np.degrees(np.arctan2(down, across)) + 45) % 90 - 45
    kept = (length > LEAST * max(grey.shape)) & (np.abs(angle) < WITHIN)
    if not kept.any():
        return Tilt(0.0, 0.0)
    angle, weight = angle[kept], length[kept] ** 2
    directions = np.arange(-WITHIN, WITHIN, 0.02)
    support = (weight * np.exp(-0.5 * ((angle - directions[:, None]) / ABOUT) ** 2)).sum(axis=1)
    best = np.abs(angle - directions[support.argmax()]) < NEAR
    return Tilt(float(np.average(angle[best], weights=weight[best])), float(weight[best].sum() / weight.sum()))
