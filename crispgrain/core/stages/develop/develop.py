"""Develop: sensor values or stored values to the working space, with exposure and white balance."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import D65, WORKING, Array, apply_matrix, to_xyz, white_xyz
from ...files.source import RawSource
from ...model import Knowledge, Model, Parameter, Stage, Values
from . import demosaic

# Light and shade change all colours of a surface by the same factor, so it is ratios, not differences,
# that stay constant across detail: demosaicing works on logarithms, made linear (and safe) below this signal.
TOE = np.float32(0.03)
CLIPPED = 0.985  # share of saturation from which a sensor value no longer tells the truth

PARAMETERS = (
    Parameter("exposure", "Exposure", "Brighter or darker, in stops.", 0.0, -4, 4, 0.05, "EV",
              metered=lambda reading: reading.tones.lift),
    Parameter("warmth", "Warmth", "Warmer light to the right, in mired away from the shot's own balance.", 0.0,
              -150, 150, 1, "mired"),
    Parameter("tint", "Tint", "Takes away green to the right, magenta to the left.", 0.0, -50, 50, 1),
    Parameter("highlights", "Highlights", "Burnt-out parts: white, or rebuilt from the colours that are left.",
              "rebuild", choices=("rebuild", "white")),
)  # fmt: skip


def highlights(balanced: Array, sensor: Array, how: str) -> Array:
    """Treat saturated pixels so that lamps do not turn pink.

    Parameters
    ----------
    balanced : float32, H x W x 3
        White-balanced camera RGB, green saturating at 1.
    sensor : float32, H x W x 3
        The same before white balance: 1 is saturation.
    how : str
        ``white`` cuts all colours at 1, where the first saturates. ``rebuild``
        fades to a neutral of the brightest colour, keeping values above 1.
    """
    if how == "white":
        return np.minimum(balanced, np.float32(1))
    near = np.clip((sensor.max(axis=-1, keepdims=True) - CLIPPED + 0.1) / 0.1, 0, 1)
    neutral = balanced.max(axis=-1, keepdims=True)
    return balanced + near * (neutral - balanced)


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


def develop_with(
    method: Callable[[Array, NDArray[np.int8]], Array],
) -> Callable[[Array, Values, Knowledge], Array]:
    """A Develop model around a demosaicing method."""

    def run(pixels: Array, values: Values, knowledge: Knowledge) -> Array:
        source = knowledge.source
        if isinstance(source, RawSource):
            # A Denoise model may have demosaiced already.
            camera = _demosaiced(pixels, source, method) if pixels.ndim == 2 else pixels * source.white_balance
            camera = highlights(camera, camera / source.white_balance, str(values["highlights"]))
            pixels = apply_matrix(camera, source.camera_to_working)
        gains = light_gains(float(values["warmth"]), float(values["tint"])) * np.float32(2 ** float(values["exposure"]))
        return pixels * gains if np.any(gains != 1) else pixels

    return run


def _demosaiced(mosaic: Array, source: RawSource, method: Callable[[Array, NDArray[np.int8]], Array]) -> Array:
    """White-balanced camera RGB; balanced first, for interpolation errs less where colours are alike."""
    rows, columns = mosaic.shape
    gains = np.tile(source.white_balance[source.pattern], (rows // 2 + 1, columns // 2 + 1))[:rows, :columns]
    return np.sinh(method(np.arcsinh(mosaic * gains / TOE), source.pattern)) * TOE


def _margin(values: Values, knowledge: Knowledge) -> int:
    return demosaic.REACH if isinstance(knowledge.source, RawSource) and not knowledge.demosaiced else 0


DIRECTIONAL = Model(
    Stage.DEVELOP, "directional", "Directional",
    "Demosaics along edges: fine lines stay clean.",
    PARAMETERS, develop_with(demosaic.directional), _margin, takes_pictures=False,
)  # fmt: skip
LINEAR = Model(
    Stage.DEVELOP, "linear", "Linear", "Demosaics by fixed filters: faster, a little softer, more colour moire.",
    PARAMETERS, develop_with(demosaic.linear), _margin, takes_pictures=False,
)  # fmt: skip
FINISHED = Model(
    Stage.DEVELOP, "finished", "Finished picture", "Taken as the file has it; light can be corrected.",
    PARAMETERS[:-1], develop_with(demosaic.directional), takes_raw=False,
)  # fmt: skip
