"""Pixels brought from one frame's coordinates to another's, with what a lens did undone on the way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration.resample import warp

from ...colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode, srgb_encode
from ...files.source import RawSource, Source
from ...model import Context
from ...optics import Optics

PLAIN = Optics()


@dataclass(frozen=True)
class Coding:
    """How pixels are written while they are resampled: from linear ones of some colours, and back."""

    encode: Callable[[Array], Array]
    decode: Callable[[Array], Array]
    to_working: NDArray[np.float32] | None = None  # from those colours; None if they are the working space's

    def finished(self, pixels: Array) -> Array:
        """As linear pixels of the working space."""
        linear = self.decode(pixels)
        return linear if self.to_working is None else apply_matrix(linear, self.to_working)


LINEAR = Coding(lambda pixels: pixels, lambda pixels: pixels)
ENCODED = Coding(srgb_encode, srgb_decode)
SRGB_ENCODED = Coding(srgb_encode, srgb_decode, SRGB_TO_WORKING)


def optics_of(context: Context) -> Optics:
    """What this step's resampling is to undo of a lens."""
    after, before = context.after.optics, context.before.optics
    return after if after is not None and before is None else PLAIN


def reshaped(pixels: Array, context: Context) -> Array:
    """The wanted pixels of a step that changes shape, from those that it is given.

    By one Lanczos resampling of encoded values; pixels that only change places stay what they are.
    """
    to_before = context.before.to_source.inverse.after(context.after.to_source)
    optics, rect = optics_of(context), context.rect
    x, y = to_before.middles(context.wanted)
    if to_before.rearranges and not optics.fringes:
        moved = pixels[y.astype(int) - rect.top, x.astype(int) - rect.left]
    else:
        moved = drawn_together(srgb_encode(pixels), x, y, rect, optics, context.source, ENCODED)
    return lit(moved, x, y, optics)


def lit(pixels: Array, x: NDArray[np.float64], y: NDArray[np.float64], optics: Optics) -> Array:
    """Linear pixels with the light that corners lack; they show points x, y of the source."""
    return pixels if optics.light is None else pixels * optics.gain(x, y)[..., None]


def drawn_together(
    pixels: Array, x: NDArray[np.float64], y: NDArray[np.float64], rect: Rect, optics: Optics, source: Source,
    coding: Coding, scale: float = 1.0, step: float = 1.0,
) -> Array:  # fmt: skip
    """Linear working pixels at points x, y of the source, each of the sensor's colours from where the lens drew it.

    Parameters
    ----------
    pixels : H x W x 3
        In a ``coding``; they lie in ``rect`` of a grid of ``step`` px of the source.
    scale : float
        As :func:`crispgrain.restoration.resample.warp` has it.
    """

    def at(pixels: Array, x: NDArray[np.float64], y: NDArray[np.float64]) -> Array:
        return warp(pixels, y / step - rect.top, x / step - rect.left, scale)

    if not optics.fringes:
        return coding.finished(at(pixels, x, y))
    to_working = _sensor_to_working(source)
    to_sensor = np.linalg.inv(to_working).astype(np.float32)
    apart = coding.encode(apply_matrix(coding.finished(pixels), to_sensor))
    colours = []
    for colour, moves in enumerate((optics.red, None, optics.blue)):
        places = moves(x, y) if moves is not None else (x, y)
        colours.append(at(apart[..., colour : colour + 1], *places))
    return apply_matrix(coding.decode(np.concatenate(colours, axis=2)), to_working)


def _sensor_to_working(source: Source) -> NDArray[np.float32]:
    """From the colours that the lens drew apart to the working space.

    Those of a finished picture are no longer known; sRGB is nearer to them than the wide working space.
    """
    return source.camera_to_working if isinstance(source, RawSource) else SRGB_TO_WORKING
