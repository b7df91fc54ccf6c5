"""Finding an unknown blur path from a patch of the blurred picture: blind deconvolution.

From coarse to fine, two steps are repeated. The patch is deblurred with the path so far under a
prior that allows few edges; what comes out is no good picture, but its edges are where the true
ones are. Then the path is found by which those edges become the blurred ones.

References
----------
S. Cho, S. Lee, "Fast motion deblurring", ACM Trans. Graphics 28(5), 2009; L. Xu, S. Zheng, J. Jia,
"Unnatural L0 sparse representation for natural image deblurring", CVPR 2013; J. Pan et al.,
"Deblurring text images via L0-regularized intensity and gradient prior", CVPR 2014.
"""

from __future__ import annotations

import cv2
import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.cancel import check

from .point_spread import transfer

STEP = 2**0.5  # from one scale to the next
SMALLEST = 5  # px, edge of the coarsest kernel
ITERATIONS = 5  # at each scale
EDGES = 8e-3  # cost of an edge in the first iteration
EASED = 1.1  # by which it falls with every iteration
LEAST_COST = 2.5e-3
TIGHTEST, TIGHTER = 1e4, 4.0
RIDGE = 0.2  # against spread-out kernels
KERNEL_STEPS = 100  # towards the path that explains the edges best
FAINT = 0.03  # of the kernel's peak; less is taken for error
CRUMB = 0.05  # of the kernel's sum; smaller pieces apart from the rest are dropped
SMOOTHED = 0.75, 25.0, 1.6  # px; least, per noise in white, most: noise must not pass for edges
TAPERED = 0.2  # share of the patch's width, at both rims together
BRIGHT = 0.995  # quantile that becomes 1


