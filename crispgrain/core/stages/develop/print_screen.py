"""The screen of a printed picture taken out, so that what is left is a picture and not dots."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.screen import BLOCK, Screen, blocks_of, power_of, screen_of, without_screen

from ...files.source import Source
from ...masks.ground import Ground
from ...meter.reading import Reading
from ...model import Context, Model, Parameter, Product, Role, Stage, Values

LOOKED_AT = 64  # blocks


def _screen(source: Source, reading: Reading, values: Values) -> Array:
    """Both frequencies in cycles for the width of the picture (2 x 2); zeros if there is no screen."""
    ground, size = Ground.of(source), source.size
    powers = [power_of(ground.luma(Rect(y, x, BLOCK, BLOCK))) for y, x in blocks_of(size.height, size.width, LOOKED_AT)]
    found = screen_of(np.mean(powers, axis=0)) if powers else None
    return np.array([found.one, found.other]) * size.width if found is not None else np.zeros((2, 2))


SCREEN = Product("print-screen", 1, (), _screen)


def run(pixels: Array, values: Values, context: Context) -> Array:
    size = context.source.size
    one, other = (context.product(SCREEN, values) / size.width).tolist()
    screen = Screen((one[0], one[1]), (other[0], other[1]))
    if not 0 < screen.frequency < 0.5:  # there is none, or a reduced view has averaged it
        return pixels
    # Dots of ink cover a share of the paper: what the eye averages is light.
    start = (context.rect.top, context.rect.left)
    return without_screen(pixels, screen, start, float(values["strength"]) / 100)


def summary(model: Model, values: Values, size: Size) -> str:
    return "print screen taken out"


MODEL = Model(
    Stage.DEVELOP, "print-screen", "Print screen", "Takes out the regular dots of a printed picture, if there are any.",
    (Parameter("strength", "Strength", "How much of the dots is taken out.", 90.0, 0, 100, 1, "%"),),
    run, lambda values, context: 2 * BLOCK, roles=(Role.RETOUCH,), summary=summary, tolerance=1e-5,
)  # fmt: skip
