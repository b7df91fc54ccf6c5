"""Sliding cosine transform on the sensor's mosaic, before it is demosaiced."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.restoration import mosaic_cosine, shrinkage

from ...files.source import RawSource
from ...model import Context, Domain, Model, Stage, Values
from . import dots
from .dots import DOTS, undotted
from .levelled import levelled
from .parameters import STRENGTHS, after, summary


@levelled
def run(mosaic: Array, values: Values, context: Context) -> Array:
    source, noise = context.source, context.noise
    assert isinstance(source, RawSource) and noise.a is not None and noise.b is not None
    mosaic = undotted(mosaic, values, context)
    luminance, colour = (float(values[k]) / 100 for k in ("luminance", "colour"))
    if luminance <= 0 and colour <= 0:
        return mosaic
    lines = tuple(zip(noise.a, noise.b, strict=True))
    return mosaic_cosine.shrink(mosaic, source.pattern, lines, source.white_balance, luminance, colour)


MODEL = Model(
    Stage.DENOISE, "mosaic-dct", "Mosaic cosine",
    "For RAW: works on the sensor's own values before demosaicing, where noise is still independent.",
    (*STRENGTHS, DOTS), run, lambda values, context: 2 * shrinkage.REACH + dots.REACH, Domain.MOSAIC, after=after,
    summary=summary, strength="luminance", bayer_only=True,
)  # fmt: skip
