"""A network trained by us: a picture a little blurred, in whatever way, to a sharp one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from crispgrain.arrays import Array

from ...colour.spaces import OPPONENT, SRGB_TO_WORKING, WORKING_TO_SRGB, apply_matrix, srgb_decode, srgb_encode
from ...meter.reading import Blur
from ...model import Context, Model, Parameter, Stage, Values
from ...networks import runtime
from ...networks.conditioned import MULTIPLE, TILE, reach, restored
from ..denoise.photo_net import COMPRESSION
from ..denoise.sliding_dct import TONE_REACH, tone_map
from ..effort import LAYERS_EFFORT
from . import luminance, regions, undo, words

NAME = "sharp-net"
LARGEST = 3.0  # px, the largest blur the network is told of
LEAST = 0.1  # px; less is no blur


def conditions(noise: Array, blur: float, compression: float) -> Array:
    """What the network is told of a picture, as planes H x W x 3.

    Parameters
    ----------
    noise : H x W
        Sigma of a channel in encoded values, white = 1.
    blur : float
        Sigma of the blur in px, at most 3.
    compression : float
        0 none, 1 the strongest.
    """
    even = [np.full(noise.shape, value, np.float32) for value in (min(blur, LARGEST) / LARGEST, compression)]
    return np.stack([noise, *even], axis=-1)


def size(blur: Blur) -> float:
    """Sigma of a metered blur in px, whatever its kind: root of the mean of its variances along rows and columns."""
    if blur.kind == "defocus":
        return blur.radius / 2
    if blur.kind == "motion":
        return blur.length / 24**0.5
    return blur.softness


def run(pixels: Array, values: Values, context: Context) -> Array:
    radius = float(values["radius"])
    if radius < LEAST:
        return pixels
    encoded = srgb_encode(apply_matrix(pixels, WORKING_TO_SRGB))
    tones = tone_map(apply_matrix(encoded, OPPONENT)[..., 0])
    noise = context.noise.sigma_at(tones, colour=False) * np.float32(context.before.left(luminance.AFTER_DENOISE))
    boldness = max(float(values["strength"]) / 100, 1)

    def sharpened(radius: float) -> Array:
        conditioning = conditions(noise, boldness * radius, float(values["compression"]) / 100)
        output = restored(NAME, encoded, conditioning, context.place, str(values["effort"]))
        return apply_matrix(srgb_decode(output), SRGB_TO_WORKING)

    return undo.by_radius(pixels, radius, values, context, sharpened)


MODEL = Model(
    Stage.SHARPEN, NAME, "Sharp net",
    "The everyday choice, for a mild blur of any kind: a network of our own that need not know which.",
    (
        Parameter("radius", "Radius", "Size of the blur: sigma, whatever its form.", 1.0, 0, LARGEST, 0.05, "px",
                  metered=lambda reading: size(reading.blur)),
        # At 100 % steep edges come out steeper than they were by a tenth.
        replace(undo.STRENGTH, default=95.0,
                help="How far the blur is undone. Above 100 % it is taken for larger than metered."),
        regions.VARIES, undo.FINE, undo.COARSE, undo.HALO, COMPRESSION, LAYERS_EFFORT,
    ),
    run, lambda values, context: reach(str(values["effort"])) + TONE_REACH + undo.BOUND_MARGIN,
    unavailable=lambda: runtime.unavailable(NAME), tile=lambda values: TILE, grid=MULTIPLE,
    suits=lambda reading: reading.blur.kind in ("none", "soft lens"),
    tolerance=runtime.ROUNDING,
    summary=words.with_radius, strength="strength", after=undo.after,
)  # fmt: skip
