"""The screen of a printed picture: dots in a regular grid, found as peaks of the spectrum and taken out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

BLOCK = 128  # px of the blocks that are looked at
HOP = BLOCK // 2
SURROUNDINGS = 17  # frequencies each way, over which the spectrum has no peaks of its own
STANDS_OUT = 40.0  # times the power around it, from which it is a screen: one clean picture of about 200 has such
LOWEST = 8 / BLOCK  # cycles a pixel; what is coarser is the picture
WIDTH = 0.3  # of the screen's frequency: sigma of what is taken out around each of its multiples
STRONGEST = 8  # peaks among which a screen's first two are
ACROSS, ALIKE = 0.2, 0.08  # cosine of the angle between them at most, and by how much they may differ
ON_AXIS = 0.6 / BLOCK  # cycles a pixel, within which a peak lies on an axis, or on a multiple of JPEG's grid


@dataclass(frozen=True)
class Screen:
    """Two frequencies (cycles a pixel, down and right) of a regular grid of dots."""

    one: tuple[float, float]
    other: tuple[float, float]

    @property
    def frequency(self) -> float:
        """Mean of both, in cycles a pixel."""
        return float(np.hypot(*self.one) + np.hypot(*self.other)) / 2


def blocks_of(height: int, width: int, most: int) -> Iterator[tuple[int, int]]:
    """Upper left corners (row, column) of at most so many blocks, spread over a picture of so many px.

    Examples
    --------
    >>> list(blocks_of(300, 260, 3))
    [(0, 0), (128, 0)]
    """
    if height < BLOCK or width < BLOCK:
        return
    rows, columns = range(0, height - BLOCK + 1, BLOCK), range(0, width - BLOCK + 1, BLOCK)
    all_of_them = [(y, x) for y in rows for x in columns]
    step = max(1, -(-len(all_of_them) // most))
    yield from all_of_them[::step]


def power_of(block: Array) -> NDArray[np.float64]:
    """Power of a block of luma (BLOCK x BLOCK), without its mean: BLOCK x BLOCK/2 + 1.

    Examples
    --------
    >>> power = power_of(np.cos(np.arange(BLOCK) * np.pi / 4)[None].repeat(BLOCK, 0).astype(np.float32))
    >>> [int(n) for n in np.unravel_index(power.argmax(), power.shape)]
    [0, 16]
    """
    window = np.hanning(BLOCK + 1)[:-1].astype(np.float32)
    return np.abs(np.fft.rfft2((block - block.mean()) * window[:, None] * window)) ** 2


def peaks_of(power: NDArray[np.float64]) -> list[tuple[float, float]]:
    """Frequencies (cycles a pixel, down and right) at which a mean power spectrum has peaks; the strongest first.

    Periodic noise is a peak; what a picture holds, on the mean of many places, is smooth (R. Gonzalez, R. Woods,
    "Digital Image Processing", 4th edition, 2018, section 4.10, notch filters).

    Examples
    --------
    >>> y, x = np.mgrid[:BLOCK, :BLOCK]
    >>> block = np.cos(2 * np.pi * (20 * x + 12 * y) / BLOCK) + np.random.default_rng(0).normal(0, 0.1, (BLOCK, BLOCK))
    >>> down, right = peaks_of(power_of(block.astype(np.float32)))[0]
    >>> round(down * BLOCK), round(right * BLOCK)
    (12, 20)
    """
    logged = np.log(np.fft.fftshift(power, axes=0) + 1e-12).astype(np.float32)
    both = np.concatenate([np.flip(logged[:, 1:], (0, 1)), logged], axis=1)  # a median needs both sides of zero
    around = cv2.medianBlur(both, 5)
    around = cv2.blur(around, (SURROUNDINGS, SURROUNDINGS), borderType=cv2.BORDER_REFLECT)[:, -logged.shape[1] :]
    above = logged - around
    highest = cv2.dilate(above, np.ones((5, 5), np.uint8)) == above
    rows, columns = np.nonzero(highest & (above > np.log(STANDS_OUT)))
    found = sorted(
        (-float(above[r, c]), float(r - BLOCK // 2) / BLOCK, float(c) / BLOCK)
        for r, c in zip(rows, columns, strict=True)
    )
    return [(down, right) for _, down, right in found if np.hypot(down, right) > LOWEST and not _of_jpeg(down, right)]


def _of_jpeg(down: float, right: float) -> bool:
    """Whether a frequency is of JPEG's grid of 8 x 8 px."""
    on_axis = min(abs(down), abs(right)) < ON_AXIS
    far = 8 * max(abs(down), abs(right))
    return on_axis and abs(far - round(far)) < 8 * ON_AXIS


