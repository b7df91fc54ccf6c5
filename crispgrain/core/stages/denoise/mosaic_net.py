"""A network trained by us: noisy sensor mosaic to clean, demosaiced RGB in one step."""

from __future__ import annotations

from crispgrain.arrays import Array

from ...files.source import RawSource
from ...model import Context, Domain, Model, Stage, Values
from ...networks import runtime
from ...networks.mosaic import MULTIPLE, NAME, REACH, Refinement, Sensor, denoised
from ..effort import LAYERS_EFFORT
from . import dots
from .dots import DOTS, undotted
from .levelled import levelled
from .parameters import STRENGTHS, after_demosaicing, summary

TILE = 384  # px; smaller ones would be mostly margin


@levelled
def run(mosaic: Array, values: Values, context: Context, refined: Refinement | None = None) -> Array:
    """``refined`` makes more of the network's result."""
    source, noise = context.source, context.noise
    assert isinstance(source, RawSource) and noise.a is not None and noise.b is not None
    sensor = Sensor(source.pattern_from(context.rect), tuple(zip(noise.a, noise.b, strict=True)), source.white_balance)
    luminance, colour = (float(values[k]) / 100 for k in ("luminance", "colour"))
    mosaic, effort = undotted(mosaic, values, context), str(values["effort"])
    return denoised(mosaic, sensor, luminance, colour, context.place, effort, refined)


MODEL = Model(
    Stage.DENOISE, NAME, "Mosaic net",
    "For RAW: a network of our own that denoises and demosaics in one step; much detail, little colour speckle.",
    (*STRENGTHS, DOTS, LAYERS_EFFORT), run, lambda values, context: REACH[str(values["effort"])] + dots.REACH,
    Domain.MOSAIC,
    unavailable=lambda: runtime.unavailable(NAME), after=after_demosaicing, tile=lambda values: TILE, grid=MULTIPLE,
    tolerance=runtime.ROUNDING,
    summary=summary, strength="luminance",
)  # fmt: skip
