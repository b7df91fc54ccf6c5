"""A shot some times smaller, of the same kind: a mosaic stays a mosaic."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.restoration.cells import RGGB, mirrored
from crispgrain.restoration.demosaic import colour_masks, is_bayer

from .source import RawSource, Source

# Share of each neighbour in a reduced mosaic, times the factor: with less, fine detail aliases where few cells are
# averaged; with more, the picture is softer than it will be (by trial: nearest to the full picture reduced).
BESIDE = 0.25
EDGE = 240  # px, of noise that is reduced to see what is left


def reduced(source: Source, factor: int) -> Source:
    """The shot shrunk by a whole factor, rounded up to whole pixels (cells of a mosaic).

    Every value of a reduced mosaic is the mean of those of its colour around the same place, so that it looks like the
    mosaic of a Bayer sensor with larger pixels; its noise is :func:`noise_left` of that of the shot.
    """
    serial = (source.serial, "reduced", factor)
    if isinstance(source, RawSource):
        shading = source.shading.reduced(factor) if source.shading is not None else None
        source = replace(source, serial=serial, lost=None, defects=None, shading=shading)
    if isinstance(source, RawSource) and not source.bayer:
        mosaic, black = _in_bayer_cells(source.mosaic, source.pattern, factor), _black_of_colours(source)
        return replace(source, mosaic=mosaic, pattern=RGGB, black=black[RGGB])
    if isinstance(source, RawSource):
        mosaic = np.empty(_reduced_shape(source.mosaic.shape, factor), np.float32)
        for y in (0, 1):
            for x in (0, 1):
                plane = _filled_up(source.mosaic[y::2, x::2].astype(np.float32), factor)
                mosaic[y::2, x::2] = _averaged(plane, mosaic.shape, factor)[y::2, x::2]
        return replace(source, mosaic=mosaic)
    whole = _filled_up(source.stored, factor)
    height, width = (n // factor for n in whole.shape[:2])
    stored = cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA)
    facts = replace(source.facts, equirectangular=source.wraps)
    opacity = None
    if source.opacity is not None:
        opacity = cv2.resize(_filled_up(source.opacity, factor), (width, height), interpolation=cv2.INTER_AREA)
    return replace(source, stored=stored, facts=facts, serial=serial, opacity=opacity, lost=None)


def _filled_up(pixels: NDArray, factor: int) -> NDArray:
    """Pixels with their last row and column repeated, to a whole number of reduced ones."""
    rest = [(0, -n % factor) for n in pixels.shape[:2]]
    if not any(r for _, r in rest):
        return pixels
    return np.pad(pixels, rest + [(0, 0)] * (pixels.ndim - 2), mode="edge")


def _reduced_shape(shape: tuple[int, ...], factor: int) -> tuple[int, int]:
    height, width = (2 * -(-(n // 2) // factor) for n in shape)
    return height, width


def _averaged(plane: Array, shape: tuple[int, int], factor: int) -> Array:
    """One colour of a mosaic as every pixel of the reduced mosaic would see it."""
    own = cv2.resize(plane, shape[::-1], interpolation=cv2.INTER_AREA)
    beside = BESIDE / factor
    taps = np.array([beside, 1 - 2 * beside, beside], np.float32)
    return cv2.sepFilter2D(own, cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REFLECT_101)


def _in_bayer_cells(mosaic: NDArray, pattern: NDArray[np.int8], factor: int) -> Array:
    """A reduced mosaic of another sensor: at each place the mean of what was measured of its colour around it."""
    shape = _reduced_shape(mosaic.shape, factor)
    down, right = (factor * n - m for n, m in zip(shape, mosaic.shape, strict=True))
    values = mosaic[mirrored(pattern, mosaic.shape, (0, down), (0, right))].astype(np.float32)
    out = np.empty(shape, np.float32)
    for mask, own in zip(colour_masks(pattern, *values.shape), colour_masks(RGGB, *shape), strict=True):
        weight = mask.astype(np.float32)
        total, share = (_averaged(plane, shape, factor) for plane in (values * weight, weight))
        out[own] = (total / share)[own]
    return out


def _black_of_colours(source: RawSource) -> NDArray[np.float32]:
    return np.array([source.black[source.pattern == colour].mean() for colour in range(3)], np.float32)


def noise_left(factor: int, pattern: NDArray[np.int8] = RGGB) -> float:
    """Variance of the noise of a mosaic reduced by a factor, as a share of that before."""
    return _noise_left(factor) if is_bayer(pattern) else _noise_left_in_bayer_cells(factor, pattern.tobytes())


@cache
def _noise_left(factor: int) -> float:
    noise: NDArray = np.random.default_rng(0).standard_normal((EDGE * factor // 2,) * 2, np.float32)
    return float(_averaged(noise, (EDGE, EDGE), factor)[4:-4, 4:-4].var())


@cache
def _noise_left_in_bayer_cells(factor: int, cell: bytes) -> float:
    pattern = np.frombuffer(cell, np.int8)
    noise = np.random.default_rng(0).standard_normal((EDGE * factor,) * 2, np.float32)
    small = _in_bayer_cells(noise, pattern.reshape(math.isqrt(len(pattern)), -1), factor)
    return float(small[4:-4, 4:-4].var())