def screen_of(power: NDArray[np.float64]) -> Screen | None:
    """The screen that a mean power spectrum tells of: its two lowest peaks, alike in frequency and across each other.

    Examples
    --------
    >>> y, x = np.mgrid[:BLOCK, :BLOCK]
    >>> dots = np.cos(2 * np.pi * (20 * x + 12 * y) / BLOCK) + np.cos(2 * np.pi * (12 * x - 20 * y) / BLOCK)
    >>> screen = screen_of(power_of((dots + np.random.default_rng(0).normal(0, 0.1, dots.shape)).astype(np.float32)))
    >>> round(1 / screen.frequency, 1)
    5.5
    >>> screen_of(power_of(np.random.default_rng(0).normal(0, 0.1, (BLOCK, BLOCK)).astype(np.float32))) is None
    True
    """
    peaks = peaks_of(power)[:STRONGEST]
    for one in sorted(peaks, key=lambda p: np.hypot(*p)):
        for other in peaks:
            lengths = np.hypot(*one), np.hypot(*other)
            across = abs(one[0] * other[0] + one[1] * other[1]) / (lengths[0] * lengths[1])
            if across < ACROSS and abs(lengths[0] / lengths[1] - 1) < ALIKE:
                return Screen(one, other)
    return None


def without_screen(pixels: Array, screen: Screen | None, start: tuple[int, int] = (0, 0), share: float = 1.0) -> Array:
    """Pixels (H x W x C) with what a screen added taken out, by overlapping blocks.

    ``start`` is the row and column of the pixels in the whole picture: blocks lie on its grid, so parts agree with the
    whole, but for a block's width at their rim.

    Examples
    --------
    >>> y, x = np.mgrid[:300, :300]
    >>> dots = (0.5 + 0.1 * np.cos(2 * np.pi * (20 * x + 12 * y) / BLOCK)).astype(np.float32)[..., None]
    >>> clean = without_screen(dots, Screen((12 / BLOCK, 20 / BLOCK), (-20 / BLOCK, 12 / BLOCK)))
    >>> float(np.ptp(clean[100:200, 100:200])) < 0.02
    True
    """
    if screen is None:
        return pixels
    height, width = pixels.shape[:2]
    before = [BLOCK + s % HOP for s in start]
    around = [(b, BLOCK + -(n + b) % HOP) for b, n in zip(before, (height, width), strict=True)]
    padded = np.pad(pixels, (*around, (0, 0)), mode="symmetric" if min(height, width) > 1 else "edge")
    window = np.sqrt(np.hanning(BLOCK + 1)[:-1]).astype(np.float32)
    weight, kept = window[:, None] * window, _kept(screen, share)
    out = np.zeros_like(padded)
    for top in range(0, padded.shape[0] - BLOCK + 1, HOP):
        for left in range(0, padded.shape[1] - BLOCK + 1, HOP):
            part = np.s_[top : top + BLOCK, left : left + BLOCK]
            block = padded[part]
            mean = block.mean(axis=(0, 1))
            spectrum = np.fft.rfft2((block - mean) * weight[..., None], axes=(0, 1))
            clean = np.fft.irfft2(spectrum * kept[..., None], s=(BLOCK, BLOCK), axes=(0, 1))
            out[part] += (clean + mean * weight[..., None]) * weight[..., None]
    return np.asarray(out[before[0] : before[0] + height, before[1] : before[1] + width], np.float32)


def _kept(screen: Screen, share: float) -> NDArray[np.float32]:
    """What stays of each frequency (BLOCK x BLOCK/2 + 1): little around each multiple of the screen's two."""
    down, right = np.fft.fftfreq(BLOCK)[:, None], np.fft.rfftfreq(BLOCK)[None]
    width = WIDTH * screen.frequency
    kept = np.ones((BLOCK, BLOCK // 2 + 1))
    reach = int(np.ceil(0.75 / screen.frequency)) + 1
    for m in range(-reach, reach + 1):
        for n in range(-reach, reach + 1):
            y, x = (m * a + n * b for a, b in zip(screen.one, screen.other, strict=True))
            if (m, n) != (0, 0) and max(abs(y), abs(x)) < 0.5 + width:
                kept *= 1 - np.exp(-((down - y) ** 2 + (right - x) ** 2) / (2 * width**2))
    return (1 - share * (1 - kept)).astype(np.float32)
