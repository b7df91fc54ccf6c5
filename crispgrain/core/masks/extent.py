"""Where a mask shows: in the source, and as a rectangle of it."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

from ..frame import Frame
from ..meter.reading import Noise
from .composite import Composite, Shape
from .ground import Ground

LOOKED_AT = 512  # px of the longer side


def of_source(mask: Shape, ground: Ground) -> Array:
    """A mask in the pixels of the source: height x width, 0 to 1."""
    return mask.values(Frame(ground.size, Noise()), ground, ground.size.rect)


def extent_of(mask: Shape, ground: Ground) -> Rect | None:
    """The rectangle of the source in which a mask is more than half; None if it is nowhere."""
    mask = mask.shape_alone if isinstance(mask, Composite) else mask
    size = ground.origin.size
    shrunk = min(1.0, LOOKED_AT / max(size.width, size.height))
    small = Size(max(1, round(size.height * shrunk)), max(1, round(size.width * shrunk)))
    values = mask.values(Frame(size, Noise()).sized(small), ground, small.rect)
    rows, columns = np.flatnonzero((values > 0.5).any(1)), np.flatnonzero((values > 0.5).any(0))
    if not len(rows):
        return None
    return Rect.between(
        int(rows[0] / shrunk), int(columns[0] / shrunk), int((rows[-1] + 1) / shrunk), int((columns[-1] + 1) / shrunk)
    ).intersect(size.rect)
