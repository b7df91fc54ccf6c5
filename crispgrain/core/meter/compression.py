"""How strongly a picture was compressed as JPEG: from its quantisation table, or from traces in its pixels."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from ..files.source import PictureSource, RawSource, Source
from .noise_line import sample_rects
from .reading import Compression

# ITU-T T.81 (1992), table K.1: luma, row by row.
LUMA = np.array([
    16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69, 56,
    14, 17, 22, 29, 51, 87, 80, 62, 18, 22, 37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81, 104, 113, 92,
    49, 64, 78, 87, 103, 121, 120, 101, 72, 92, 95, 98, 112, 100, 103, 99,
])  # fmt: skip
JFIF_LUMA = np.array([0.299, 0.587, 0.114], np.float32)  # ITU-T T.871 (2011)
EDGE = 8
LOW = np.add.outer(np.arange(EDGE), np.arange(EDGE)).ravel()
USED = (LOW >= 1) & (LOW <= 5)  # coefficients: higher ones are mostly zero, the mean says nothing
QUALITIES = range(5, 96)  # above, the steps drown in the rounding of pixels
MOST_BLOCKS = 6000
LEAST_COEFFICIENTS = 300
LEAST_FIT = 0.35
ROUNDING = 1 / 12  # variance that rounding to whole numbers adds to every coefficient


def luma_table(quality: int) -> NDArray[np.int64]:
    """The luma table of a quality from 1 to 100, on the scale of the Independent JPEG Group's library."""
    scale = 5000 // quality if quality < 50 else 200 - 2 * quality
    return np.clip((LUMA * scale + 50) // 100, 1, 255)


def measure_compression(source: Source) -> Compression:
    """JPEG quality of a shot, if it was ever saved as JPEG and the traces are still there."""
    if isinstance(source, RawSource):
        return Compression()
    if source.facts.jpeg_luma is not None:
        return from_table(source.facts.jpeg_luma)
    return from_pixels(source) if source.stored.dtype == np.uint8 else Compression()


def from_table(table: tuple[int, ...]) -> Compression:
    """The quality whose table is nearest, and how near it is.

    Many cameras have tables of their own: for those it is the quality of
    equal coarseness.
    """
    if len(table) != LUMA.size:
        return Compression()
    # Steps matter by their ratio: from 1 to 2 is as much as from 50 to 100.
    given = np.log(np.maximum(table, 1))
    distance = [float(np.abs(np.log(luma_table(q)) - given).mean()) for q in range(1, 101)]
    best = int(np.argmin(distance))
    return Compression(float(best + 1), (0, 0), "table", float(np.exp(-2 * distance[best])))


def from_pixels(source: PictureSource) -> Compression:
    """Quality from the comb that rounding left in the cosine coefficients of 8 x 8 blocks.

    The coefficients of a once compressed picture lie at multiples of the
    table's steps, blurred by rounding to whole pixel values. Each quality is
    tried by how well its steps explain those that are not zero.

    References
    ----------
    Z. Fan, R. L. de Queiroz, "Identification of bitmap compression history:
    JPEG detection and quantizer estimation", IEEE Trans. Image Processing
    12(2), 2003.
    """
    rects = sample_rects(source.size, 256, 24)
    lumas = [source.stored[r.slices][..., :3].astype(np.float32) @ JFIF_LUMA for r in rects]
    places = [(r.top, r.left) for r in rects]
    top = block_phase(lumas, [p[0] for p in places], 0)
    left = block_phase(lumas, [p[1] for p in places], 1)
    gathered = [_coefficients(y, (top - t) % EDGE, (left - s) % EDGE) for y, (t, s) in zip(lumas, places, strict=True)]
    coefficients = np.concatenate(gathered)[:, USED]
    coefficients = coefficients[:: max(1, len(coefficients) // MOST_BLOCKS)]
    fits = np.array([_comb_fit(coefficients, luma_table(q).ravel()[USED]) for q in QUALITIES])
    best = int(fits.argmax())
    if fits[best] < LEAST_FIT:
        return Compression()
    return Compression(float(QUALITIES[best]), (left, top), "pixels", float(min(1.0, fits[best])))


def block_phase(lumas: list[NDArray[np.float32]], offsets: list[int], axis: int) -> int:
    """Where block borders lie along an axis, 0 to 7: there neighbours differ more than just beside."""
    total, count = np.zeros(EDGE), np.zeros(EDGE)
    for y, offset in zip(lumas, offsets, strict=True):
        step = np.abs(np.diff(y, axis=axis))
        jump = np.moveaxis(step, axis, 0)
        excess = (jump[1:-1] - (jump[:-2] + jump[2:]) / 2).mean(axis=1)
        phase = (np.arange(len(excess)) + 2 + offset) % EDGE  # a step before row 2 is the excess at 0
        total += np.bincount(phase, excess, EDGE)
        count += np.bincount(phase, minlength=EDGE)
    return int(np.argmax(total / np.maximum(count, 1)))


def _coefficients(y: NDArray[np.float32], top: int, left: int) -> NDArray[np.float32]:
    """Cosine coefficients (n x 64) of the blocks of a luma plane, the first block at ``top``, ``left``."""
    inside = y[top:, left:]
    rows, columns = (n // EDGE for n in inside.shape)
    blocks = inside[: rows * EDGE, : columns * EDGE].reshape(rows, EDGE, columns, EDGE).swapaxes(1, 2)
    clean = (blocks.min(axis=(2, 3)) > 1) & (blocks.max(axis=(2, 3)) < 254)  # clipping moves coefficients
    return scipy.fft.dctn(blocks[clean] - 128, axes=(1, 2), norm="ortho").reshape(-1, EDGE * EDGE)


def _comb_fit(coefficients: NDArray[np.float32], steps: NDArray) -> float:
    """How far coefficients that are not zero lie on multiples of their steps: 1 all of them, 0 as by chance."""
    nonzero = np.abs(coefficients) > 0.5 * steps
    if nonzero.sum() < LEAST_COEFFICIENTS:
        return 0.0
    ratio = (coefficients / steps)[nonzero]
    expected = np.exp(-2 * np.pi**2 * ROUNDING / steps.astype(float) ** 2)
    return float(np.cos(2 * np.pi * ratio).mean() * np.sqrt(np.average(expected, weights=nonzero.sum(axis=0))))
