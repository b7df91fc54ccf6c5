"""Sliding cosine transform on the sensor's mosaic, before it is demosaiced."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration import anscombe, shrinkage

from ...files.source import RawSource
from ...model import Domain, Knowledge, Model, Stage, Values
from .parameters import STRENGTHS, after, summary

# Orthonormal over the four places of a cell: their mean, then three differences.
CELL = np.array([[1, 1, 1, 1], [1, 1, -1, -1], [1, -1, 1, -1], [1, -1, -1, 1]], np.float32) / 2


def run(mosaic: Array, values: Values, knowledge: Knowledge) -> Array:
    """Denoise an H x W mosaic that starts on a whole cell.

    The four places of each cell are made to have noise of variance 1
    (:mod:`crispgrain.restoration.anscombe`), white-balanced, and turned into one luminance and three
    difference planes, which are denoised apart at half size.
    """
    source, noise = knowledge.source, knowledge.noise
    assert isinstance(source, RawSource) and noise.a is not None and noise.b is not None
    luminance, colour = (float(values[k]) / 100 for k in ("luminance", "colour"))
    if luminance <= 0 and colour <= 0:
        return mosaic
    places = [(0, 0), (0, 1), (1, 0), (1, 1)]
    colours = [int(source.pattern[p]) for p in places]
    balance = np.sqrt(source.white_balance).astype(np.float32)
    height, width = mosaic.shape
    # Whole cells; mirroring about a row keeps every row's colour.
    cells = ((0, height % 2), (0, width % 2))
    mosaic = np.pad(mosaic, cells, mode="reflect" if min(height, width) > 1 else "edge")
    stable = [
        anscombe.forward(mosaic[y::2, x::2], noise.a[c], noise.b[c]) * balance[c]
        for (y, x), c in zip(places, colours, strict=True)
    ]
    sigmas = balance[colours]
    cleaned = []
    for axis, row in enumerate(CELL):
        plane = row[0] * stable[0] + row[1] * stable[1] + row[2] * stable[2] + row[3] * stable[3]
        strength = luminance if axis == 0 else colour
        if strength > 0:
            sigma = float(np.sqrt(np.sum(np.square(row * sigmas)))) * strength
            plane = shrinkage.shrink(plane, sigma)
        cleaned.append(plane)
    result = np.empty_like(mosaic)
    for i, ((y, x), c) in enumerate(zip(places, colours, strict=True)):
        plane = sum((CELL[axis, i] * cleaned[axis] for axis in range(1, 4)), CELL[0, i] * cleaned[0])
        result[y::2, x::2] = anscombe.inverse(plane / balance[c], noise.a[c], noise.b[c], smoothed=min(luminance, 1.0))
    return result[:height, :width]


MODEL = Model(
    Stage.DENOISE, "mosaic-dct", "Mosaic cosine",
    "For RAW: works on the sensor's own values before demosaicing, where noise is still independent.",
    STRENGTHS, run, lambda values, knowledge: 2 * shrinkage.REACH, Domain.MOSAIC, after=after,
    summary=summary, strength="luminance",
)  # fmt: skip
