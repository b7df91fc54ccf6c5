"""Light and tone, everywhere as part of Develop, or once more where a zone's mask says so."""

from __future__ import annotations

from dataclasses import replace

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration import haze, tone
from crispgrain.restoration.fading import Fading
from crispgrain.restoration.tone import Tone, curve

from ...frame import Frame
from ...model import Context, Model, Product, Role, Stage, Values
from .drag import DRAG
from .fading import FADING
from .lighting import PARAMETERS, curves_of, lit, tone_of
from .small import small_of
from .white import NEUTRAL

AIR = Product("air", 1, (), lambda source, reading, values: haze.air_light(small_of(source)))


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
    """Noise travels: with light, without haze, and along the curve."""
    wanted, moved = tone_of(values), frame.brightened(float(values["exposure"]))
    coloured = bool(values["warmth"] or values["tint"])
    moved = replace(moved, grey=values["grey"] == "on" or (moved.grey and not coloured))
    moved = replace(moved, noise=moved.noise.stronger(haze.noise_gain(float(values["haze"]) / 100)))
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
