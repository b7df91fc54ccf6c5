"""How a shot's dyes have faded, judged by the whole of it."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration.fading import fading_of

from ...files.source import Source
from ...meter.reading import Reading
from ...model import Product, Values
from .small import small_of


def _fading(source: Source, reading: Reading, values: Values) -> Array:
    found = fading_of(small_of(source))
    return np.stack([found.stain, found.kept])


FADING = Product("fading", 1, (), _fading)
