"""Measuring blur: how soft the sharpest edges are, and what made them so."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect

from ..colour.spaces import srgb_encode
from ..files.source import RawSource, Source
from ..networks.runtime import NetworkUnavailableError
from . import blur_net
from .blocks import rough_luminance, sharpest_blocks
from .noise_line import sample_rects
from .pixels import history
from .reading import Blur, History, Noise
from .spectrum import LEAST_BLOCKS, Fit, chance, extent, fit_kinds, fit_streaks, log_spectrum

SCALES = (1.0, 2.0, 4.0)  # px; known blurs, from whose ratios the unknown one follows
CENTRAL_DIFFERENCE = 1 / 3  # px^2; variance of the box that a difference over two pixels averages over
LARGEST = 3.0
LEAST_SLOPE = 0.012  # of encoded white per px; weaker edges say little
ABOVE_NOISE = 6  # times the noise of the finest slope
LEAST_EDGES = 50
GRID, LEAST_DIVIDED = 3, 1200  # parts of a picture each way; px of its shorter side
LEAST_SOFTNESS = 0.3  # px; less is no blur
# How much better than by softness a kind with zeros must explain a spectrum. Set on training photographs.
MOTION_GAIN, DEFOCUS_GAIN = 0.96, 0.985
# How much better long lines in the scene must, where they are not level, as most are: shores have 0.5 to 0.84 (one
# made up 1.0), pictures that moved 0.9 and more.
SCENE_GAIN, LEVEL = 0.89, 6.0  # degrees
LEAST_EXPLAINED, CLEARLY = 0.3, 0.8
EXPLAINED = 0.25  # misfit
UNEVEN = 0.015  # misfit beyond what chance and an ordinary scene leave
UNLIKE = 1.02  # misfit of a disc against that of softness
AGREED = 0.25  # by so much a disc may differ between edges and spectrum
LARGEST_EXTENT = 26.0  # px of the blocks
LEAST_BLURRED, LEAST_SHAKEN = 0.5, 1.1  # px of softness
LEAST_RADIUS, LARGEST_RADIUS = 1.1, 13.0  # px of the blocks
LEAST_LENGTH, LARGEST_LENGTH = 2.6, 29.0  # px of the blocks; rows of columns or of windows look like longer lines
PLAIN = ("none", "soft lens")
ZEROS = ("motion", "defocus")  # kinds whose spectrum has them
# How sure a network must be of a kind (see blur_net), and of nothing, in a few of the blocks, to be believed. Set on
# training photographs that it was not shown.
SURE, FEW, SHARP_FOR_SURE = -0.3, 0.1, -1.0
# Below that no shake is believed: of 19 found on those photographs all but one had -0.7 or more, a made-up scene that
# did not move has -1.9.
DOUBTED = -1.5
ENLARGED = 0.2  # px for each time: half of what interpolation between neighbours leaves (sigma^2 of 1/6)
FAR_OFF = 2.0  # px; from there on a disc that was not recognised looks softer to the network than it is
ALONG, SHARP = 25.0, 0.4  # degrees; of what a motion leaves
# Edges and thin lines across a motion as sharp as that: with more and a larger share of them there was none. On
# training photographs moved by 6 to 26 px no such share was above 0.43 where there were three.
LEAST_SHARP, MOST_SHARP = 3, 0.5
LEAST_ACROSS = 20  # edges in a direction
# Most of a picture's edges are out of focus or soft by nature; a RAW's are also read roughly, often too sharp.
QUANTILE, RAW_QUANTILE = 0.2, 0.4


@dataclass(frozen=True)
class Edges:
    """Strong edges, n of them.

    ``squared`` is the squared sigma of their blur in px; ``angle`` the direction across them, towards the light, in
    degrees counter-clockwise from the horizontal, -180 to 180; ``is_step`` says which are steps and not thin lines.
    """

    squared: NDArray[np.float64]
    angle: NDArray[np.float64]
    is_step: NDArray[np.bool_]

    @property
    def steps(self) -> NDArray[np.float64]:
        """Squared blurs of the steps; below zero one is steeper than a step can be: it was sharpened."""
        return self.squared[self.is_step]


def strong_edges(y: Array, noise_sigma: float) -> Edges:
    """The strong edges of encoded luminance (H x W, 0..1); ``noise_sigma`` is that of its noise, in the same units.

    The gradient of a step edge of blur s, smoothed further by t, peaks at
    A / sqrt(2 pi (s^2 + t^2)); two values of t give s. A third tells edges from
    thin lines, whose gradient falls faster. Slopes are compared along one
    direction, found at the middle scale: lengths would grow with the noise.

    References
    ----------
    S. Zhuo, T. Sim, "Defocus map estimation from a single image", Pattern
    Recognition 44(9), 2011.
    """
    fine, middle, coarse = (_slopes(y, t) for t in SCALES)
    length = np.hypot(*middle)
    crest = length >= cv2.dilate(length, np.ones((3, 3), np.uint8))
    # Smoothing by t leaves a noise gradient of about sigma / (sqrt(8 pi) t^2).
    strong = crest & (length > max(ABOVE_NOISE * noise_sigma / (np.sqrt(8 * np.pi) * SCALES[0] ** 2), LEAST_SLOPE))
    direction = [m[strong] / np.maximum(length[strong], 1e-9) for m in middle]
    along = [s[0][strong] * direction[0] + s[1][strong] * direction[1] for s in (fine, middle, coarse)]
    squared, squared_coarse = (_blur_squared(along[i], along[i + 1], SCALES[i], SCALES[i + 1]) for i in (0, 1))
    is_step = (squared_coarse > -1.5) & (squared_coarse < LARGEST**2)
    return Edges(squared, np.degrees(np.arctan2(-direction[1], direction[0])), is_step)


def _slopes(y: Array, t: float) -> tuple[Array, Array]:
    smooth = cv2.GaussianBlur(y, (0, 0), t, borderType=cv2.BORDER_REFLECT)
    return cv2.Scharr(smooth, cv2.CV_32F, 1, 0, scale=1 / 32), cv2.Scharr(smooth, cv2.CV_32F, 0, 1, scale=1 / 32)


def _blur_squared(fine: Array, coarse: Array, t: float, u: float) -> Array:
    """s^2 from the peak gradients of an edge smoothed by t and by u."""
    ratio = np.square(fine / np.maximum(coarse, 1e-9))
    return (u**2 - ratio * t**2) / np.maximum(ratio - 1, 1e-3) - CENTRAL_DIFFERENCE


def softness_of_edges(source: Source, noise: Noise) -> float:
    """Softness of a shot's edges in px; 0 where there are too few to tell."""
    edges = _steps(_edges(source, noise))
    return _softness(edges, source) if len(edges) >= LEAST_EDGES else 0.0


