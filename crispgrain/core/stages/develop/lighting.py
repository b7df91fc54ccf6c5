"""What light and tone do to pixels, and the settings that say so."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.restoration.curves import Curve, points_of, through
from crispgrain.restoration.fading import Fading, fading_of, unfaded
from crispgrain.restoration.haze import air_light, without_haze
from crispgrain.restoration.tone import Tone, toned
from crispgrain.strips import in_strips

from ...colour import oklab
from ...colour.spaces import (
    D65,
    WORKING,
    WORKING_TO_SRGB,
    apply_matrix,
    brightest,
    luminance,
    srgb_decode,
    srgb_encode,
    to_xyz,
    white_xyz,
)
from ...colour.temperature import daylight
from ...model import Parameter, Values


def _is_grey(values: Values) -> bool:
    return values["grey"] == "on"


BASE, BASE_COLOUR = "base-points", "base-colour"  # of a RAW's base curve, as its reading has them


def curve_from(text: str) -> Curve | None:
    """A tone curve from its points; None for none.

    Raises
    ------
    ValueError
        If they do not make a curve that rises.
    """
    points = points_of(text)
    if any(not 0 <= v <= 1 for point in points for v in point):
        raise ValueError("points of a tone curve lie between 0 and 1")
    return through(points) if points else None


FLOOR, MOST = 1e-4, 16.0  # of white; times, by which anything is made lighter at most
PARAMETERS = (
    Parameter("exposure", "Exposure", "Brighter or darker, in stops.", 0.0, -4, 4, 0.05, "EV",
              metered=lambda reading: reading.tones.lift),
    Parameter("warmth", "Warmth", "Warmer light to the right, in mired away from the shot's own balance.", 0.0,
              -250, 150, 1, "mired"),
    Parameter("tint", "Tint", "Takes away green to the right, magenta to the left.", 0.0, -50, 50, 1),
    Parameter("faded", "Faded colours", "How much of what became of an old print's dyes and paper is undone.", 0.0, 0,
              100, 1, "%"),
    Parameter("haze", "Haze", "How much haze is taken away: what air adds between the camera and things far off.", 0.0,
              0, 100, 1, "%"),
    Parameter("contrast", "Contrast", "Steeper or softer middle tones; black and white stay.", 0.0, -100, 100, 1),
    Parameter("curve", "Tone curve", "From tones as they are, left to right, to tones as they become, from below.", "",
              check=curve_from, curve=True),
    Parameter("dark", "Dark parts", "Opened to the right; what is small in them stays as strong.", 0.0, -100, 100, 1),
    Parameter("bright", "Bright parts", "Brought back to the left, with what lies beyond white.", 0.0, -100, 100, 1),
    Parameter("black", "Black from", "Darker than this becomes black; below 0, nothing does.", 0.0, -10, 20, 0.5, "%"),
    Parameter("white", "White from", "So far below white it is white; below 0, nothing is.", 0.0, -10, 30, 0.5, "%"),
    Parameter("local", "Local contrast", "Of what is smaller than a few hundredths of the picture.", 0.0, -50, 100, 1),
    Parameter("colour", "Strength of colour", "Of all colours; none is grey.", 100.0, 0, 200, 1, "%"),
    Parameter("hue", "Hue", "Turns all hues: red towards yellow to the right, towards violet to the left.", 0.0,
              -180, 180, 1, "°"),
    Parameter("pale", "Pale colours", "Stronger or weaker; strong ones stay, and skin changes half as much.", 0.0,
              -100, 100, 1),
    Parameter("grey", "Black and white", "Whether it becomes grey, by shares of red, green and blue.", "off",
              choices=("off", "on")),
    *(Parameter(f"grey-{name}", f"Share of {name}", f"How light {name} things become.", share, 0, 100, 1, "%",
                matters=_is_grey) for name, share in (("red", 30.0), ("green", 59.0), ("blue", 11.0))),
)  # fmt: skip


def light_gains(warmth: float, tint: float) -> NDArray[np.float32]:
    """Working-space gains for a change of white, green unchanged at no tint.

    Warmth moves along the daylight locus of CIE 15:2018 in mired from D65, and
    below 4000 K over to that of black bodies, which bulbs have.
    """
    mired = 1e6 / 6504 - warmth
    kelvin = min(max(1e6 / max(mired, 1), 2000), 25000)
    white = daylight(kelvin)
    from_xyz = np.linalg.inv(to_xyz(WORKING))
    gains = (from_xyz @ white_xyz(D65)) / (from_xyz @ white_xyz(white))
    gains = gains / gains[1] if warmth else np.ones(3)
    gains[1] *= 2 ** (-tint / 100)
    return gains.astype(np.float32)


def changes(values: Values) -> bool:
    """Whether anything is changed at all."""
    still = {p.id: 0.0 if p.id == "exposure" else p.default for p in PARAMETERS}
    return bool(values.get(BASE)) or any(values.get(name, value) != value for name, value in still.items())


def tone_of(values: Values) -> Tone:
    return Tone(*(float(values[name]) for name in ("contrast", "bright", "dark", "black", "white", "local")))


def curves_of(values: Values) -> list[Curve]:
    """Curves of encoded luma, one after the other: that which a RAW comes up with, and that by hand."""
    text = str(values.get(BASE, ""))
    by_hand = curve_from(str(values["curve"]))
    return ([through(points_of(text))] if text else []) + ([by_hand] if by_hand is not None else [])


def _shown(pixels: Array, values: Values, longer: int) -> Array:
    """Pixels with their luma on the base curve and with a tone, their colours as they are."""
    curves, wanted = curves_of(values), tone_of(values)
    if not curves and wanted == Tone():
        return pixels
    within = bool(values.get(BASE))
    if wanted == Tone():  # each pixel by itself
        return in_strips(_on_curves)(pixels, curves, within)
    return _on_curves(pixels, curves, within, lambda encoded: toned(encoded, wanted, longer))


def _on_curves(
    pixels: Array, curves: list[Curve], within: bool, then: Callable[[Array], Array] | None = None
) -> Array:  # fmt: skip
    """Pixels whose encoded luma goes through curves, and ``then`` on; ``within`` white, if they were."""
    y = luminance(pixels)
    encoded = np.asarray(srgb_encode(y))
    for curve in curves:
        encoded = curve(encoded).astype(np.float32)
    new = srgb_decode(encoded if then is None else then(encoded))
    pixels = pixels * np.minimum((np.maximum(new, 0) + FLOOR) / (np.maximum(y, 0) + FLOOR), MOST)[..., None]
    return _within_white(pixels, new) if within else pixels


def _within_white(pixels: Array, y: Array) -> Array:
    """What is lighter than white in one channel alone made paler, its luma and its hue kept, until it is not."""
    most = brightest(pixels)
    there = (most > 1) & (y < 1)
    if not there.any():
        return pixels
    y, most, result = y[there][:, None], most[there][:, None], pixels.copy()
    share = np.clip((1 - y) / np.maximum(most - y, 1e-6), 0, 1)
    result[there] = y + (pixels[there] - y) * share
    return result


def lit(
    pixels: Array, values: Values, longer: int = 0, air: Array | None = None, fading: Fading | None = None
) -> Array:
    """Working-space pixels (H x W x 3) in another light: part of a picture whose longer side is ``longer`` px.

    ``air`` is the colour of haze in the picture as it came, ``fading`` what became of its dyes; worked out from the
    pixels if they are not given.
    """
    if not changes(values):
        return pixels
    longer = longer or max(pixels.shape[:2])
    if values["faded"]:
        told = fading_of(pixels) if fading is None else fading
        pixels = unfaded(pixels, told, float(values["faded"]) / 100)
    if values["haze"]:
        pixels = without_haze(pixels, air_light(pixels) if air is None else air, float(values["haze"]) / 100, longer)
    gains = light_gains(float(values["warmth"]), float(values["tint"])) * np.float32(2 ** float(values["exposure"]))
    pixels = _shown(pixels * gains, values, longer)
    if _is_grey(values):
        return _grey(pixels, np.array([float(values[f"grey-{name}"]) for name in ("red", "green", "blue")], np.float32))
    pixels = oklab.with_colour(pixels, float(values["colour"]) / 100 * float(values.get(BASE_COLOUR, 1.0)))
    pixels = oklab.with_hue(pixels, float(values["hue"]))
    return oklab.with_pale_colour(pixels, float(values["pale"]) / 100)


def _grey(pixels: Array, shares: NDArray[np.float32]) -> Array:
    """One value for all channels, by shares of light in sRGB's own red, green and blue."""
    shares = shares / shares.sum() if shares.any() else np.full(3, 1 / 3, np.float32)
    return np.repeat((apply_matrix(pixels, WORKING_TO_SRGB) @ shares)[..., None], 3, axis=-1)
