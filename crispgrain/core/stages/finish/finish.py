"""Finish: the last touches before paper: tone, sharpening for the distance of the eye, grain."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration import output_sharpening
from crispgrain.restoration.halo import with_luminance

from ...colour.spaces import luminance, srgb_decode, srgb_encode
from ...model import Context, Model, Stage, Values
from . import grain, tone, viewing

PPI = "ppi"  # of the print; filled in with the treatment, as it is Print's


def _mask(values: Values) -> tuple[float, float]:
    return viewing.mask(values, float(values.get(PPI, 300.0)))


def run(pixels: Array, values: Values, context: Context) -> Array:
    pixels = tone.toned(pixels, values)
    radius, amount = _mask(values)
    if not amount and not float(values["amount"]):
        return pixels
    y = luminance(pixels)
    encoded = srgb_encode(y)
    if amount:
        encoded = output_sharpening.sharpened(encoded, radius, amount)
    return with_luminance(pixels, y, srgb_decode(grain.grained(encoded, values, context)))


def margin(values: Values, context: Context) -> int:
    radius, amount = _mask(values)
    return output_sharpening.reach(radius) if amount else 0


def summary(model: Model, values: Values, size: Size) -> str:
    medium = next(p for p in viewing.PARAMETERS if p.id == "medium")
    said = [f"for {medium.label(str(values['medium']))}"] if values["medium"] != "none" else []
    said += [f"grain {float(values['amount']):g}"] if float(values["amount"]) else []
    said += ["tone"] if any(float(values[p.id]) != p.default for p in tone.PARAMETERS) else []
    return ", ".join(said) or "nothing"


def on_reduced(values: Values, context: Context, factor: int) -> Values:
    """Tone alone: neither grain nor this sharpening is seen where several pixels become one."""
    return {**values, "amount": 0.0, "medium": "none"}


MODEL = Model(
    Stage.FINISH, "surface", "For paper or screen",
    "Tone, sharpening for the distance from which it is seen, and grain, after all other stages.",
    (*viewing.PARAMETERS, *grain.PARAMETERS, *tone.PARAMETERS), run, margin, summary=summary, strength="crispness",
    on_reduced=on_reduced,
)  # fmt: skip