def estimate(patch: Array, extent: int, noise: float) -> Array:
    """The blur path of a patch.

    Parameters
    ----------
    patch : H x W
        Linear luminance, blurred; a few hundred pixels each way, with edges in all directions.
    extent : int
        Largest path looked for, in px.
    noise : float
        Its sigma, white = 1.

    Returns
    -------
    k x k, k odd, sum 1
        Its centre of mass is in the middle: a shift of the picture cannot be told from a shift of the path.

    Examples
    --------
    >>> picture = np.zeros((96, 96), np.float32)
    >>> picture[20:70, 30:60] = 1
    >>> kernel = estimate(picture, 9, 0.005)
    >>> kernel.shape[0] % 2, round(float(kernel.sum()), 3)
    (1, 1.0)
    """
    extent = min(extent, min(patch.shape) // 3)
    if extent < SMALLEST:  # too small to show any path
        return np.ones((1, 1), np.float32)
    smoothing, patch = _smoothing(noise), _brought_to_one(patch, patch)
    edges = [_odd(extent)]
    while edges[-1] > SMALLEST:
        edges.append(_odd(edges[-1] / STEP))
    kernel = _first_guess(edges[-1])
    cost = EDGES
    for n, edge in enumerate(reversed(edges)):
        scale = STEP ** -(len(edges) - 1 - n)
        blurred = cv2.resize(patch, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else patch
        kernel = _resized(kernel, edge)
        transform = _Transform(blurred, smoothing)
        for _ in range(ITERATIONS):
            check()
            kernel = transform.kernel(transform.edges_of_sharp(kernel, cost), edge)
            cost = max(cost / EASED, LEAST_COST)
    return _cleaned(kernel)


def explained(sharp: Array, patch: Array, extent: int, noise: float) -> Array:
    """The path by which a sharp picture became a blurred one.

    Parameters
    ----------
    sharp, patch : H x W
        Linear luminance of the same part, sharp and blurred.
    extent, noise
        As of :func:`estimate`.

    Returns
    -------
    k x k, k odd, sum 1
        Its centre of mass is in the middle.

    Examples
    --------
    >>> picture = np.zeros((96, 96), np.float32)
    >>> picture[20:70, 30:60] = 1
    >>> kernel = explained(picture, cv2.blur(picture, (1, 7)), 9, 0.0)
    >>> bool(kernel.sum(axis=0)[4] > 0.8)  # it goes up and down
    True
    """
    blurred = _brought_to_one(patch, patch)
    transform = _Transform(blurred, _smoothing(noise))
    return _cleaned(transform.kernel(transform.edges_of(_brought_to_one(sharp, patch)), _odd(extent)))


def _smoothing(noise: float) -> float:
    least, per_noise, most = SMOOTHED
    return min(least + per_noise * noise, most)


def _brought_to_one(picture: Array, bright: Array) -> Array:
    """A picture in units of where another is bright."""
    return np.clip(picture / max(float(np.quantile(bright, BRIGHT)), 1e-6), 0, 1.2).astype(np.float32)


def _odd(length: float) -> int:
    return max(SMALLEST, round(length) // 2 * 2 + 1)


def _first_guess(edge: int) -> Array:
    kernel = np.zeros((edge, edge), np.float32)
    kernel[edge // 2, edge // 2 - 1 : edge // 2 + 2] = 1 / 3
    return kernel


class _Transform:
    """A patch of one scale in the frequency domain."""

    def __init__(self, blurred: Array, smoothing: float) -> None:
        self.shape = tuple(scipy.fft.next_fast_len(n, real=True) for n in blurred.shape)
        self.pad = [(0, a - b) for a, b in zip(self.shape, blurred.shape, strict=True)]
        # The patch ends in nothing at its rim, so that its edges meet without a step.
        window = np.outer(*(scipy.signal.windows.tukey(n, TAPERED) for n in blurred.shape)).astype(np.float32)
        self.window = np.pad(window, self.pad)
        frequency = np.hypot(scipy.fft.fftfreq(self.shape[0])[:, None], scipy.fft.rfftfreq(self.shape[1])[None])
        self.smoothing = np.exp(-2 * np.square(np.pi * smoothing * frequency)).astype(np.float32)
        self.blurred = self._spectrum(blurred) * self.smoothing
        rows, columns = (np.zeros(self.shape, np.float32) for _ in range(2))
        rows[0, 0] = columns[0, 0] = -1
        rows[-1, 0] = columns[0, -1] = 1
        self.differences = [scipy.fft.rfft2(d) for d in (rows, columns)]
        self.roughness = sum(np.square(np.abs(d)) for d in self.differences)
        self.seen = [d * self.blurred for d in self.differences]

    def _spectrum(self, picture: Array) -> NDArray:
        picture = np.pad(picture, self.pad)
        mean = float((picture * self.window).sum() / self.window.sum())
        return scipy.fft.rfft2((picture - np.float32(mean)) * self.window)

    def edges_of(self, picture: Array) -> list[NDArray]:
        """Spectra of the gradients of a picture."""
        spectrum = self._spectrum(picture)
        return [d * spectrum for d in self.differences]

    def edges_of_sharp(self, kernel: Array, cost: float) -> list[NDArray]:
        """Spectra of the gradients of a sharp picture with few edges."""
        seen = transfer(kernel, self.shape) * self.smoothing
        known, power = seen.conj() * self.blurred, np.square(np.abs(seen))
        spectrum, penalty = self.blurred, 2 * cost
        gradients = [np.zeros(self.shape, np.float32)] * 2
        while penalty < TIGHTEST:
            gradients = [scipy.fft.irfft2(d * spectrum, self.shape) for d in self.differences]
            is_edge = np.square(gradients[0]) + np.square(gradients[1]) > cost / penalty
            gradients = [g * is_edge for g in gradients]
            pull = sum(d.conj() * scipy.fft.rfft2(g) for d, g in zip(self.differences, gradients, strict=True))
            spectrum = (known + penalty * pull) / (power + penalty * self.roughness + 1e-9)
            penalty *= TIGHTER
        return [scipy.fft.rfft2(g * self.window) for g in gradients]

    def kernel(self, edges: list[NDArray], edge: int) -> Array:
        """The path, nowhere below nothing, by which edges become those seen."""
        shared = sum((e * self.smoothing).conj() * s for e, s in zip(edges, self.seen, strict=True))
        power = sum(np.square(np.abs(e * self.smoothing)) for e in edges) + RIDGE
        start, correlation, autocorrelation = (
            _middle(scipy.fft.irfft2(v, self.shape), n)
            for v, n in ((shared / power, edge), (shared, edge), (power, 2 * edge - 1))
        )
        return _tidied(_least_squares(np.maximum(start, 0), correlation, autocorrelation))


def _middle(plane: Array, edge: int) -> Array:
    """The values around the origin of a plane that wraps."""
    reach = edge // 2
    return np.roll(plane, (reach, reach), (0, 1))[:edge, :edge]


def _least_squares(kernel: Array, correlation: Array, autocorrelation: Array) -> Array:
    """The kernel of no value below 0 which, convolved with ``autocorrelation``, comes nearest to ``correlation``.

    Clipping the unbounded answer would leave a wide and smooth blob; bounded, paths stay thin. ``kernel`` is a start.
    """
    edge = len(kernel)
    shape = (scipy.fft.next_fast_len(3 * edge, real=True),) * 2
    spectrum = transfer(autocorrelation, shape)
    unit = float(np.abs(spectrum).max())

    def cost(flat: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        tried = flat.reshape(edge, edge)
        explained = scipy.fft.irfft2(scipy.fft.rfft2(tried, shape) * spectrum, shape)[:edge, :edge]
        return float((tried * (explained / 2 - correlation)).sum()) / unit, ((explained - correlation) / unit).ravel()

    bounds = scipy.optimize.Bounds(0, np.inf)
    found = scipy.optimize.minimize(
        cost, kernel.ravel(), jac=True, method="L-BFGS-B", bounds=bounds, options={"maxiter": KERNEL_STEPS}
    )
    return found.x.reshape(edge, edge).astype(np.float32)


def _tidied(kernel: Array) -> Array:
    """Without faint values and crumbs, its centre of mass in the middle, its sum 1."""
    kernel = np.where(kernel < FAINT * kernel.max(), 0, kernel)
    if not kernel.any():
        return _first_guess(len(kernel))
    pieces, count = scipy.ndimage.label(kernel > 0, np.ones((3, 3)))
    weights = scipy.ndimage.sum_labels(kernel, pieces, np.arange(1, count + 1))
    # Where the whole is in pieces, the largest is no crumb, however small.
    least = min(CRUMB * kernel.sum(), weights.max())
    kernel = np.where(np.isin(pieces, 1 + np.flatnonzero(weights >= least)), kernel, 0)
    return centred(kernel)


def centred(kernel: Array) -> Array:
    """The kernel moved by whole pixels so that its centre of mass is in the middle; its sum becomes 1.

    Examples
    --------
    >>> aside = np.zeros((5, 5), np.float32)
    >>> aside[0, 4] = 2
    >>> float(centred(aside)[2, 2])
    1.0
    """
    row, column = scipy.ndimage.center_of_mass(kernel)
    middle = len(kernel) // 2
    moved = scipy.ndimage.shift(kernel, (round(middle - row), round(middle - column)), order=0)
    moved = moved if moved.any() else kernel
    return (moved / moved.sum()).astype(np.float32)


def trimmed(kernel: Array) -> Array:
    """The kernel without rows and columns of nothing around it, its middle where it was.

    Examples
    --------
    >>> wide = np.zeros((9, 9), np.float32)
    >>> wide[4, 4], wide[3, 4] = 0.5, 0.5
    >>> trimmed(wide).shape
    (3, 3)
    """
    middle = len(kernel) // 2
    reach = int(np.abs(np.argwhere(kernel > 0) - middle).max(initial=0))
    return np.ascontiguousarray(kernel[middle - reach : middle + reach + 1, middle - reach : middle + reach + 1])


def _resized(kernel: Array, edge: int) -> Array:
    larger = cv2.resize(kernel, (edge, edge), interpolation=cv2.INTER_CUBIC)
    return _tidied(np.maximum(larger, 0))


def _cleaned(kernel: Array) -> Array:
    """Moved by fractions of a pixel to have its centre of mass exactly in the middle."""
    row, column = scipy.ndimage.center_of_mass(kernel)
    middle = len(kernel) // 2
    moved = np.maximum(scipy.ndimage.shift(kernel, (middle - row, middle - column), order=1), 0)
    return (moved / moved.sum()).astype(np.float32)
