"""Undoing a known blur: half-quadratic splitting between the blurred picture and a prior.

Each round asks two questions in turn. Which picture, blurred, gives what was seen and is near
the cleaned picture of the round before? That has a closed form in the frequency domain. And
what does the prior make of that picture? From round to round the two are held closer together.

References
----------
D. Geman, C. Yang, "Nonlinear image recovery with half-quadratic regularization", IEEE Trans. Image
Processing 4(7), 1995.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.cancel import check

from .point_spread import transfer

# A picture (linear, H x W x C) and the sigma of the error thought to be in it, to a cleaner picture.
Prior = Callable[[Array, float], Array]

DATA_WEIGHT = 600.0  # against total variation, at a noise of 1 %; set on photographs by trial
PENALTIES = np.repeat(2.0 ** np.arange(0, 9, 1.5), 2)  # how closely the gradients are tied to their cleaned version
MULTIPLIED, BOLDEST = 15, 0.98  # steps to how bright saturated highlights are, and most of their acceleration
DIMMEST = np.float32(1e-4)  # of white
PHASE = 8  # px; a network plugged in must see the picture on the same grid in every tile
PRIOR_WEIGHT, STRONGEST, ROUNDS = 1.2, 60 / 255, 6  # of a prior that is plugged in; set on photographs by trial
LAST = 0.5  # share of the noise that is taken off in the end; by then most of it is gone


@dataclass(frozen=True)
class Care:
    """How much work a kind of blur is worth.

    ``penalties`` are those of the classical prior, ``start_penalties`` those of the start for a prior that is
    plugged in, which then has ``rounds``; ``bold`` is the share of the noise that the classical prior reckons with if
    a network cleans its answer once; ``saturated``: whether how bright clipped highlights are must be known, or they
    get rings.
    """

    penalties: NDArray
    start_penalties: NDArray
    rounds: int
    saturated: bool
    bold: float = 0.5


SMOOTH = Care(PENALTIES[2::2], PENALTIES[4::2], rounds=5, saturated=False)  # no zeros in its spectrum, no rings
ROUND = replace(SMOOTH, saturated=True)
PATH = Care(PENALTIES, PENALTIES, ROUNDS, saturated=True, bold=0.7)


class Blurred:
    """A blurred picture in a frame whose edges meet, and what blurs it.

    Places that say nothing are filled with what the estimate, blurred, would show there
    (majorisation and minimisation): those beyond the picture's edge always, clipped ones if the
    estimate is brighter there than the sensor could tell. ``start`` is a first estimate.

    Parameters
    ----------
    observed : H x W x C, linear
    kernel : k x k, k odd
    clipped : bool, H x W
    saturated : bool
        Whether to find out how bright clipped places are.
    """

    def __init__(self, observed: Array, kernel: Array, clipped: NDArray[np.bool_], saturated: bool = True) -> None:
        height, width = observed.shape[:2]
        reach = len(kernel) // 2
        top = left = -(-(3 * reach + 4) // (2 * PHASE)) * PHASE
        self.shape = tuple(scipy.fft.next_fast_len(n + 2 * top, real=True) for n in (height, width))
        self.inner = slice(top, top + height), slice(left, left + width)
        self.transfer = transfer(kernel, self.shape)[..., None]
        self.power = np.square(np.abs(self.transfer))
        self.observed = _framed(observed, self.shape, top, left)
        self._clipped, self._beyond = np.zeros((*self.shape, 1), bool), np.ones((*self.shape, 1), bool)
        self._clipped[self.inner] = clipped[..., None]
        self._beyond[self.inner] = False
        self._data = self.start = self.observed
        if saturated and clipped.any():
            self.start = self._beyond_clipping()
            self._fill(self.back(self.transfer * forward(self.start)))

    def estimate(self, pull: NDArray, stiffness: NDArray | np.float32) -> Array:
        """The picture that minimises |blurred - data|^2 + |(picture - wish) by stiffness|^2.

        ``pull`` is the spectrum of the wish times the stiffness. Raises Cancelled if nobody wants it any more.
        """
        check()
        spectrum = self.transfer.conj() * forward(self._data) + pull
        spectrum /= self.power + stiffness
        self._fill(self.back(self.transfer * spectrum))
        return np.maximum(self.back(spectrum), 0)  # there is no light less than none

    def _fill(self, shown: Array) -> None:
        unknown = self._beyond | (self._clipped & (shown > self.observed))
        self._data = np.where(unknown, shown, self.observed)

    def _beyond_clipping(self) -> Array:
        """An estimate in which saturated highlights are as bright as their blurred rims tell.

        With highlights no brighter than the sensor's white their rims cannot be explained, and dark
        rings grow around them. Multiplying takes an estimate to many times white in few steps.

        References
        ----------
        Richardson-Lucy with a sensor that clips: O. Whyte, J. Sivic, A. Zisserman, "Deblurring shaken and partially
        saturated images", Int. J. Computer Vision 110(2), 2014; longer and longer steps: D. Biggs, M. Andrews,
        "Acceleration of iterative image restoration algorithms", Applied Optics 36(8), 1997.
        """
        seen = np.maximum(self.observed, DIMMEST)
        estimate, ahead, last_change = seen, seen, np.zeros_like(seen)
        for _ in range(MULTIPLIED):
            check()
            shown = np.maximum(self.back(self.transfer * forward(ahead)), DIMMEST)
            says_nothing = self._beyond | (self._clipped & (shown >= seen))
            ratio = np.where(says_nothing, np.float32(1), seen / shown)
            better = np.maximum(ahead * self.back(self.transfer.conj() * forward(ratio)), 0)
            change = better - ahead
            boldness = np.clip((change * last_change).sum() / max(np.square(last_change).sum(), 1e-9), 0, BOLDEST)
            ahead = np.maximum(better + np.float32(boldness) * (better - estimate), DIMMEST)
            estimate, last_change = better, change
        return estimate

    def back(self, spectrum: NDArray) -> Array:
        return scipy.fft.irfft2(spectrum, self.shape, axes=(0, 1))


def forward(picture: Array) -> NDArray:
    """The spectrum of each channel of a picture (H x W x C).

    Examples
    --------
    >>> forward(np.zeros((8, 8, 3), np.float32)).shape
    (8, 5, 3)
    """
    return scipy.fft.rfft2(picture, axes=(0, 1))


def _framed(picture: Array, shape: tuple[int, ...], top: int, left: int) -> Array:
    """The picture within its frame; around it its mirror image, fading to the mean, so that edges meet."""
    around = [(top, shape[0] - picture.shape[0] - top), (left, shape[1] - picture.shape[1] - left), (0, 0)]
    mirrored = np.pad(picture, around, mode="symmetric")
    fade = np.outer(*(_fade(n, a, b) for n, (a, b) in zip(picture.shape[:2], around[:2], strict=True)))[..., None]
    return fade * mirrored + (1 - fade) * picture.mean(axis=(0, 1))


def _fade(inside: int, before: int, after: int) -> Array:
    rise, fall = (0.5 - 0.5 * np.cos(np.pi * (np.arange(n) + 0.5) / n) for n in (before, after))
    return np.concatenate([rise, np.ones(inside), fall[::-1]]).astype(np.float32)


def total_variation(blurred: Blurred, noise: float, penalties: NDArray = PENALTIES) -> Array:
    """An estimate (in the frame) whose gradients are small but at few places: the classical prior.

    ``noise`` is its sigma in linear light, white = 1; ``penalties`` says how closely
    gradients are tied to their cleaned version, round by round.

    References
    ----------
    L. I. Rudin, S. Osher, E. Fatemi, Physica D 60, 1992; split as by Y. Wang, J. Yang, W. Yin, Y. Zhang, "A new
    alternating minimization algorithm for total variation image reconstruction", SIAM J. Imaging Sciences 1(3), 2008.

    Examples
    --------
    >>> kernel = np.full((3, 3), 1 / 9, np.float32)
    >>> point = np.zeros((32, 32, 1), np.float32)
    >>> point[15:18, 15:18] = 1 / 9
    >>> blurred = Blurred(point, kernel, np.zeros((32, 32), bool))
    >>> sharp = total_variation(blurred, 0.001)[blurred.inner]
    >>> bool(sharp[16, 16, 0] > 3 * point[16, 16, 0])
    True
    """
    roughness = sum(
        np.square(np.abs(forward(np.pad(taps, [(0, n - m) for n, m in zip(blurred.shape, taps.shape, strict=True)]))))
        for taps in (np.array([[1, -1]], np.float32), np.array([[1], [-1]], np.float32))
    )[..., None]
    data_weight = DATA_WEIGHT * (0.01 / noise) ** 2
    estimate = blurred.start
    for penalty in penalties:
        across, down = (estimate - np.roll(estimate, 1, axis) for axis in (1, 0))
        steepness = np.maximum(np.sqrt(np.square(across) + np.square(down)), np.float32(1e-6))
        kept = np.maximum(1 - 1 / (np.float32(penalty) * steepness), 0)
        across, down = across * kept, down * kept
        weight = np.float32(penalty / data_weight)
        # The adjoint of differences: those of the cleaned gradients, the other way.
        wish = across - np.roll(across, -1, 1) + down - np.roll(down, -1, 0)
        estimate = blurred.estimate(weight * forward(wish), weight * roughness)
    return estimate


def with_prior(blurred: Blurred, estimate: Array, noise: float, prior: Prior, rounds: int = ROUNDS) -> Array:
    """Improve an estimate (in the frame) with a denoiser as prior.

    References
    ----------
    K. Zhang et al., "Learning deep CNN denoiser prior for image restoration", CVPR 2017; "Plug-and-play
    image restoration with deep denoiser prior", IEEE Trans. PAMI 44(10), 2021.

    Examples
    --------
    >>> kernel = np.full((3, 3), 1 / 9, np.float32)
    >>> blurred = Blurred(np.full((32, 32, 1), 0.5, np.float32), kernel, np.zeros((32, 32), bool))
    >>> even = with_prior(blurred, blurred.start, 0.01, lambda picture, sigma: picture)[blurred.inner]
    >>> bool(np.allclose(even, 0.5, atol=1e-3))
    True
    """
    for error in np.geomspace(max(STRONGEST, noise), noise, rounds):
        weight = np.float32(PRIOR_WEIGHT * (noise / error) ** 2)
        estimate = blurred.estimate(weight * forward(prior(estimate, float(error))), weight)
    return prior(estimate, LAST * noise)
