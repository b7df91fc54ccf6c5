"""Which kind of blur a picture suffered, from the zeros it left in the spectrum.

Photographs have smooth spectra. A disc or a line of blur multiplies them with
a pattern of rings or stripes whose distance tells its size. So the mean
logarithmic spectrum of many small blocks is fitted with a smooth part, the
pattern of a blur, and a floor of white noise; the kind that fits best is taken.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.arrays import Array

from .blocks import BLOCK

LEAST_BLOCKS = 5
BAND = (6 / BLOCK, 0.48)  # cycles per px; below, the window blurs; above, demosaicing and compression reign
THINNED = 2  # every other frequency is enough
LEAST_TRANSFER = 2e-3  # of squared amplitude: the blocks' window fills zeros in
DISC_RADII = np.geomspace(1.2, 14, 28)  # px
LENGTHS, ANGLES = np.geomspace(3, 32, 26), np.arange(0, 180, 6)  # px, degrees
GAUSSIANS = (0.5, 1.0, 2.0, 3.0)  # px
SCENE_SLOPE = 2.4  # power falls with frequency like this in most photographs
FADED = 0.1  # of the autocorrelation
SMOOTHEST = 8  # how many starting points of a kind are followed up
APART = 0.7, 30.0  # logarithm of their sizes, degrees between them
LEAST_GAIN = 1e-3  # share of the misfit; a step that gains less is the last

Transfer = Callable[..., NDArray[np.float64]]


@dataclass(frozen=True)
class Fit:
    """A kind of blur fitted to a spectrum: ``misfit`` is the mean square error of the logarithm."""

    misfit: float
    size: tuple[float, ...] = ()


@dataclass(frozen=True)
class _Plane:
    """The frequencies looked at: polar coordinates, the smooth part's basis, and weights that sum to 1."""

    kept: NDArray[np.bool_]
    radius: NDArray[np.float64]
    across: NDArray[np.float64]
    up: NDArray[np.float64]
    smooth: NDArray[np.float64]
    weight: NDArray[np.float64]


