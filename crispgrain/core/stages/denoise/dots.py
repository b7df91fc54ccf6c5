"""Hot and dead pixels of a sensor, filled before its mosaic is denoised."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.restoration import defect_pixels

from ...files.source import RawSource
from ...meter.suspects import within
from ...model import Context, Parameter, Values

CERTAIN, KNOWN, LEAVE, FILL = "certain", "known", "leave", "fill"
DOTS = Parameter(
    "dots", "Hot pixels", "Which hot and dead pixels, which cannot be light, are filled first. Certain are those that "
    "several shots of the camera show at the same place, and those too sharp for a shot as soft as this one was "
    "metered. Filling all that stand out costs a little of the finest detail, and faint stars.",
    CERTAIN, choices=(CERTAIN, KNOWN, LEAVE, FILL),
    labels=("certain ones filled", "known ones filled", "as they are", "all that stand out"),
)  # fmt: skip
LEAST_SOFT = 0.3  # px; in sharper shots a dot would have to stand out by hundreds of sigmas to be certain
REACH = defect_pixels.REACH


def undotted(mosaic: Array, values: Values, context: Context) -> Array:
    """A mosaic (H x W) as its model is to see it."""
    source, noise = context.source, context.noise
    if values["dots"] == LEAVE or not isinstance(source, RawSource):
        return mosaic
    pattern = source.pattern_from(context.rect)
    if source.defects is not None:
        mosaic = defect_pixels.filled(mosaic, within(source.defects, source.size.width, context.rect), pattern)
    softness = context.reading.blur.softness
    certain = values["dots"] == CERTAIN and softness >= LEAST_SOFT
    if (certain or values["dots"] == FILL) and noise.a is not None and noise.b is not None:
        lines = tuple(zip(noise.a, noise.b, strict=True))
        where = defect_pixels.found(mosaic, lines, pattern=pattern, softness=softness if certain else None)
        mosaic = defect_pixels.filled(mosaic, where, pattern)
    return mosaic
