"""Grey pictures finer than a sensor's mosaic: what colour comes out of them is moire."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from crispgrain.core.colour.spaces import srgb_decode

EDGE = 256
FINER = 8  # points each way that are averaged into a pixel
SLOPES = (3, 11, 24, 37, 45, 52, 71, 86)  # degrees

Paint = Callable[[NDArray, NDArray], NDArray]  # rows and columns in px -> linear lightness


def weave(thread: float, slope: float) -> Paint:
    """Fabric whose threads, ``thread`` px wide, go over and under each other."""

    def paint(y: NDArray, x: NDArray) -> NDArray:
        along, across = (turned / thread for turned in _turned(y, x, slope))
        over = (np.floor(along) + np.floor(across)) % 2 == 0
        return 0.08 + 0.35 * np.abs(np.sin(np.pi * np.where(over, along, across)))

    return paint


def wires(y: NDArray, x: NDArray) -> NDArray:
    """Dark wires of 1.2 px in front of a bright sky."""
    apart = [np.abs(_turned(y - 20 - 26 * n, x, slope)[0]) for n, slope in enumerate(SLOPES)]
    return np.where(np.min(apart, axis=0) < 0.6, 0.04, 0.6)


PAINTED: dict[str, Paint] = {"fabric of 2.2 px": weave(2.2, 30), "fabric of 3 px": weave(3, 8), "wires": wires}
PHOTOGRAPHS = ("grass", "gravel")  # in scikit-image
NAMES = (*PAINTED, *PHOTOGRAPHS)


def pictures() -> list[NDArray]:
    """Linear, grey, 0..1, float32, EDGE x EDGE x 3, in the order of ``NAMES``."""
    points = np.mgrid[: EDGE * FINER, : EDGE * FINER] / FINER
    found = [_shrunk(paint(*points)) for paint in PAINTED.values()]
    found += [srgb_decode(_shrunk(getattr(data, name)() / 255)) for name in PHOTOGRAPHS]
    return [np.repeat(grey[..., None], 3, axis=2) for grey in found]


def _turned(y: NDArray, x: NDArray, degrees: float) -> tuple[NDArray, NDArray]:
    angle = np.radians(degrees)
    return y * np.cos(angle) - x * np.sin(angle), y * np.sin(angle) + x * np.cos(angle)


def _shrunk(grey: NDArray) -> NDArray:
    return cv2.resize(grey.astype(np.float32), (EDGE, EDGE), interpolation=cv2.INTER_AREA)
