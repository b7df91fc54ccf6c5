"""A shot as it came, small: for what is judged by the whole of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from crispgrain.arrays import Array

from ...colour.spaces import apply_matrix
from ...files.preview import sensor_colours, shrunk
from ...files.source import PictureSource, RawSource, Source

LONGEST = 800  # px


def small_of(source: Source) -> Array:
    """Linear pixels in the working space (h x w x 3), in no light but the shot's own."""
    if isinstance(source, RawSource):
        return apply_matrix(sensor_colours(source, LONGEST) * source.white_balance, source.camera_to_working)
    assert isinstance(source, PictureSource)
    small = replace(source, stored=np.ascontiguousarray(shrunk(source.stored, LONGEST)), opacity=None)
    return small.region(small.size.rect)
