"""A quick small rendering of a whole shot, for thumbnails and for the first look."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.fading import fading_of

from ..colour.spaces import apply_matrix
from ..files.preview import balanced, sensor_colours, shrunk
from ..files.source import PictureSource, RawSource, Source
from ..frame import Frame
from ..masks import Ground, blended
from ..meter.reading import Noise
from ..model import Stage
from ..resolve import Resolved
from ..stages.develop import crop, light, view, view_shape
from ..stages.develop.highlights import highlights
from ..stages.develop.lighting import lit
from ..stages.develop.small import small_of


def overview(source: Source, resolved: Resolved, longest: int = 1600, ground: Ground | None = None) -> Array:
    """Develop a shot at reduced size, with its zones and its crop, and without any other stage.

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
    zones = [o for o in resolved.beside if o.on and o.model is light.MODEL]
    asked = any(v["faded"] for v in (values, *(z.values for z in zones)))
    fading = fading_of(small_of(source)) if asked else None  # of the same pixels as in the full picture
    developed = lit(pixels, values, fading=fading)
    frame = Frame(Size(*developed.shape[:2]), Noise())
    for zone in zones:
        if zone.mask is not None:
            whole = Frame(source.size, Noise()).sized(frame.size)
            mask = zone.mask.values(whole, ground or Ground.of(source), frame.size.rect)
            developed = blended(developed, lit(developed, zone.values, fading=fading), mask)
    looked = next((o for o in resolved.beside if o.on and o.model is view.MODEL), None)
    if looked is not None:
        developed = view_shape.of_whole(developed, looked.values)
    shape = next((o for o in resolved.beside if o.on and o.model is crop.MODEL), None)
    return developed if shape is None else crop.of_whole(developed, shape.values)


def _from_cells(source: RawSource, longest: int, how: str) -> Array:
    sensor = sensor_colours(source, longest)
    camera = highlights(balanced(source, sensor), sensor, how)
    return apply_matrix(camera, source.camera_to_working)


def _from_picture(source: PictureSource, longest: int) -> Array:
    stored = shrunk(source.stored, longest)
    small = PictureSource(source.path, np.ascontiguousarray(stored), source.icc)
    return small.region(small.size.rect)
