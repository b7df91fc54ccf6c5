"""White balance: from a place that is neutral, or from what the picture as a whole tells of its light."""

from __future__ import annotations

import contextlib
import math

import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration.illuminant import GUESSES, illuminant

from ...colour.temperature import ILLUMINANTS, Chromaticity, in_working, kelvin_of, light_of, of_working
from ...files.preview import working_colours
from ...files.source import RawSource, Source
from ...model import Drawn, Parameter, Shape, Tool, ToolError, Values
from .lighting import PARAMETERS, light_gains
from .small import small_of

AROUND = 4  # px of the source around a place that is pointed at
DARK = 1e-3  # of white; what is darker has no colour to go by
WARMTH, TINT = (next(p for p in PARAMETERS if p.id == name) for name in ("warmth", "tint"))
BY_HAND = "kelvin"
NAMED = {
    "A": "bulbs (A)", "D50": "daylight D50", "D55": "daylight D55", "D65": "daylight D65", "D75": "shade D75",
    "FL2": "tubes FL2", "FL11": "tubes FL11", "LED-B3": "LED B3",
}  # fmt: skip
CAST = Parameter(
    "cast", "Light by", "What the light is taken to be: guessed by the mean of all colours, by the stronger of them, "
    "by the lightest, or by edges; an illuminant of CIE; or a temperature.", "white-patch",
    choices=(*GUESSES, *ILLUMINANTS, BY_HAND),
    labels=(*(name.replace("-", " ") for name in GUESSES), *(NAMED[name] for name in ILLUMINANTS), "kelvin"),
)  # fmt: skip


def _by_hand(values: Values) -> bool:
    return values[CAST.id] == BY_HAND


KELVIN = Parameter("kelvin", "Temperature", "Of the light, correlated.", 5500.0, 2000, 15000, 50, "K", matters=_by_hand)
DUV = Parameter("duv", "Duv", "Of the light, greener above 0: daylight has about 0.003.", 0.003, -0.03, 0.03, 0.001,
                matters=_by_hand)  # fmt: skip
LIGHT_BY = (CAST, KELVIN, DUV)


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
    warmth = round(scipy.optimize.brentq(unequal, low, high, xtol=0.01), 1)
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
    return _beyond(colour.astype(np.float64), drawn.around)


def _beyond(light: NDArray[np.float64], around: Values) -> Values:
    """A balance for a light, beside that which a zone's surroundings have already."""
    done = light_gains(float(around.get("warmth", 0.0)), float(around.get("tint", 0.0)))
    return balance(light * done)


def _told(drawn: Drawn) -> tuple[Values, str]:
    how = str(drawn.values[CAST.id])
    if how in GUESSES:
        seen = illuminant(small_of(drawn.source), GUESSES[how])
        light = true_colour(seen, drawn.source)
    else:
        given = (float(drawn.values[KELVIN.id]), float(drawn.values[DUV.id]))
        light = ILLUMINANTS[how] if how in ILLUMINANTS else light_of(*given)
        seen = as_developed(light, drawn.source)
    return _beyond(seen, drawn.around), f"Light by {CAST.label(how)}: {words(light)}."


def words(light: Chromaticity) -> str:
    """A light as a photographer reads it."""
    kelvin, duv = kelvin_of(light)
    return f"{kelvin:.0f} K, Duv {duv:+.3f}"


def as_developed(light: Chromaticity, source: Source) -> NDArray[np.float64]:
    """What colour of the working space something white in a light has, in the balance that a shot came with."""
    colour = in_working(light)
    if not isinstance(source, RawSource) or source.daylight is None:
        return colour
    matrix = source.camera_to_working.astype(np.float64)
    return np.asarray(matrix @ (np.linalg.solve(matrix, colour) / source.daylight * source.white_balance))


def true_colour(seen: NDArray[np.float64], source: Source) -> Chromaticity:
    """The other way round: the light in which something of such a colour is white."""
    if isinstance(source, RawSource) and source.daylight is not None:
        matrix = source.camera_to_working.astype(np.float64)
        seen = matrix @ (np.linalg.solve(matrix, seen) / source.white_balance * source.daylight)
    return of_working(seen)


def light_as_shot(source: Source) -> Chromaticity | None:
    """The light that the camera balanced a RAW for; None where that is not known."""
    if not isinstance(source, RawSource) or source.daylight is None:
        return None
    return true_colour(np.ones(3), source)


def _working(source: Source, rect: Rect) -> Array:
    if isinstance(source, RawSource):
        part = source.part(rect)
        return working_colours(part, 4 * AROUND)
    return source.region(rect)


def by_guesses(source: Source) -> list[tuple[str, Values]]:
    """White balances by each guess at a shot's light; those that find no light are left out."""
    small = small_of(source)
    found: list[tuple[str, Values]] = []
    for name, guess in GUESSES.items():
        with contextlib.suppress(ToolError):
            found.append((f"light by {CAST.label(name)}", {CAST.id: name, **balance(illuminant(small, guess))}))
    return found


NEUTRAL = Tool(
    "Neutral …",
    "Click on something that is grey or white. Esc leaves it.",
    "white balance",
    Shape.PATH,
    _pointed_at,
)
SET_LIGHT = Tool("Set light", "Working out the light …", "light set", Shape.NOTHING, _told, slow=True)
