"""Hot and dead pixels of a sensor, filled before its mosaic is denoised."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration import defect_pixels

from ...files.source import RawSource
from ...meter.suspects import within
from ...model import Context, Parameter, Values
from ...networks import dot_net
from ...networks.runtime import NetworkUnavailableError

CERTAIN, KNOWN, LEAVE, FILL = "certain", "known", "leave", "fill"
DOTS = Parameter(
    "dots", "Hot pixels", "Which hot and dead pixels, which cannot be light, are filled first. Certain are those that "
    "several shots of the camera show at the same place, those too sharp for a shot as soft as this one was metered, "
    "and those that a network of our own tells from fine detail and nearly all stars. Filling all that stand out costs "
    "a little of the finest detail, and faint stars.",
    CERTAIN, choices=(CERTAIN, KNOWN, LEAVE, FILL),
    labels=("certain ones filled", "known ones filled", "as they are", "all that stand out"),
)  # fmt: skip
LEAST_SOFT = 0.3  # px; in sharper shots a dot would have to stand out by hundreds of sigmas to be certain
# px around a pixel that decide whether it is filled, and with what. Of other cells than Bayer's some more do, a little.
REACH = 8


def undotted(mosaic: Array, values: Values, context: Context) -> Array:
    """A mosaic (H x W) as its model is to see it."""
    source, noise = context.source, context.noise
    if values["dots"] == LEAVE or not isinstance(source, RawSource):
        return mosaic
    pattern = source.pattern_from(context.rect)
    if source.defects is not None:
        mosaic = defect_pixels.filled(mosaic, within(source.defects, source.size.width, context.rect), pattern)
    if noise.a is None or noise.b is None or values["dots"] not in (CERTAIN, FILL):
        return mosaic
    lines = tuple(zip(noise.a, noise.b, strict=True))
    if values["dots"] == FILL:
        return defect_pixels.filled(mosaic, defect_pixels.found(mosaic, lines, pattern=pattern), pattern)
    softness = context.reading.blur.softness
    where = np.zeros(mosaic.shape, np.bool_)
    if softness >= LEAST_SOFT:
        where |= defect_pixels.found(mosaic, lines, pattern=pattern, softness=softness)
    with suppress(NetworkUnavailableError):
        where |= dot_net.found(mosaic, lines, pattern)
    return defect_pixels.filled(mosaic, where, pattern)
