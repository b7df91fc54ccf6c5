"""The networks that turn a noisy mosaic into clean colours: their input made even, their output brought back.

One knows Bayer's cells, another those of 6 x 6 that some sensors have.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Place
from crispgrain.restoration import anscombe
from crispgrain.restoration.cells import RGGB, known, mirrored, moved
from crispgrain.restoration.demosaic import colour_masks, is_bayer, linear
from crispgrain.strips import in_strips

from ..colour.spaces import OPPONENT, apply_matrix, srgb_decode, srgb_encode
from . import ensemble, runtime

NAME, SIX = "mosaic-net", "six-by-six-net"
MULTIPLE = 8  # the deepest level works at an eighth of the resolution
# Margin, one side, by effort. What lies farther changes no value by more than 1e-5 (docs/benchmarks.md), though the
# networks could look 84 and 228 px far.
REACH = {"fast": 64, "best": 96}

# From the stabilised mosaic, the result, the noise's sigma, and where both begin: on a red cell of the picture.
Refinement = Callable[[Array, Array, float, tuple[int, int]], Array]


@dataclass(frozen=True)
class Sensor:
    """What is known of a sensor: its cell (0 red, 1 green, 2 blue) as the mosaic begins with it, (a, b) of each
    colour's noise, white balance.
    """

    pattern: NDArray[np.int8]
    lines: tuple[tuple[float, float], ...]
    balance: Array


def denoised(
    mosaic: Array, sensor: Sensor, luminance: float, colour: float, place: Place, effort: str = "fast",
    refined: Refinement | None = None,
) -> Array:  # fmt: skip
    """Denoise and demosaic a mosaic.

    Parameters
    ----------
    mosaic : float32, H x W
        0 black to 1 saturation; starts on a whole cell.
    luminance, colour : float
        How much of the noise to take off: 1 is all of it.
    place : Place
        Of the mosaic in the whole picture.
    refined
        Makes more of the network's result.

    Returns
    -------
    float32, H x W x 3
        Clean sensor RGB, 0 black and 1 saturation, not white-balanced.
    """
    height, width = mosaic.shape
    cell, (down, right) = known(sensor.pattern)
    (top, bottom), (left, far) = (
        runtime.surroundings(n, least, ends, MULTIPLE)
        for n, least, ends in zip(mosaic.shape, (down, right), place.ends, strict=True)
    )
    cell = moved(cell, down - top, right - left)
    padded = mosaic[mirrored(sensor.pattern, mosaic.shape, (top, bottom), (left, far))]
    lines = sensor.lines
    scales = [anscombe.ends(a, b) for a, b in lines]
    stable = np.empty_like(padded)
    for y, x in np.ndindex(cell.shape):
        own = np.s_[y :: len(cell), x :: len(cell)]
        low, span = scales[cell[y, x]]
        stable[own] = (anscombe.forward(padded[own], *lines[cell[y, x]]) - low) / span
    sigma = float(np.mean([1 / scales[c][1] for c in cell.ravel()]))
    begins = place.rect.top - top, place.rect.left - left

    @cache  # luminance and colour may ask for the same
    def cleaned(factor: float) -> Array:
        rgb = network(stable, sigma * factor, effort, cell)
        return rgb if refined is None else refined(stable, rgb, sigma * factor, begins)

    def rendered(strength: float) -> Array:
        rgb, kept = cleaned(max(strength, 1.0)), max(1 - strength, 0.0)
        if kept:  # told of less noise, the network would still see it: what was taken off is put back in part
            taken = (stable - mosaic_of(rgb, cell)).astype(np.float32)
            rgb = rgb + np.float32(kept) * linear(taken, cell)
        rgb = rgb[top : top + height, left : left + width]
        # The network gives the stabilised value of the clean signal, not the mean of noisy ones, so the plain inverse
        # has no bias. Noise kept in part has more of their lower mean than of their variance.
        return _signal(rgb, lines, kept * (1 - kept))

    if colour == luminance:
        return rendered(luminance)
    # Colour differences of one rendering on the luminance of the other, as they will be seen.
    balance = sensor.balance
    axes, other = (apply_matrix(srgb_encode(rendered(s) * balance), OPPONENT) for s in (luminance, colour))
    mixed = apply_matrix(np.concatenate([axes[..., :1], other[..., 1:]], axis=-1), OPPONENT.T)
    return srgb_decode(mixed) / balance


@in_strips
def _signal(stable: Array, lines: tuple[tuple[float, float], ...], smoothed: float) -> Array:
    """Sensor RGB (H x W x 3) of stabilised values, 0 black to 1 white, for the noise's (a, b) of each colour."""
    planes = []
    for plane, line in zip(np.moveaxis(stable, -1, 0), lines, strict=True):
        low, span = anscombe.ends(*line)
        planes.append(anscombe.inverse(plane * span + low, *line, smoothed=smoothed))
    return np.stack(planes, axis=-1)


def mosaic_of(rgb: Array, cell: NDArray[np.int8] = RGGB) -> Array:
    """What a sensor that begins with a cell sees of a picture: H x W of H x W x 3."""
    return np.select(colour_masks(cell, *rgb.shape[:2]), [rgb[..., c] for c in range(3)])


def network(stable: Array, sigma: float, effort: str, cell: NDArray[np.int8] = RGGB) -> Array:
    """What the network makes of a stabilised mosaic.

    Parameters
    ----------
    stable : float32, H x W
        0 black to 1 white. Height and width are multiples of ``MULTIPLE``.
    sigma : float
        Standard deviation of its noise.
    effort : str
        ``fast``, or ``best`` for a network with more layers, turned (or, without it, the mean over turned copies).
    cell
        What it begins with: Bayer's on red, or one of 6 x 6.

    Returns
    -------
    float32, H x W x 3
        The stabilised clean signal, every colour at every pixel.
    """
    rows, columns = stable.shape
    inputs = {"mosaic": stable[None, None], "sigma": np.full((1, 1, rows // 2, columns // 2), sigma, np.float32)}
    name, copies = NAME, ensemble.MOSAIC_SYMMETRIES
    if not is_bayer(cell):
        inputs["measured"] = np.stack(colour_masks(cell, rows, columns))[None].astype(np.float32)
        name, copies = SIX, ensemble.ROTATIONS
    return np.ascontiguousarray(ensemble.run(name, inputs, effort, copies)[0].transpose(1, 2, 0))
