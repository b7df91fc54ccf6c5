"""A network trained by us: noisy, perhaps compressed picture to clean picture."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Place
from crispgrain.restoration import shadow_clipping

from ...colour.spaces import OPPONENT, apply_matrix, from_opponent, to_opponent
from ...meter.reading import Noise
from ...model import Context, Model, Parameter, Stage, Values
from ...networks import runtime
from ...networks.conditioned import MULTIPLE, TILE, reach, restored
from ..effort import LAYERS_EFFORT
from .parameters import STRENGTHS, after, summary
from .sliding_dct import TONE_REACH, tone_map

NAME = "photo-net"
Refinement = Callable[[Array, Array, Array], Array]  # from the picture, the result (both opponent) and the conditions
COMPRESSION = Parameter(
    "compression", "Compression", "How strongly the picture was compressed; 0 % leaves blocks alone.", 0.0, 0, 90, 1,
    "%", metered=lambda reading: reading.jpeg.strength,
)  # fmt: skip


def conditions(luma: Array, noise: Noise, compression: float) -> Array:
    """What the network is told of a picture, as planes H x W x 3.

    Parameters
    ----------
    luma : H x W
        Orthonormal luma axis of the encoded picture.
    compression : float
        0 none, 1 the strongest.
    """
    tones = tone_map(luma)
    even = np.full(tones.shape, compression, np.float32)
    return np.stack([noise.sigma_at(tones, colour=False), noise.sigma_at(tones, colour=True), even], axis=-1)


def network(opponent: Array, planes: Array, place: Place | None = None, effort: str = "fast") -> Array:
    """What the network makes of a picture on opponent axes, or part of one, told ``planes`` of it."""
    return apply_matrix(restored(NAME, apply_matrix(opponent, OPPONENT.T), planes, place, effort), OPPONENT)


def run(pixels: Array, values: Values, context: Context) -> Array:
    return denoised(pixels, values, context)


def denoised(pixels: Array, values: Values, context: Context, refined: Refinement | None = None) -> Array:
    """Denoise H x W x 3; up to 100 %, a strength blends, above, the network is told of more noise than metered.

    ``refined`` makes more of the network's result.
    """
    luminance, colour = (float(values[k]) / 100 for k in ("luminance", "colour"))
    if luminance <= 0 and colour <= 0:
        return pixels
    opponent = to_opponent(pixels)
    planes = conditions(np.ascontiguousarray(opponent[..., 0]), context.noise, float(values["compression"]) / 100)
    planes[..., 0] *= max(luminance, 1)
    planes[..., 1] *= max(colour, 1)
    cleaned = network(opponent, planes, context.place, str(values["effort"]))
    if refined is not None:
        cleaned = refined(opponent, cleaned, planes)
    if context.reading.jpeg.quality is not None and not context.reading.white:
        noisy, result = (apply_matrix(axes, OPPONENT.T) for axes in (opponent, cleaned))
        cleaned = apply_matrix(shadow_clipping.without_bias(noisy, result), OPPONENT)
    blend = np.minimum(np.array([luminance, colour, colour], np.float32), 1)
    return from_opponent(opponent + blend * (cleaned - opponent))


MODEL = Model(
    Stage.DENOISE, NAME, "Photo net",
    "For finished pictures: a network of our own for camera noise and the traces of JPEG compression.",
    (
        *STRENGTHS,
        COMPRESSION,
        LAYERS_EFFORT,
    ),
    run, lambda values, context: reach(str(values["effort"])) + TONE_REACH + shadow_clipping.REACH,
    unavailable=lambda: runtime.unavailable(NAME), tile=lambda values: TILE, grid=MULTIPLE, after=after,
    tolerance=runtime.ROUNDING,
    summary=summary, strength="luminance",
)  # fmt: skip
