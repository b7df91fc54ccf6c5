"""A network trained by us on what small pictures went through: it restores while it enlarges."""

from __future__ import annotations

from crispgrain.arrays import Array

from ...meter.reading import Reading
from ...model import Context, Model, Stage, Values
from ...networks import runtime
from ..effort import EFFORT
from . import lanczos
from .detail_net import AFTER, MULTIPLE, REACH, RESTORING, TILE, enlarged
from .grid import reach, stretch
from .size import PARAMETERS, summary

# A shot is proposed the network if it is small and went through something; by the sizes and degradations it was
# trained for, and what was measured on photographs kept out of training (docs/benchmarks.md).
SMALL = 1_000_000  # px
SOFT = 0.8  # px
NOISY = 1.5  # 8-bit steps
COMPRESSED = 12.0  # percent


def run(pixels: Array, values: Values, context: Context) -> Array:
    """Enlarge and restore. What the source shows is not believed, so nothing of it is put back.

    A result of the source's own size is a reduction of what the network makes, which is larger.
    """
    if stretch(context) > 1 + 1e-9:  # smaller still: what the network adds would be thrown away
        return lanczos.run(pixels, values, context)
    return enlarged(pixels, values, context, RESTORING, projections=0)


def needed(reading: Reading) -> bool:
    """Whether a shot is small, and soft, noisy or compressed."""
    worn = (
        reading.blur.softness >= SOFT
        or max(reading.noise.luminance, reading.noise.colour) >= NOISY
        or reading.jpeg.strength >= COMPRESSED
    )
    return worn and not reading.raw and 0 < reading.size.width * reading.size.height <= SMALL


def _tile(values: Values) -> int:
    """The network makes sixteen pixels of each, however few are asked for."""
    return TILE // 2 if values["by"] == "factor" and float(values["factor"]) < 1.5 else TILE


MODEL = Model(
    Stage.ENLARGE, "restore-net", "Restore net",
    "For small pictures that are soft, noisy or compressed: cleans, sharpens and enlarges in one pass, so Denoise and "
    "Sharpen have nothing left to do. With a factor of 1 it restores without enlarging.",
    (*PARAMETERS, EFFORT), run, lambda values, context: REACH + AFTER + reach(context),
    unavailable=lambda: runtime.unavailable(RESTORING[4]), tile=_tile, grid=MULTIPLE, draft="faithful", suits=needed,
    does=(Stage.DENOISE, Stage.SHARPEN),
    tolerance=runtime.ROUNDING,
    summary=summary,
)  # fmt: skip
