"""Light and tone, everywhere as part of Develop, or once more where a zone's mask says so."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration import haze, tone
from crispgrain.restoration.fading import Fading, fading_of
from crispgrain.restoration.tone import Tone, curve

from ...files.source import Source
from ...frame import Frame
from ...meter.reading import Reading
from ...model import Context, Drawn, Model, Product, Role, Shape, Stage, Tool, Values
from .lighting import PARAMETERS, curves_of, lit, tone_of
from .small import small_of
from .white import NEUTRAL

ALONG, UP = 200.0, 4.0  # % of strength for the picture's width, and stops for its height
AIR = Product("air", 1, (), lambda source, reading, values: haze.air_light(small_of(source)))


def _fading(source: Source, reading: Reading, values: Values) -> Array:
    found = fading_of(small_of(source))
    return np.stack([found.stain, found.kept])


FADING = Product("fading", 1, (), _fading)


def summary(model: Model, values: Values, size: Size) -> str:
    changed = [f"{float(values['exposure']):+.2f} EV"] if values["exposure"] else []
    changed += [f"{float(values['warmth']):+.0f} mired"] if values["warmth"] else []
    changed += [f"tint {float(values['tint']):+.0f}"] if values["tint"] else []
    changed += ["tone"] if tone_of(values) != Tone() or values["curve"] else []
    changed += ["colours restored"] if values["faded"] else []
    changed += ["less haze"] if values["haze"] else []
    changed += ["black and white"] if values["grey"] == "on" else []
    changed += ["colour"] if (values["colour"], values["pale"], values["hue"]) != (100.0, 0.0, 0.0) else []
    return ", ".join(changed) or "as shot"


def _dragged(drawn: Drawn) -> Values:
    """Along the picture to the right stronger colours, upwards lighter ones, from where they are now."""
    (left, from_), (right, to) = drawn.points
    size = drawn.source.size
    strength = float(drawn.values["colour"]) + ALONG * (right - left) / size.width
    stops = float(drawn.values["exposure"]) + UP * (from_ - to) / size.height
    return {"colour": _within("colour", strength), "exposure": _within("exposure", stops)}


def _within(name: str, value: float) -> float:
    parameter = next(p for p in PARAMETERS if p.id == name)
    snapped = round(value / parameter.step) * parameter.step
    return round(min(max(snapped, parameter.minimum), parameter.maximum), 3)


DRAG = Tool(
    "Drag …", "Drag from a colour: right for stronger, left for paler, up for lighter. Esc leaves it.", "dragged",
    Shape.LINE, _dragged,
)  # fmt: skip


def run(pixels: Array, values: Values, context: Context) -> Array:
    air = context.product(AIR, values) if values["haze"] else None
    fading = Fading(*context.product(FADING, values)) if values["faded"] else None
    return lit(pixels, values, _longer(context), air, fading)


def _longer(context: Context) -> int:
    return max(context.before.size.width, context.before.size.height)


def margin(values: Values, context: Context) -> int:
    longer = _longer(context)
    return (tone.reach(longer) if tone_of(values) != Tone() else 0) + (haze.reach(longer) if values["haze"] else 0)


def after(frame: Frame, values: Values) -> Frame:
    """Noise travels: with light, and along the curve."""
    wanted, moved = tone_of(values), frame.brightened(float(values["exposure"]))
    coloured = bool(values["warmth"] or values["tint"])
    moved = replace(moved, grey=values["grey"] == "on" or (moved.grey and not coloured))
    for bent in curves_of(values):
        moved = replace(moved, noise=moved.noise.through(bent))
    if wanted == Tone():
        return moved
    return replace(moved, noise=moved.noise.curved(curve(wanted), 1 + wanted.local / 100))


MODEL = Model(
    Stage.DEVELOP, "light", "Light", "Brighter or darker, warmer or cooler, in a part of the picture.",
    tuple(replace(p, metered=None) for p in PARAMETERS), run, margin, after=after, roles=(Role.ZONE,),
    summary=summary, tolerance=1e-5, tools=(NEUTRAL, DRAG),
)  # fmt: skip
