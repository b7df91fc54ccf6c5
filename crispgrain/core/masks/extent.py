"""Where a mask shows, as a rectangle."""

from __future__ import annotations

import numpy as np

from crispgrain.geometry import Rect, Size

from ..frame import Frame
from ..meter.reading import Noise
from .composite import Shape
from .ground import Ground

LOOKED_AT = 512  # px of the longer side


def extent_of(mask: Shape, ground: Ground) -> Rect | None:
    """The rectangle of the source in which a mask is more than half; None if it is nowhere."""
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