def _steps(by_patch: dict[Rect, Edges]) -> NDArray[np.float64]:
    return np.concatenate([np.empty(0), *(edges.steps for edges in by_patch.values())])


def measure_blur(source: Source, noise: Noise) -> tuple[Blur, History]:
    """Softness of a shot's edges and the kind of blur behind it; and, from the same figures, earlier work on it."""
    by_patch = _edges(source, noise)
    edges = _steps(by_patch)
    known = edges if len(edges) >= LEAST_EDGES else edges[:0]
    # A low quantile, for the rest may be out of focus.
    softness, sure = (_softness(known, source), min(1.0, len(known) / 1000)) if len(known) else (0.0, 0.0)
    # Until the spectrum is known: the disc and the line of the same variance.
    blur = _soft(Blur(regions=_regions(by_patch, source, softness), confidence=sure), softness)
    blurred = softness >= LEAST_BLURRED or not sure  # or too blurred to show an edge, perhaps
    blocks = sharpest_blocks(source, halved=source.is_raw)
    seen = _seen(blocks) if blurred or not source.is_raw else None
    if len(blocks) >= LEAST_BLOCKS:
        spectrum = log_spectrum(blocks)
        fits = fit_kinds(spectrum)
        unit = 2.0 if source.is_raw else 1.0  # px per pixel of the blocks
        explained = min(fit.misfit for fit in fits.values()) < EXPLAINED
        # The zeros of a blur look like the end of an enlarged picture's spectrum, but a blur explains all of it.
        past = History() if source.is_raw else history(known, None if explained else spectrum)
        blur = _sized(blur, fits, unit)
        if past.enlarged == 1 and blurred:
            blur = _of_a_kind(blur, seen, fits, spectrum, list(by_patch.values()), len(blocks), unit)
        blur = _without_a_disc(blur, fits, softness, unit)
    else:
        past = History() if source.is_raw else history(known, None)
    if seen is not None and past.enlarged > 1 and blur_net.softness(seen) < ENLARGED * past.enlarged:
        past = replace(past, enlarged=1.0, confidence=0.5)  # the scene's own spectrum: what is enlarged is softer
    # Without edges nobody knows: smooth clouds are as soft as they are.
    if blur.kind in PLAIN and past.enlarged == 1 and sure:
        blur = _softness_seen(blur, _seen(sharpest_blocks(source)) if source.is_raw else seen)
    return blur, past


