"""A little fine grain, so that cleaned surfaces don't look like plastic."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration import grain

from ...colour.spaces import srgb_encode
from ...files.source import Source
from ...meter.blocks import rough_luminance
from ...meter.noise_line import sample_rects
from ...meter.reading import Reading
from ...model import Context, Parameter, Product, Values

EVEN, ALIKE = "even", "shot"


def _is_even(values: Values) -> bool:
    return values["grain"] == EVEN


PARAMETERS = (
    Parameter("amount", "Grain", "Strength in the middle tones, in 8-bit steps; none in black and white.",
              2.0, 0, 20, 0.5),
    Parameter("grain", "Kind of grain", "Even, or like the noise of the shot itself, enlarged as it was.", EVEN,
              choices=(EVEN, ALIKE), labels=("even", "like the shot's own"), matters=lambda v: float(v["amount"]) > 0),
    Parameter("size", "Size of grain", "Diameter of a grain.", 1.2, 0.5, 4, 0.1, "px",
              matters=lambda v: float(v["amount"]) > 0 and _is_even(v)),
)  # fmt: skip


def _spectrum(source: Source, reading: Reading, values: Values) -> Array:
    spectra = [
        grain.spectrum(np.ascontiguousarray(srgb_encode(rough_luminance(source, rect))))
        for rect in sample_rects(source.size)
    ]
    return np.median(spectra, axis=0).astype(np.float32)


SPECTRUM = Product("spectrum of noise", 1, (), _spectrum)


def grained(encoded: Array, values: Values, context: Context) -> Array:
    """Encoded luma (H x W, part ``context.rect`` of the picture) with grain."""
    amount = float(values["amount"]) / 255
    if amount <= 0:
        return encoded
    if _is_even(values):
        field = grain.field(float(values["size"]))
    else:
        enlarged = 1 / context.after.stretch
        field = grain.field_like(context.product(SPECTRUM, values), enlarged)
    # Strongest in the middle tones, none in black and white, as on paper.
    weight = np.clip(4 * encoded * (1 - encoded), 0, 1)
    return encoded + np.float32(amount) * weight * _part(field, context.rect)


def _part(field: Array, rect: Rect) -> Array:
    """A field of grain as it lies over a rectangle of the picture."""
    edge = Size(*field.shape)
    rows, columns = np.arange(rect.top, rect.bottom) % edge.height, np.arange(rect.left, rect.right) % edge.width
    return field[np.ix_(rows, columns)]
