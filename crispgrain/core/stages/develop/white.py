"""White balance: from a place that is neutral, or from what the picture as a whole tells of its light."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration.illuminant import GUESSES, illuminant

from ...colour.spaces import apply_matrix
from ...files.preview import sensor_colours
from ...files.source import RawSource, Source
from ...model import Drawn, Parameter, Shape, Tool, ToolError, Values
from .lighting import PARAMETERS, light_gains
from .small import small_of

AROUND = 4  # px of the source around a place that is pointed at
DARK = 1e-3  # of white; what is darker has no colour to go by
WARMTH, TINT = (next(p for p in PARAMETERS if p.id == name) for name in ("warmth", "tint"))
CAST = Parameter(
    "cast", "Cast by", "How the light is guessed when a cast is taken away: by the mean of all colours, by the "
    "stronger of them, by the lightest, or by edges.", "white-patch", choices=tuple(GUESSES),
)  # fmt: skip


def balance(light: NDArray[np.float64]) -> Values:
    """Warmth and tint that make a colour of light neutral, in the working space.

    Raises
    ------
    ToolError
        If they cannot: the colour is too strong.
    """
    red, green, blue = (float(v) for v in light)

    def unequal(warmth: float) -> float:
        gains = light_gains(warmth, 0.0)
        return math.log(red * gains[0]) - math.log(blue * gains[2])

    low, high = WARMTH.minimum, WARMTH.maximum
    if unequal(low) * unequal(high) > 0:
        raise ToolError("That is too strongly coloured to be a neutral place.")
    warmth = round(brentq(unequal, low, high, xtol=0.01), 1)
    gains = light_gains(warmth or 1e-6, 0.0)
    tint = 100 * math.log2(green * float(gains[1]) / math.sqrt(red * float(gains[0]) * blue * float(gains[2])))
    if abs(tint) > TINT.maximum:
        raise ToolError("That is too green, or too magenta, to be a neutral place.")
    return {"warmth": warmth, "tint": round(tint, 1)}


def _pointed_at(drawn: Drawn) -> Values:
    x, y = drawn.points[0]
    rect = Rect.between(int(y) - AROUND, int(x) - AROUND, int(y) + AROUND, int(x) + AROUND)
    rect = rect.intersect(drawn.source.size.rect)
    rect = Rect.between(rect.top // 2 * 2, rect.left // 2 * 2, rect.bottom // 2 * 2, rect.right // 2 * 2)
    if rect.empty:
        raise ToolError("That is outside of the picture.")
    colour = np.median(_working(drawn.source, rect).reshape(-1, 3), axis=0)
    if colour.min() <= DARK:
        raise ToolError("It is too dark there to tell its colour.")
    return balance(colour.astype(np.float64))


def _guessed(drawn: Drawn) -> tuple[Values, str]:
    light = illuminant(small_of(drawn.source), GUESSES[str(drawn.values[CAST.id])])
    settings = balance(light)
    return settings, f"Light by {CAST.label(str(drawn.values[CAST.id]))}: red, green, blue {_words(light)}."


def _words(light: NDArray[np.float64]) -> str:
    return " / ".join(f"{v:.2f}" for v in light)


def _working(source: Source, rect: Rect) -> Array:
    if isinstance(source, RawSource):
        part = replace(source, mosaic=np.ascontiguousarray(source.mosaic[rect.slices]))
        return apply_matrix(sensor_colours(part, 4 * AROUND) * source.white_balance, source.camera_to_working)
    return source.region(rect)


NEUTRAL = Tool(
    "Neutral …",
    "Click on something that is grey or white. Esc leaves it.",
    "white balance",
    Shape.PATH,
    _pointed_at,
)
REMOVE = Tool("Remove cast", "Working out the light …", "cast removed", Shape.NOTHING, _guessed, slow=True)