def _sized(blur: Blur, fits: dict[str, Fit], unit: float) -> Blur:
    """With the disc and the line that the spectrum is likest to; ``unit`` is the px per pixel of its blocks."""
    (radius,), (length, angle) = fits["defocus"].size, fits["motion"].size
    return replace(blur, disc_radius=unit * abs(radius), line_length=unit * abs(length), line_angle=angle % 180)


def _without_a_disc(blur: Blur, fits: dict[str, Fit], softness: float, unit: float) -> Blur:
    """With a disc as soft as the edges where that of the spectrum is not likely."""
    if blur.kind == "defocus":
        return blur
    # Noise may have filled the zeros in, but neither the edges nor the slope.
    as_soft = 2 * (softness or unit * abs(fits["soft"].size[0]))
    unlike = fits["defocus"].misfit > fits["soft"].misfit * UNLIKE
    if unlike or (softness and abs(blur.disc_radius - as_soft) > AGREED * as_soft):
        return replace(blur, disc_radius=as_soft)
    return blur


def _of_a_kind(
    plain: Blur, seen: NDArray[np.float64] | None, fits: dict[str, Fit], spectrum: NDArray[np.float64],
    edges: list[Edges], blocks: int, unit: float,
) -> Blur:  # fmt: skip
    """What the spectrum of so many blocks says, with the network's opinion, if nothing in the scene explains it."""
    guess = _kind(plain, fits, spectrum, blocks, unit)
    lines = sum(len(e.squared) for e in edges)  # without any a network sees next to nothing
    if seen is not None and guess == plain and lines >= LEAST_ACROSS:
        guess = _second_opinion(plain, seen, fits, spectrum, unit)
    elif seen is not None and guess.kind == "shake" and _doubted(seen):
        guess = plain
    return plain if _of_the_scene(guess, fits, spectrum, edges) else guess


def _softness_seen(plain: Blur, seen: NDArray[np.float64] | None) -> Blur:
    """With softness as a network sees it in blocks of full size, up to FAR_OFF."""
    if seen is None:
        return plain
    told = blur_net.softness(seen)
    if told >= FAR_OFF and plain.softness:
        return plain
    soft = replace(_soft(plain, told), confidence=max(plain.confidence, len(seen) / blur_net.MOST))
    return replace(soft, disc_radius=plain.disc_radius, line_length=plain.line_length)


