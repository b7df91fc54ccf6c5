"""A network trained by us on what small pictures went through: it restores while it enlarges."""

from __future__ import annotations

from crispgrain.arrays import Array

from ...meter.reading import Reading
from ...model import Context, Model, Parameter, Stage, Values
from ...networks import ensemble, runtime
from ...networks.restoring import NOISIEST, SOFTEST, STRONGEST, told
from .detail_net import AFTER, REACH, RESTORING, TILE, enlarged
from .grid import reach
from .size import PARAMETERS, summary

# A shot is proposed the network if it is small and went through something; by the sizes and degradations it was
# trained for, and what was measured on photographs kept out of training (docs/benchmarks.md).
SMALL = 1_000_000  # px
SOFT = 0.8  # px
NOISY = 1.5  # 8-bit steps
COMPRESSED = 12.0  # percent
TOLD = (
    Parameter("softness", "Softness", "How soft the picture is taken to be, in its own pixels: less leaves it softer, "
              "more makes it crisper.", 0.5, 0, SOFTEST, 0.05, "px", metered=lambda reading: blur_of(reading)),
    Parameter("noise", "Noise", "How noisy it is taken to be, in steps of 8 bits.", 0.0, 0, NOISIEST, 0.5,
              metered=lambda reading: reading.noise.luminance),
    Parameter("compression", "Compression", "How strongly it is taken to have been compressed.", 0.0, 0, STRONGEST, 1,
              "%", metered=lambda reading: reading.jpeg.strength),
)  # fmt: skip


def run(pixels: Array, values: Values, context: Context) -> Array:
    """Enlarge and restore. What the source shows is not believed, so nothing of it is put back.

    A result of the source's size, or smaller, is a reduction of one four times as large: the network knows no other.
    """
    softness, noise, compression = (float(values[p.id]) for p in TOLD)
    return enlarged(pixels, values, context, RESTORING, 0, told(softness, noise, compression))


def blur_of(reading: Reading) -> float:
    """Sigma of the blur in px, from that of the sharpest edges."""
    return reading.blur.softness


def needed(reading: Reading) -> bool:
    """Whether a shot is small, and soft, noisy or compressed."""
    worn = (
        reading.blur.softness >= SOFT
        or max(reading.noise.luminance, reading.noise.colour) >= NOISY
        or reading.jpeg.strength >= COMPRESSED
    )
    return worn and not reading.raw and 0 < reading.size.width * reading.size.height <= SMALL


MODEL = Model(
    Stage.ENLARGE, "restore-net", "Restore net",
    "For small pictures that are soft, noisy or compressed: cleans, sharpens and enlarges in one pass, so Denoise and "
    "Sharpen have nothing left to do.",
    (*PARAMETERS, *TOLD, ensemble.EFFORT), run, lambda values, context: REACH + AFTER + reach(context),
    unavailable=lambda: runtime.unavailable(RESTORING[4]), tile=lambda values: TILE, draft="faithful", suits=needed,
    does=(Stage.DENOISE, Stage.SHARPEN),
    tolerance=runtime.ROUNDING,
    summary=summary,
)  # fmt: skip
