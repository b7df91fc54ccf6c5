"""Develop: sensor values or stored values to the working space; exposure and white balance are in :mod:`.lighting`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.restoration import demosaic
from crispgrain.restoration.cells import repeated

from ...files.source import RawSource
from ...frame import Frame
from ...model import Context, Model, Parameter, Role, Stage, Values
from . import light
from .highlights import in_working_space
from .lighting import PARAMETERS as LIGHT
from .white import LIGHT_BY, NEUTRAL, SET_LIGHT, by_guesses

# Light and shade change all colours of a surface by the same factor, so it is ratios, not differences,
# that stay constant across detail: demosaicing works on logarithms, made linear (and safe) below this signal.
TOE = np.float32(0.03)

PARAMETERS = (
    Parameter("base", "Base curve", "The tones a RAW comes up with: by its histogram, as its camera shows it, or "
              "plainly as light is.", "histogram", choices=("histogram", "camera", "linear"),
              labels=("by histogram", "as the camera", "linear")),
    *LIGHT,
    Parameter("highlights", "Highlights", "Burnt-out parts: white, or rebuilt from the colours that are left.",
              "rebuild", choices=("rebuild", "white")),
    *LIGHT_BY,
)  # fmt: skip
TOOLS = (NEUTRAL, SET_LIGHT)


def develop_with(
    method: Callable[[Array, NDArray[np.int8]], Array],
) -> Callable[[Array, Values, Context], Array]:
    """A Develop model around a demosaicing method."""

    def run(pixels: Array, values: Values, context: Context) -> Array:
        source = context.source
        if isinstance(source, RawSource):
            # A Denoise model may have demosaiced already.
            sensor = pixels
            if pixels.ndim == 2:
                sensor = _demosaiced(pixels, source.pattern_from(context.rect), source.white_balance, method)
            pixels = in_working_space(sensor, source, context.rect, str(values["highlights"]))
        return pixels

    return run


def _demosaiced(
    mosaic: Array, pattern: NDArray[np.int8], balance: Array, method: Callable[[Array, NDArray[np.int8]], Array]
) -> Array:
    """Sensor RGB; white-balanced while it is interpolated, which errs less where colours are alike."""
    gains = repeated(balance[pattern], *mosaic.shape)
    return np.sinh(method(np.arcsinh(mosaic * gains / TOE), pattern)) * (TOE / balance)


def _margin(values: Values, context: Context) -> int:
    source = context.source
    return demosaic.reach(source.pattern) if context.before.mosaic and isinstance(source, RawSource) else 0


def after(frame: Frame, values: Values) -> Frame:
    return replace(frame, mosaic=False)


DIRECTIONAL = Model(
    Stage.DEVELOP, "directional", "Directional",
    "Demosaics along edges: fine lines stay clean.",
    PARAMETERS, develop_with(demosaic.directional), _margin, takes_pictures=False, after=after,
    roles=(Role.EVERYWHERE,), summary=light.summary, tools=TOOLS, others=by_guesses,
)  # fmt: skip
LINEAR = Model(
    Stage.DEVELOP, "linear", "Linear", "Demosaics by fixed filters: faster, a little softer, more colour moire.",
    PARAMETERS, develop_with(demosaic.linear), _margin, takes_pictures=False, after=after,
    roles=(Role.EVERYWHERE,), summary=light.summary, tools=TOOLS, others=by_guesses,
)  # fmt: skip
FINISHED = Model(
    Stage.DEVELOP, "finished", "Finished picture", "Taken as the file has it; light can be corrected.",
    (*LIGHT, *LIGHT_BY), develop_with(demosaic.directional), takes_raw=False, after=after,
    roles=(Role.EVERYWHERE,), summary=light.summary, tools=TOOLS, others=by_guesses,
)  # fmt: skip
