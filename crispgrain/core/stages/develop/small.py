"""A shot as it came, small: for what is judged by the whole of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from crispgrain.arrays import Array

from ...files.preview import shrunk, working_colours
from ...files.source import PictureSource, RawSource, Source

LONGEST = 800  # px


def small_of(source: Source) -> Array:
    """Linear pixels in the working space (h x w x 3), in no light but the shot's own."""
    if isinstance(source, RawSource):
        return working_colours(source, LONGEST)
    assert isinstance(source, PictureSource)
    small = replace(source, stored=np.ascontiguousarray(shrunk(source.stored, LONGEST)), opacity=None)
    return small.region(small.size.rect)
