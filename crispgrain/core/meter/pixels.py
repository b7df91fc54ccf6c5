"""What a shot's pixels are worth: tones lost, exposure, and traces of earlier enlarging or sharpening."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..colour.spaces import luminance
from ..files.source import RawSource, Source
from .noise_line import sample_rects
from .reading import History, Tones
from .spectrum import BLOCK

MID_GREY = 0.18
RAW_FULL, PICTURE_FULL, PICTURE_EMPTY = 0.995, 0.9999, 1e-5  # of white
STEEPER_THAN_A_STEP = -0.2  # px^2; the square of a blur cannot be less than none
LEAST_DROP = 0.6  # of the logarithm of power, beyond what softness explains
ENDS = range(14, 56)  # rings of the spectrum where it may end
ROLL_OFF = 0.8  # interpolation lets some through beyond the small picture's range


def measure_tones(source: Source) -> Tones:
    """Shares of pixels lost in white and in black, and how far the median is from mid grey."""
    full, empty, values = [], [], []
    for rect in sample_rects(source.size):
        pixels = source.region(rect)
        if isinstance(source, RawSource):  # without a lower end: what is dark is noise
            full.append((pixels >= RAW_FULL).ravel())
            values.append(pixels.ravel())
        else:
            full.append((pixels >= PICTURE_FULL).any(axis=-1).ravel())
            empty.append((pixels <= PICTURE_EMPTY).all(axis=-1).ravel())
            values.append(luminance(pixels).ravel())
    median = float(np.median(np.concatenate(values)))
    lost = float(np.concatenate(empty).mean()) if empty else 0.0
    return Tones(float(np.concatenate(full).mean()), lost, float(np.log2(max(median, 1e-4) / MID_GREY)))


def history(edges: NDArray[np.float64], spectrum: NDArray[np.float64] | None) -> History:
    """Traces of earlier work in squared blurs of edges and in a mean logarithmic spectrum.

    An enlarged picture has next to nothing beyond the frequencies it had when
    small. That is told from softness by how suddenly its spectrum ends: it is
    predicted beyond each frequency from what lies below.
    """
    sharpened = len(edges) > 0 and float(np.quantile(edges, 0.1)) < STEEPER_THAN_A_STEP
    drop, end = (0.0, 1.0) if spectrum is None else _sudden_end(_rings(spectrum))
    enlarged = 1 / (ROLL_OFF * end) if drop > LEAST_DROP else 1.0
    return History(enlarged, sharpened, min(1.0, drop / 2) if enlarged > 1 else 0.5)


def _rings(spectrum: NDArray[np.float64]) -> NDArray[np.float64]:
    """Mean over directions, in 64 steps up to half a cycle per pixel."""
    radius = np.hypot(np.fft.fftfreq(BLOCK)[:, None], np.fft.rfftfreq(BLOCK)[None])
    ring = np.minimum(np.rint(radius * BLOCK).astype(int), BLOCK // 2 - 1)
    return np.bincount(ring.ravel(), spectrum.ravel()) / np.bincount(ring.ravel())


def _sudden_end(rings: NDArray[np.float64]) -> tuple[float, float]:
    """How far the spectrum drops below what is expected of it, and where that begins as a share of its range."""
    frequency = np.arange(len(rings)) / BLOCK
    best = (0.0, 1.0)
    for end in ENDS:
        below = np.arange(5, int(0.88 * end))
        above = np.arange(int(1.12 * end) + 1, min(int(1.35 * end) + 2, len(rings) - 2))
        if len(above) < 2:
            continue
        # A power law, and a Gaussian's fall if there is one.
        basis = np.stack([np.ones_like(frequency), np.log(np.maximum(frequency, 1e-9)), frequency**2], axis=1)
        fit = np.linalg.lstsq(basis[below], rings[below], rcond=None)[0]
        if fit[2] > 0:
            fit = np.append(np.linalg.lstsq(basis[below, :2], rings[below], rcond=None)[0], 0)
        drop = float((basis[above] @ fit - rings[above]).mean())
        best = max(best, (drop, 2 * float(frequency[end])))
    return best