def _soft(blur: Blur, softness: float) -> Blur:
    """The same with another softness in px, and the disc and line of the same variance."""
    share = softness / blur.softness if blur.softness else 1.0
    return replace(
        blur, kind="soft lens" if softness > LEAST_SOFTNESS else "none", softness=softness, radius=softness,
        disc_radius=2 * softness, line_length=12**0.5 * softness,
        regions=tuple(tuple(share * part for part in row) for row in blur.regions),
    )  # fmt: skip


def _seen(blocks: Array) -> NDArray[np.float64] | None:
    """What a network makes of blocks (see :mod:`.blur_net`) that has seen many scenes; None without it or a block."""
    try:
        return blur_net.log_probabilities(blocks) if len(blocks) else None
    except NetworkUnavailableError:
        return None


def _kind(plain: Blur, fits: dict[str, Fit], spectrum: NDArray[np.float64], blocks: int, unit: float) -> Blur:
    """What made edges soft: a disc or a line if the spectrum has their zeros, shake if it is uneven without them."""
    simple = min(fits["none"].misfit, fits["soft"].misfit)
    disc, line = fits["defocus"], fits["motion"]
    best = min(simple, disc.misfit, line.misfit)
    uneven = best - 2 * chance(blocks)
    # A kind with zeros must explain a good part of what is uneven, or it is a path that no line or disc describes.
    explained = (simple - best) / max(simple - chance(blocks), 1e-9)
    if plain.softness > LEAST_SHAKEN and uneven > UNEVEN and explained < LEAST_EXPLAINED and best > CLEARLY * simple:
        moved = extent(spectrum)
        if moved < LARGEST_EXTENT:  # beyond, it is a pattern in the scene
            return replace(plain, kind="shake", radius=0.0, length=unit * moved, confidence=min(0.5, 0.1 + 3 * uneven))
    if line.misfit < MOTION_GAIN * min(simple, disc.misfit) and LEAST_LENGTH < line.size[0] < LARGEST_LENGTH:
        gain = 1 - line.misfit / min(simple, disc.misfit)
        length, angle = plain.line_length, plain.line_angle
        return replace(plain, kind="motion", radius=0.0, length=length, angle=angle, confidence=min(1.0, 4 * gain))
    if disc.misfit < DEFOCUS_GAIN * simple and LEAST_RADIUS < disc.size[0] < LARGEST_RADIUS:
        gain = 1 - disc.misfit / simple
        return replace(plain, kind="defocus", radius=plain.disc_radius, confidence=min(1.0, 10 * gain))
    return plain


def _second_opinion(
    plain: Blur, each: NDArray[np.float64], fits: dict[str, Fit], spectrum: NDArray[np.float64], unit: float
) -> Blur:  # fmt: skip
    """What the network says of the kind, where the spectrum does not tell.

    ``unit`` is the px per pixel of the blocks. Of a disc or line the spectrum must still show something, for the
    distance of its zeros is the size. A few blocks that are sharp for sure are enough to say that nothing moved.
    """
    seen = blur_net.against_plain(each)
    if float(np.quantile(seen.max(axis=1), FEW)) < SHARP_FOR_SURE:
        return plain
    simple = min(fits["none"].misfit, fits["soft"].misfit)
    disc, line = fits["defocus"], fits["motion"]
    for sure, kind in sorted(zip(seen.mean(axis=0).tolist(), blur_net.KINDS, strict=True), reverse=True):
        if sure < SURE:
            break
        told = replace(plain, kind=kind, radius=0.0, confidence=min(0.5, 0.2 + 0.2 * (sure - SURE)))
        if kind == "shake":
            return replace(told, length=unit * min(extent(spectrum), LARGEST_EXTENT))
        if kind == "defocus":  # without a disc a soft background has it seen
            shows = disc.misfit < simple and LEAST_RADIUS < disc.size[0] < LARGEST_RADIUS
            return replace(told, radius=plain.disc_radius) if shows else plain
        if line.misfit < min(simple, disc.misfit) and LEAST_LENGTH < line.size[0] < LARGEST_LENGTH:
            return replace(told, length=plain.line_length, angle=plain.line_angle)
    return plain


