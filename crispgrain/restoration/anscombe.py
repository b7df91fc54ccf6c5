"""Making a sensor's signal-dependent noise even, and back."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array

# Below this the sensor's noise is all read noise, and the transform would divide by nothing.
LEAST_SLOPE = 1e-9


def forward(signal: Array, a: Array | float, b: Array | float) -> Array:
    """Generalised Anscombe transform: noise of variance a x signal + b becomes noise of variance 1.

    References
    ----------
    J.-L. Starck, F. Murtagh, A. Bijaoui, "Image Processing and Data Analysis",
    Cambridge 1998, section 1.3.

    Examples
    --------
    >>> signal = np.random.default_rng(0).poisson(1000, 100_000).astype(np.float32) / 1000
    >>> round(float(forward(signal, 0.001, 0.0).std()), 1)
    1.0
    """
    a = np.maximum(a, np.float32(LEAST_SLOPE)).astype(np.float32)
    return 2 / a * np.sqrt(np.maximum(a * signal + np.float32(0.375) * a * a + b, 0))


def inverse(stable: Array, a: Array | float, b: Array | float, smoothed: float = 1.0) -> Array:
    """Back to signal, free of the bias that averaging in the stabilised domain leaves.

    ``smoothed`` is the share of the noise that was averaged away: 1 gives the
    closed form of the exact unbiased inverse, 0 the plain algebraic one.

    References
    ----------
    M. Makitalo, A. Foi, "Optimal inversion of the generalized Anscombe
    transformation for Poisson-Gaussian noise", IEEE Trans. Image Processing
    22(1), 2013, equation 10.

    Examples
    --------
    >>> round(float(inverse(forward(np.float32(0.5), 0.001, 1e-6), 0.001, 1e-6, smoothed=0)), 4)
    0.5
    """
    a = np.maximum(a, np.float32(LEAST_SLOPE)).astype(np.float32)
    variance = (b / (a * a)).astype(np.float32)
    algebraic = stable * stable / 4 - np.float32(0.375)
    if not smoothed:
        return a * (algebraic - variance)
    d = np.maximum(stable, 2 * np.sqrt(np.maximum(np.float32(0.375) + variance, 0.25)))
    root = np.float32(1.5**0.5)
    unbiased = np.float32(0.25) + root / (4 * d) - np.float32(1.375) / d**2 + np.float32(0.625) * root / d**3
    return a * (algebraic + np.float32(smoothed) * unbiased - variance)


def ends(a: float, b: float) -> tuple[Array, Array]:
    """Where the transform puts black, and how far above that it puts white.

    Taking these out brings every sensor and ISO to the range 0..1, with noise of
    one standard deviation, 1 / span, for the whole picture.

    Examples
    --------
    >>> low, span = ends(0.001, 1e-6)
    >>> bool(forward(np.float32(1), 0.001, 1e-6) == low + span)
    True
    """
    black, white = (forward(np.array(v, np.float32), a, b) for v in (0.0, 1.0))
    return black, white - black
