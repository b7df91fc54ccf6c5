"""Pixels of a sensor that are hot or dead: what one shot suspects, and what several have in common.

In one shot a speck of light may look like a hot pixel. In shots of different scenes it does not come again at the same
place; a hot pixel does.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import defect_pixels
from crispgrain.restoration.radial_gain import radial_gain

from ..files.source import RawSource
from .reading import Noise

STANDING_OUT = 4.0  # sigmas; less than where one shot has to be sure by itself
STRIP = 512  # rows at a time
MOST = 3e-3  # share of the pixels; where more stand out, it is texture
SCENE = 8  # places each way by which scenes are told apart
LEAST_SHOTS = 3  # that suspect a pixel; two of many agree by chance now and then
ALIKE = 0.95  # correlation from which two shots are of one scene, where a speck of light would come again


@dataclass(frozen=True, eq=False)
class Suspects:
    """Of one shot: where its suspected pixels are (row x width + column, ascending), and a rough look at its scene."""

    places: NDArray[np.int32]
    scene: Array


def suspects_of(source: RawSource, noise: Noise) -> Suspects:
    """What stands out of a shot; nothing where that is texture."""
    assert noise.a is not None and noise.b is not None
    found, rough, lines = [], [], tuple(zip(noise.a, noise.b, strict=True))
    height, width = source.size.height, source.size.width
    for top in range(0, height, STRIP):
        begin, end = max(top - defect_pixels.REACH, 0), min(top + STRIP + defect_pixels.REACH, height)
        rect = Rect.between(begin, 0, end, width)
        mosaic, pattern = source.region(rect), source.pattern_from(rect)
        if noise.corner > 1:
            mosaic = mosaic / radial_gain(rect, source.size, noise.corner)
        where = defect_pixels.found(mosaic, lines, STANDING_OUT, pattern)
        inner = where[top - begin : top - begin + STRIP]
        found.append(np.flatnonzero(inner).astype(np.int32) + np.int32(top * width))
        rough.append(cv2.resize(mosaic, (SCENE, max(1, len(mosaic) // 64)), interpolation=cv2.INTER_AREA))
    places = np.concatenate(found)
    scene = cv2.resize(np.concatenate(rough), (SCENE, SCENE), interpolation=cv2.INTER_AREA)
    return Suspects(places if len(places) <= MOST * height * width else places[:0], scene.astype(np.float32))


def shared(shots: Iterable[Suspects]) -> NDArray[np.int32]:
    """The places that :data:`LEAST_SHOTS` shots of different scenes suspect, ascending.

    Examples
    --------
    >>> scenes = np.random.default_rng(0).random((3, 8, 8), np.float32)
    >>> shared(Suspects(np.array([7, 20 + n], np.int32), scene) for n, scene in enumerate(scenes)).tolist()
    [7]
    """
    different: list[Suspects] = []
    for shot in shots:
        if not any(_alike(shot.scene, other.scene) for other in different):
            different.append(shot)
    if not different:
        return np.empty(0, np.int32)
    places, counts = np.unique(np.concatenate([shot.places for shot in different]), return_counts=True)
    return places[counts >= LEAST_SHOTS]


def _alike(first: Array, second: Array) -> bool:
    return bool(np.corrcoef(np.sqrt(np.maximum([first.ravel(), second.ravel()], 0)))[0, 1] > ALIKE)


def within(places: NDArray[np.int32] | Sequence[int], width: int, rect: Rect) -> NDArray[np.bool_]:
    """Which pixels of a rectangle are among the places of a sensor of so many columns."""
    rows, columns = np.divmod(np.asarray(places), width)
    first, last = np.searchsorted(rows, (rect.top, rect.bottom))
    rows, columns = rows[first:last] - rect.top, columns[first:last] - rect.left
    inside = (columns >= 0) & (columns < rect.width)
    where = np.zeros((rect.height, rect.width), np.bool_)
    where[rows[inside], columns[inside]] = True
    return where
