"""Light and colour of one shot brought to those of another: a series under changing light."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.restoration.curves import risen, written

from ..colour.spaces import luminance, srgb_encode
from ..files.source import Source
from ..meter.reading import Reading
from ..model import Stage, ToolError
from ..resolve import resolve
from ..stages.develop.lighting import PARAMETERS, light_gains
from ..stages.develop.white import balance
from ..treatment import Treatment
from .overview import overview

LOOKED_AT = 400  # px
ROUNDS = 4
LEAST, MOST = 0.02, 0.9  # encoded luma between which pixels tell of light and colour
SHARES = (
    0.02,
    0.1,
    0.25,
    0.4,
    0.55,
    0.7,
    0.85,
    0.95,
    0.99,
)  # of the pixels that are darker, at which tones are matched
APART = 0.015  # encoded: less is no reason to bend tones
EXPOSURE = next(p for p in PARAMETERS if p.id == "exposure")


def seen(source: Source, reading: Reading, treatment: Treatment) -> Array:
    """A shot as developed, small (h x w x 3, working space)."""
    return overview(source, resolve(treatment.only([]), source, reading), LOOKED_AT)


def matched(source: Source, reading: Reading, treatment: Treatment, wanted: Array) -> Treatment:
    """A treatment with exposure, white balance and tone curve such that a shot looks like another, developed.

    By the mean colours of what is neither dark nor burnt out, and by quantiles of luma: what the two show need not lie
    on each other (E. Reinhard et al., "Color transfer between images", IEEE CG&A 21(5), 2001, in ratios of light).

    Raises
    ------
    ToolError
        If the one's light is beyond what daylight or lamps make of the other's, or nothing is light enough to tell.
    """
    treatment = treatment.set("develop.curve", "").set("develop.warmth", 0.0).set("develop.tint", 0.0)
    wanted_colour = _mean_colour(wanted)
    start = resolve(treatment, source, reading)[Stage.DEVELOP].values
    gains = np.full(3, 2.0 ** float(start["exposure"]))
    for _ in range(ROUNDS):
        gains = gains * wanted_colour / _mean_colour(seen(source, reading, treatment))
        white = balance(1 / gains)
        stops = float(np.log2(gains[1] / light_gains(float(white["warmth"]), float(white["tint"]))[1]))
        stops = min(max(round(stops / EXPOSURE.step) * EXPOSURE.step, EXPOSURE.minimum), EXPOSURE.maximum)
        for name, value in {**white, "exposure": round(stops, 3)}.items():
            treatment = treatment.set(f"develop.{name}", value)
    ours, theirs = (np.quantile(_luma(p), SHARES) for p in (seen(source, reading, treatment), wanted))
    if np.abs(ours - theirs).max() <= APART:
        return treatment
    inner = [(round(float(x), 3), round(float(y), 3)) for x, y in zip(ours, theirs, strict=True) if 0.01 < x < 0.99]
    return treatment.set("develop.curve", written(risen([(0.0, 0.0), *inner, (1.0, 1.0)])))


def _luma(pixels: Array) -> NDArray[np.float64]:
    return np.clip(np.asarray(srgb_encode(luminance(pixels)), np.float64), 0, 1)


def _mean_colour(pixels: Array) -> NDArray[np.float64]:
    told = (_luma(pixels) > LEAST) & (pixels.max(axis=-1) < MOST) & (pixels.min(axis=-1) > 0)
    if told.mean() < 0.02:
        raise ToolError("Too little of it is neither dark nor burnt out.")
    return np.asarray(np.exp(np.log(pixels[told]).mean(axis=0)), np.float64)
