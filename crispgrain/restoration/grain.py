"""Grain: fields of even random structure, of a size or like the noise of a picture."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

FIELD = 1024  # px after which the grain repeats: farther than an eye compares
RINGS = 16  # steps of a spectrum, from none to half a cycle per pixel
BLOCK = 32  # px
SEED = 1794


def _white() -> NDArray[np.float64]:
    return np.random.default_rng(SEED).standard_normal((FIELD, FIELD))


@lru_cache(maxsize=4)
def field(size: float) -> Array:
    """Gaussian grain of unit variance (float32, 1024 x 1024) that joins its own edges; ``size`` is a grain's, px.

    Examples
    --------
    >>> grain = field(1.2)
    >>> grain.shape, round(float(grain.std()), 3)
    ((1024, 1024), 1.0)
    """
    edge = 4 * max(1, round(size))
    wrapped = np.pad(_white().astype(np.float32), edge, mode="wrap")
    soft = cv2.GaussianBlur(wrapped, (0, 0), size / 2)[edge:-edge, edge:-edge]
    return soft / soft.std()


def spectrum(noisy: Array) -> Array:
    """Amplitude of a plane's noise by frequency, relative to its mean: 16 values, 0 to half a cycle per pixel.

    It is taken from the smoothest tenth of blocks of 32 px, less a plane each, for texture is not noise.

    Parameters
    ----------
    noisy : float32, H x W

    Examples
    --------
    >>> white = np.random.default_rng(0).standard_normal((512, 512)).astype(np.float32)
    >>> bool(abs(spectrum(white)[2:] - 1).max() < 0.25)
    True
    """
    height, width = (n // BLOCK * BLOCK for n in noisy.shape)
    if min(height, width) == 0:
        return np.ones(RINGS, np.float32)
    blocks = noisy[:height, :width].reshape(height // BLOCK, BLOCK, -1, BLOCK).swapaxes(1, 2).reshape(-1, BLOCK, BLOCK)
    y, x = np.mgrid[:BLOCK, :BLOCK].astype(np.float64)
    basis = np.stack([np.ones(BLOCK * BLOCK), x.ravel(), y.ravel()], axis=1)
    flat = blocks.reshape(len(blocks), -1).astype(np.float64)
    flat -= (flat @ np.linalg.pinv(basis).T) @ basis.T
    calm = np.argsort(flat.var(axis=1))[: max(1, len(flat) // 10)]
    window = np.outer(*2 * [np.hanning(BLOCK + 2)[1:-1]])
    power = (np.abs(np.fft.fft2(flat[calm].reshape(-1, BLOCK, BLOCK) * window)) ** 2).mean(axis=0)
    rings = np.bincount(_ring(BLOCK).ravel(), power.ravel()) / np.bincount(_ring(BLOCK).ravel())
    amplitude = np.sqrt(rings[:RINGS])
    mean = float(amplitude.mean())
    return (amplitude / mean if mean > 0 else np.ones(RINGS)).astype(np.float32)


def _ring(edge: int) -> NDArray[np.int64]:
    """The ring of each place of a Fourier transform; beyond half a cycle the last."""
    radius = np.hypot(*np.meshgrid(np.fft.fftfreq(edge), np.fft.fftfreq(edge)))
    return np.minimum((radius * 2 * RINGS).astype(np.int64), RINGS - 1)


@lru_cache(maxsize=4)
def _like(amplitudes: tuple[float, ...], scale: float) -> Array:
    radius = np.hypot(np.fft.fftfreq(FIELD)[:, None], np.fft.rfftfreq(FIELD)[None])
    centres = (np.arange(RINGS) + 0.5) / (2 * RINGS)
    # Enlarged grain has nothing beyond what the small picture could hold.
    filtered = np.interp(radius * scale, centres, amplitudes) * (radius * scale <= 0.5)
    grain = np.fft.irfft2(np.fft.rfft2(_white()) * filtered, (FIELD, FIELD))
    grain -= grain.mean()
    return (grain / max(float(grain.std()), 1e-9)).astype(np.float32)


def field_like(amplitudes: Array, scale: float = 1.0) -> Array:
    """Grain of unit variance with the :func:`spectrum` of a picture's noise, ``scale`` times as large.

    Examples
    --------
    >>> coarse = field_like(np.linspace(2, 0, 16, dtype=np.float32))
    >>> spectrum(coarse)[2] > 3 * spectrum(coarse)[12]
    np.True_
    """
    return _like(tuple(float(v) for v in amplitudes), max(float(scale), 1e-3))
