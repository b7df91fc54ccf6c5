"""A network trained by us: noisy sensor mosaic to clean, demosaiced RGB in one step."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration import anscombe
from crispgrain.restoration.demosaic import colour_masks, linear

from ...colour.spaces import OPPONENT, apply_matrix, srgb_decode, srgb_encode
from ...files.source import RawSource
from ...model import Domain, Knowledge, Model, Stage, Values
from ...networks import ensemble, runtime
from ...networks.runtime import EDGE
from .parameters import STRENGTHS, after_demosaicing, summary

NAME = "mosaic-net"
MULTIPLE = 8  # the deepest level works at an eighth of the resolution
# Receptive field, one side: (1 + 4 + 4 + 1) convolutions at 1/2, 8 at 1/4, 4 at 1/8 resolution.
REACH = 10 * 2 + 8 * 4 + 4 * 8
TILE = 384  # px; smaller ones would be mostly margin

CELL = np.array([[0, 1], [1, 2]], np.int8)  # colours of the cells the network knows
# From the stabilised mosaic, the result, the noise's sigma, and where both begin: on a red cell of the picture.
Refinement = Callable[[Array, Array, float, tuple[int, int]], Array]


def run(mosaic: Array, values: Values, knowledge: Knowledge) -> Array:
    return denoised(mosaic, values, knowledge)


def denoised(mosaic: Array, values: Values, knowledge: Knowledge, refined: Refinement | None = None) -> Array:
    """Denoise and demosaic an H x W mosaic that starts on a whole cell.

    ``refined`` makes more of the network's result.

    Returns
    -------
    float32, H x W x 3
        Clean sensor RGB, 0 black and 1 saturation, not white-balanced.
    """
    source, noise = knowledge.source, knowledge.noise
    assert isinstance(source, RawSource) and noise.a is not None and noise.b is not None
    height, width = mosaic.shape
    # The network knows cells that start with red: others are reached over one mirrored row or column.
    down, right = (int(n[0]) for n in np.nonzero(source.pattern == 0))
    top, left = EDGE + down, EDGE + right
    bottom, far = (EDGE + -(n + 2 * EDGE + s) % MULTIPLE for n, s in ((height, down), (width, right)))
    # Mirroring about a row keeps every row's colour.
    padded = np.pad(mosaic, ((top, bottom), (left, far)), mode="reflect" if min(height, width) > 1 else "edge")
    lines = tuple(zip(noise.a, noise.b, strict=True))
    scales = [anscombe.ends(a, b) for a, b in lines]
    stable = np.empty_like(padded)
    for y in (0, 1):
        for x in (0, 1):
            c = y + x  # red, green, green, blue
            low, span = scales[c]
            stable[y::2, x::2] = (anscombe.forward(padded[y::2, x::2], *lines[c]) - low) / span
    sigma = float(np.mean([1 / scales[c][1] for c in (0, 1, 1, 2)]))
    luminance, colour = (float(values[k]) / 100 for k in ("luminance", "colour"))
    effort, start = str(values["effort"]), (knowledge.rect.top - top, knowledge.rect.left - left)

    @cache  # luminance and colour may ask for the same
    def cleaned(told: float) -> Array:
        rgb = network(stable, sigma * told, effort)
        return rgb if refined is None else refined(stable, rgb, sigma * told, start)

    def rendered(strength: float) -> Array:
        rgb, kept = cleaned(max(strength, 1.0)), max(1 - strength, 0.0)
        if kept:  # told of less noise, the network would still see it: what was taken off is put back in part
            taken = (stable - mosaic_of(rgb)).astype(np.float32)
            rgb = rgb + np.float32(kept) * linear(taken, CELL)
        rgb = rgb[top : top + height, left : left + width]
        # The network gives the stabilised value of the clean signal, not the mean of noisy ones, so the plain inverse
        # has no bias. Noise kept in part has more of their lower mean than of their variance.
        planes = [
            anscombe.inverse(rgb[..., c] * span + low, *lines[c], smoothed=kept * (1 - kept))
            for c, (low, span) in enumerate(scales)
        ]
        return np.stack(planes, axis=-1)

    if colour == luminance:
        return rendered(luminance)
    # Colour differences of one rendering on the luminance of the other, as they will be seen.
    balance = source.white_balance
    axes, other = (apply_matrix(srgb_encode(rendered(s) * balance), OPPONENT) for s in (luminance, colour))
    mixed = apply_matrix(np.concatenate([axes[..., :1], other[..., 1:]], axis=-1), OPPONENT.T)
    return srgb_decode(mixed) / balance


def mosaic_of(rgb: Array) -> Array:
    """What a sensor whose cells begin with red sees of a picture: H x W of H x W x 3."""
    return np.select(colour_masks(CELL, *rgb.shape[:2]), [rgb[..., c] for c in range(3)])


def network(stable: Array, sigma: float, effort: str) -> Array:
    """What the network makes of a stabilised mosaic.

    Parameters
    ----------
    stable : float32, H x W
        Begins on a red cell; 0 black to 1 white. Height and width are multiples of ``MULTIPLE``.
    sigma : float
        Standard deviation of its noise.
    effort : str
        ``fast``, or ``best`` for the mean over turned copies.

    Returns
    -------
    float32, H x W x 3
        The stabilised clean signal, every colour at every pixel.
    """
    rows, columns = stable.shape
    plane = np.full((1, 1, rows // 2, columns // 2), sigma, np.float32)
    output = ensemble.run(NAME, {"mosaic": stable[None, None], "sigma": plane}, effort, ensemble.MOSAIC_TURNS)
    return np.ascontiguousarray(output[0].transpose(1, 2, 0))


MODEL = Model(
    Stage.DENOISE, NAME, "Mosaic net",
    "For RAW: a network of our own that denoises and demosaics in one step; much detail, little colour speckle.",
    (*STRENGTHS, ensemble.EFFORT), run, lambda values, knowledge: REACH, Domain.MOSAIC,
    problem=lambda: runtime.problem(NAME), after=after_demosaicing, tile=lambda values: TILE,
    tolerance=runtime.ROUNDING,
    summary=summary, strength="luminance",
)  # fmt: skip