@cache
def _plane() -> _Plane:
    down, across = np.fft.fftfreq(BLOCK)[:, None], np.fft.rfftfreq(BLOCK)[None]
    radius = np.hypot(down, across)
    kept = (radius > BAND[0]) & (radius < BAND[1])
    kept &= np.add.outer(np.arange(BLOCK), np.arange(BLOCK // 2 + 1)) % THINNED == 0
    f = radius[kept]
    x, y = (np.broadcast_to(v, radius.shape)[kept] for v in (across, -down))
    angle = np.arctan2(y, x)
    columns = [np.ones_like(f), np.log(f), np.log(f) ** 2]
    for k in (2, 4):  # edges of a scene have preferred directions
        columns += [wave(k * angle) * part for wave in (np.cos, np.sin) for part in (1, np.log(f))]
    weight = 1 / f  # every ring counts the same
    return _Plane(kept, f, x, y, np.stack(columns, axis=1), weight / weight.sum())


def gaussian(sigma: float) -> NDArray[np.float64]:
    """Squared transfer of a Gaussian of ``sigma`` px."""
    return np.exp(-4 * (np.pi * _plane().radius * sigma) ** 2)


def disc(radius: float) -> NDArray[np.float64]:
    """Squared transfer of a disc of ``radius`` px."""
    x = np.maximum(2 * np.pi * _plane().radius * abs(radius), 1e-6)
    return np.square(2 * scipy.special.j1(x) / x)


def line(length: float, angle: float) -> NDArray[np.float64]:
    """Squared transfer of an even motion of ``length`` px, ``angle`` degrees counter-clockwise from the horizontal."""
    return np.square(np.sinc(length * _along(angle)))


def streaks(length: float, angle: float) -> NDArray[np.float64]:
    """Squared transfer as of :func:`line` (px, degrees), without zeros: scenes of long lines have it themselves."""
    return 1 / (1 + 2 * np.square(np.pi * length * _along(angle)))


def _along(angle: float) -> NDArray[np.float64]:
    """Frequencies in a direction, in cycles per px."""
    t = np.radians(angle)
    return _plane().across * np.cos(t) + _plane().up * np.sin(t)


def log_spectrum(blocks: Array) -> NDArray[np.float64]:
    """Mean logarithm of the blocks' power spectra, each of unit power: 128 x 65, as ``rfft2`` orders it."""
    window = np.outer(np.hanning(BLOCK), np.hanning(BLOCK)).astype(np.float32)
    total = np.zeros((BLOCK, BLOCK // 2 + 1))
    for block in blocks:
        mean = float((block * window).sum() / window.sum())
        power = np.square(np.abs(np.fft.rfft2((block - mean) * window)))
        total += np.log(power / max(float(power.sum()), 1e-20) + 1e-14)
    return total / len(blocks)


def chance(blocks: int) -> float:
    """The misfit that chance alone leaves in the mean of so many spectra.

    The logarithm of an exponentially distributed power has variance pi^2 / 6.
    """
    return np.pi**2 / 6 / blocks


def extent(spectrum: NDArray[np.float64]) -> float:
    """Roughly how far a shaken point moved, in px: where the blur's autocorrelation has faded.

    The scene's own spectrum is taken to be a power law, so this is good to a factor of about 1.5 only.
    """
    radius = np.hypot(np.fft.fftfreq(BLOCK)[:, None], np.fft.rfftfreq(BLOCK)[None])
    noise = np.quantile(np.exp(spectrum[radius > 0.4]), 0.1)
    blur = np.maximum(np.exp(spectrum) - 1.2 * noise, 0) * radius**SCENE_SLOPE
    lowest = radius < 2.5 / BLOCK
    blur[lowest] = np.median(blur[~lowest & (radius < 4 / BLOCK)])
    correlation = scipy.ndimage.gaussian_filter(np.fft.fftshift(np.fft.irfft2(blur, (BLOCK, BLOCK))), 1)
    distance = np.hypot(*(np.mgrid[:BLOCK, :BLOCK] - BLOCK // 2))
    far = float(np.median(correlation[distance > 0.35 * BLOCK]))
    held = correlation - far > FADED * (correlation.max() - far)
    return float(distance[held & (distance < 0.35 * BLOCK)].max(initial=0.0))


def fit_kinds(spectrum: NDArray[np.float64]) -> dict[str, Fit]:
    """The best fit of each kind: ``none``, ``soft`` (sigma), ``defocus`` (radius), ``motion`` (length, angle)."""
    spectrum, floor = _with_floor(spectrum)
    kinds: dict[str, tuple[Transfer, list[tuple[float, ...]]]] = {
        "none": (lambda: np.ones_like(spectrum), [()]),
        "soft": (gaussian, [(s,) for s in GAUSSIANS]),
        "defocus": (disc, [(r,) for r in DISC_RADII]),
        "motion": (line, [(float(length), float(a)) for length in LENGTHS for a in ANGLES]),
    }
    found = {}
    for kind, (transfer, starts) in kinds.items():
        rough = [_refined(spectrum, transfer, s, floor, 3) for s in _promising(spectrum, transfer, starts, floor)]
        best = min(rough, key=lambda fit: fit.misfit)
        found[kind] = _refined(spectrum, transfer, best.size, floor, 12)
    return found


def fit_streaks(spectrum: NDArray[np.float64], motion: Fit) -> Fit:
    """The best fit of long lines in the scene in place of a motion, to a spectrum as :func:`log_spectrum` gives it."""
    (length, angle), (spectrum, floor) = motion.size, _with_floor(spectrum)
    fits = [_refined(spectrum, streaks, (share * length, angle), floor, 12) for share in (0.3, 1.0)]
    return min(fits, key=lambda fit: fit.misfit)


def _with_floor(spectrum: NDArray[np.float64]) -> tuple[NDArray[np.float64], float]:
    """What is looked at of a spectrum, and the logarithm of its noise."""
    kept = spectrum[_plane().kept]
    return kept, float(np.log(np.quantile(np.exp(kept[_plane().radius > 0.4]), 0.1)))


def _signal(spectrum: NDArray[np.float64], floor: float) -> tuple[NDArray, NDArray]:
    """Logarithm of the spectrum without its noise, and the share of signal in it."""
    above = np.maximum(np.exp(spectrum - floor) - 0.9, 0.05)
    return np.log(above) + floor, np.clip(1 - np.exp(floor - spectrum), 0, 1)


def _promising(
    spectrum: NDArray[np.float64], transfer: Transfer, starts: list[tuple[float, ...]], floor: float
) -> list[tuple[float, ...]]:
    """Starting points that fit best by linear least squares, with zeros filled in to two depths."""
    if len(starts) <= SMOOTHEST:
        return starts
    signal, share = _signal(spectrum, floor)
    root = np.sqrt(_plane().weight * share**2)
    basis, _ = np.linalg.qr(_plane().smooth * root[:, None])
    chosen: dict[int, None] = {}
    for depth in (0.01, 0.1):
        rest = (signal - _patterns(transfer, tuple(starts), depth)) * root
        misfit = np.square(rest).sum(axis=1) - np.square(rest @ basis).sum(axis=1)
        chosen |= dict.fromkeys(_unlike(starts, np.argsort(misfit), SMOOTHEST // 2))
    return [starts[i] for i in chosen]


@cache
def _patterns(transfer: Transfer, sizes: tuple[tuple[float, ...], ...], depth: float) -> NDArray[np.float64]:
    """Logarithms of a kind of blur in many sizes, zeros filled in to a depth: the same for every picture."""
    return np.log(np.stack([transfer(*size) for size in sizes]) + depth)


def _unlike(starts: list[tuple[float, ...]], order: NDArray, most: int) -> list[int]:
    """The first few that differ: neighbours of the best would lead to where it leads, too."""
    chosen: list[int] = []
    for i in order.tolist():
        if len(chosen) < most and not any(_alike(starts[i], starts[j]) for j in chosen):
            chosen.append(i)
    return chosen


def _alike(a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    turned = [abs(s - t) for s, t in zip(a[1:], b[1:], strict=True)]
    return abs(np.log(a[0] / b[0])) < APART[0] and all(min(t, 180 - t) < APART[1] for t in turned)


def _refined(
    spectrum: NDArray[np.float64], transfer: Transfer, start: tuple[float, ...], floor: float, rounds: int
) -> Fit:
    """Levenberg-Marquardt on smooth part, floor and size together."""
    smooth, weight = _plane().smooth, _plane().weight
    nudges = np.array([0.05, 0.5])[: len(start)]
    signal, share = _signal(spectrum, floor)
    root = np.sqrt(weight * share + 1e-9)
    known = np.log(transfer(*start) + 0.01)
    coefficients = np.linalg.lstsq(smooth * root[:, None], (signal - known) * root, rcond=None)[0]
    parameters = np.concatenate([coefficients, [floor], start])
    split, scale = smooth.shape[1], np.sqrt(weight)

    def model(p: NDArray) -> tuple[NDArray, NDArray]:
        picture = np.exp(np.clip(smooth @ p[:split], -40, 20)) * (transfer(*p[split + 1 :]) + LEAST_TRANSFER)
        whole = picture + np.exp(min(float(p[split]), 20.0))
        return np.log(whole), picture / whole

    def error(p: NDArray) -> NDArray:
        return (model(p)[0] - spectrum) * scale

    def slopes(p: NDArray) -> NDArray:
        _, part = model(p)
        size = p[split + 1 :]
        by_size = [
            np.log((transfer(*(size + d)) + LEAST_TRANSFER) / (transfer(*(size - d)) + LEAST_TRANSFER)) / (2 * d.max())
            for d in np.diag(nudges)
        ]
        return np.column_stack([smooth * part[:, None], 1 - part, *(s * part for s in by_size)]) * scale[:, None]

    found = scipy.optimize.least_squares(
        error, parameters, slopes, method="lm", x_scale="jac", ftol=LEAST_GAIN, max_nfev=rounds
    )
    size = found.x[split + 1 :]
    return Fit(2 * float(found.cost), (*np.abs(size[:1]).tolist(), *size[1:].tolist()))  # its sign says nothing
