"""A quick small rendering of a whole shot, for thumbnails and for the first look."""

from __future__ import annotations

import cv2
import numpy as np

from ..colour.spaces import Array, apply_matrix
from ..files.source import PictureSource, RawSource, Source
from ..model import Stage
from ..stages.develop.develop import highlights, light_gains
from ..treatment import Resolved


def overview(source: Source, resolved: Resolved, longest: int = 1600) -> Array:
    """Develop a shot at reduced size, without any other stage.

    A RAW's cells are averaged to one pixel each, so nothing is interpolated;
    a finished picture is averaged down.

    Returns
    -------
    float32, h x w x 3
        Working space, at most ``longest`` pixels on the long side.
    """
    values = resolved[Stage.DEVELOP].values
    if isinstance(source, RawSource):
        pixels = _from_cells(source, longest, str(values["highlights"]))
    else:
        pixels = _from_picture(source, longest)
    gains = light_gains(float(values["warmth"]), float(values["tint"])) * np.float32(2 ** float(values["exposure"]))
    return pixels * gains


def _shrunk(picture: Array, longest: int) -> Array:
    height, width = picture.shape[:2]
    share = longest / max(height, width)
    if share >= 1:
        return picture
    size = (max(1, round(width * share)), max(1, round(height * share)))
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)


def _from_cells(source: RawSource, longest: int, how: str) -> Array:
    sums: list[Array | None] = [None, None, None]
    counts = [0, 0, 0]
    for y in (0, 1):
        for x in (0, 1):
            colour = int(source.pattern[y, x])
            plane = _shrunk(source.mosaic[y::2, x::2].astype(np.float32), longest)
            plane = (plane - source.black[y, x]) / np.float32(source.white - source.black[y, x])
            had = sums[colour]
            sums[colour] = plane if had is None else had + plane
            counts[colour] += 1
    sensor = np.stack([s / n for s, n in zip(sums, counts, strict=True) if s is not None], axis=-1)
    camera = highlights(sensor * source.white_balance, sensor, how)
    return apply_matrix(camera, source.camera_to_working)


def _from_picture(source: PictureSource, longest: int) -> Array:
    stored = _shrunk(source.stored, longest)
    small = PictureSource(source.path, np.ascontiguousarray(stored), source.icc)
    return small.region(small.size.rect)
