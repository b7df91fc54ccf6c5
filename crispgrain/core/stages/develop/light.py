"""Light: exposure and white balance, everywhere as part of Develop, or once more where a zone's mask says so."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Size

from ...colour.spaces import D65, WORKING, to_xyz, white_xyz
from ...frame import Frame
from ...model import Context, Model, Parameter, Role, Stage, Values

PARAMETERS = (
    Parameter("exposure", "Exposure", "Brighter or darker, in stops.", 0.0, -4, 4, 0.05, "EV",
              metered=lambda reading: reading.tones.lift),
    Parameter("warmth", "Warmth", "Warmer light to the right, in mired away from the shot's own balance.", 0.0,
              -150, 150, 1, "mired"),
    Parameter("tint", "Tint", "Takes away green to the right, magenta to the left.", 0.0, -50, 50, 1),
)  # fmt: skip


def light_gains(warmth: float, tint: float) -> NDArray[np.float32]:
    """Working-space gains for a change of white, green unchanged at no tint.

    Warmth moves along the daylight locus of CIE 15:2018 (4000 to 25000 K) in
    mired from D65.
    """
    mired = 1e6 / 6504 - warmth
    kelvin = min(max(1e6 / max(mired, 1), 4000), 25000)
    t = 1e3 / kelvin
    if kelvin <= 7000:
        x = -4.6070 * t**3 + 2.9678 * t**2 + 0.09911 * t + 0.244063
    else:
        x = -2.0064 * t**3 + 1.9018 * t**2 + 0.24748 * t + 0.237040
    y = -3.0 * x * x + 2.870 * x - 0.275
    from_xyz = np.linalg.inv(to_xyz(WORKING))
    gains = (from_xyz @ white_xyz(D65)) / (from_xyz @ white_xyz((x, y)))
    gains = gains / gains[1] if warmth else np.ones(3)
    gains[1] *= 2 ** (-tint / 100)
    return gains.astype(np.float32)


def changes(values: Values) -> bool:
    """Whether anything is changed at all."""
    return any(float(values[p.id]) != 0 for p in PARAMETERS)


def lit(pixels: Array, values: Values) -> Array:
    """Working-space pixels (H x W x 3) in another light."""
    if not changes(values):
        return pixels
    gains = light_gains(float(values["warmth"]), float(values["tint"])) * np.float32(2 ** float(values["exposure"]))
    return pixels * gains


def summary(model: Model, values: Values, size: Size) -> str:
    changed = [f"{float(values['exposure']):+.2f} EV"] if values["exposure"] else []
    changed += [f"{float(values['warmth']):+.0f} mired"] if values["warmth"] else []
    changed += [f"tint {float(values['tint']):+.0f}"] if values["tint"] else []
    return ", ".join(changed) or "as shot"


def run(pixels: Array, values: Values, context: Context) -> Array:
    return lit(pixels, values)


def after(frame: Frame, values: Values) -> Frame:
    return frame.brightened(float(values["exposure"]))


MODEL = Model(
    Stage.DEVELOP, "light", "Light", "Brighter or darker, warmer or cooler, in a part of the picture.",
    tuple(replace(p, metered=None) for p in PARAMETERS), run, after=after, roles=(Role.ZONE,),
    summary=summary,
)  # fmt: skip
