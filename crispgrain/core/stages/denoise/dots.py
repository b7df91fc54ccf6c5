"""Hot and dead pixels of a sensor, filled before its mosaic is denoised."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.restoration import defect_pixels

from ...files.source import RawSource
from ...meter.suspects import within
from ...model import Context, Parameter, Values

KNOWN, LEAVE, FILL = "known", "leave", "fill"
# Not metered: in one shot, specks of a very sharp picture are as many as the dots of a usual sensor.
DOTS = Parameter(
    "dots", "Hot pixels", "Which hot and dead pixels, which cannot be light, are filled first. Those that several "
    "shots of the camera show at the same place are known for sure. Filling all that stand out costs a little of the "
    "finest detail.",
    KNOWN, choices=(KNOWN, LEAVE, FILL), labels=("known ones filled", "as they are", "all that stand out"),
)  # fmt: skip
REACH = defect_pixels.REACH


def undotted(mosaic: Array, values: Values, context: Context) -> Array:
    """A mosaic (H x W) as its model is to see it."""
    source, noise = context.source, context.noise
    if values["dots"] == LEAVE or not isinstance(source, RawSource):
        return mosaic
    pattern = source.pattern_from(context.rect)
    if source.defects is not None:
        mosaic = defect_pixels.filled(mosaic, within(source.defects, source.size.width, context.rect), pattern)
    if values["dots"] == FILL and noise.a is not None and noise.b is not None:
        lines = tuple(zip(noise.a, noise.b, strict=True))
        where = defect_pixels.found(mosaic, lines, pattern=pattern)
        mosaic = defect_pixels.filled(mosaic, where, pattern)
    return mosaic