def _doubted(each: NDArray[np.float64]) -> bool:
    """Whether the network finds no shake at all: what is sharp before a soft background has an uneven spectrum, too."""
    return float(blur_net.against_plain(each)[:, blur_net.KINDS.index("shake")].mean()) < DOUBTED


def _of_the_scene(blur: Blur, fits: dict[str, Fit], spectrum: NDArray[np.float64], edges: list[Edges]) -> bool:
    """Whether something in the scene explains a movement or disc better: windows, bricks, bark, a horizon."""
    if blur.kind == "shake":
        return _sharp_everywhere(edges)
    if blur.kind not in ZEROS:
        return False
    if blur.kind == "motion" and _sharp_along(blur, edges):
        return True
    motion = fits["motion"]
    needed = 1.0 if abs((motion.size[1] + 90) % 180 - 90) < LEVEL else SCENE_GAIN
    return fit_streaks(spectrum, motion).misfit < needed * min(fits[kind].misfit for kind in ZEROS)


def _sharp_along(blur: Blur, edges: list[Edges]) -> bool:
    """Whether there are edges that a motion would have blurred."""
    off = np.concatenate([e.angle for e in edges]) - blur.angle
    squared = np.concatenate([e.squared for e in edges])[np.abs((off + 90) % 180 - 90) < ALONG]
    sharp = int(np.count_nonzero(squared < (SHARP * min(blur.length / 12**0.5, LARGEST)) ** 2))
    return sharp >= LEAST_SHARP and sharp > MOST_SHARP * len(squared)


def _sharp_everywhere(edges: list[Edges]) -> bool:
    """Whether edges and thin lines of all directions are sharper than a movement leaves those across it."""
    squared, angle = (np.concatenate([getattr(e, name) for e in edges]) for name in ("squared", "angle"))
    across = (squared[np.abs((angle - towards + 90) % 180 - 90) < ALONG] for towards in range(0, 180, 30))
    softest = max((float(np.quantile(s, QUANTILE)) for s in across if len(s) >= LEAST_ACROSS), default=np.inf)
    return softest < LEAST_SHAKEN**2


def _softness(edges: NDArray[np.float64], source: Source) -> float:
    quantile = RAW_QUANTILE if isinstance(source, RawSource) else QUANTILE
    return float(np.sqrt(np.clip(np.quantile(edges, quantile), 0, LARGEST**2)))


def _regions(by_patch: dict[Rect, Edges], source: Source, whole: float) -> tuple[tuple[float, ...], ...]:
    """Softness in each part of a grid; that of the whole picture where a part has too few edges."""
    if min(source.size.height, source.size.width) < LEAST_DIVIDED or not whole:
        return ()
    parts: dict[tuple[int, int], list[NDArray[np.float64]]] = {}
    for rect, edges in by_patch.items():
        row = (2 * rect.top + rect.height) * GRID // (2 * source.size.height)
        column = (2 * rect.left + rect.width) * GRID // (2 * source.size.width)
        parts.setdefault((row, column), []).append(edges.steps)

    def softness(row: int, column: int) -> float:
        edges = np.concatenate([np.empty(0), *parts.get((row, column), [])])
        return _softness(edges, source) if len(edges) >= LEAST_EDGES else whole

    return tuple(tuple(softness(row, column) for column in range(GRID)) for row in range(GRID))


def _edges(source: Source, noise: Noise) -> dict[Rect, Edges]:
    """The strong edges in patches all over a shot."""
    found = {}
    for rect in sample_rects(source.size, 256, 24):
        y = np.ascontiguousarray(srgb_encode(rough_luminance(source, rect)))
        if min(y.shape) >= 16:
            found[rect] = strong_edges(y, noise.luminance / 255 / 3**0.5)
    return found
