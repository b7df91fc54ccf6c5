"""How much of a subject is in each pixel of a hairy edge: each pixel on the line between two colours."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

# Sigmas, in px, over which colours are carried into what is unknown: nearer with each round, as more is known.
ROUNDS = ((3.0, 6.0, 12.0, 24.0, 48.0), (3.0, 6.0, 12.0, 24.0), (2.0, 4.0, 8.0, 16.0))
ENOUGH, LEAST = 0.1, 1e-5  # of a Gaussian's weight on known pixels; of the widest one's
BEHIND = 0.12  # less of the subject than this, and a pixel tells what is behind
DOUBT = 4.0  # variances of what is behind, against the distance of both colours
SMALL = 1e-4  # squared difference of two colours that are the same


def matted(picture: Array, inside: NDArray[np.bool_], outside: NDArray[np.bool_], guess: Array) -> Array:
    """Share of the subject (H x W, 0 to 1) in a picture (H x W x 3, encoded).

    A pixel's share is where its colour lies on the line from that behind to that of the subject, both carried to it
    from where they are known (after Y.-Y. Chuang et al., "A Bayesian approach to digital matting", CVPR 2001, with one
    colour each). Three times, for what turns out to be background says more about it. Where both are alike the
    ``guess`` is kept.

    Parameters
    ----------
    inside, outside : H x W
        Where it is known that there is nothing but the subject, and nothing of it.
    guess : H x W, 0 to 1

    Examples
    --------
    >>> share = np.zeros((60, 60), np.float32)
    >>> share[:, 20:] = 1
    >>> share[::4, 10:20] = 0.5  # hairs
    >>> picture = share[..., None] * np.float32([0.2, 0.1, 0.1]) + (1 - share[..., None]) * np.float32([0.6, 0.7, 0.8])
    >>> inside, outside = np.zeros((60, 60), bool), np.zeros((60, 60), bool)
    >>> inside[:, 24:], outside[:, :6] = True, True
    >>> bool(abs(matted(picture, inside, outside, inside.astype(np.float32)) - share).max() < 0.1)
    True
    """
    picture, share = picture.astype(np.float32), guess.astype(np.float32)
    if not inside.any() or not outside.any():
        return share
    own = _carried(picture, inside, ROUNDS[0])
    known = outside
    for sigmas in ROUNDS:
        behind = _carried(picture, known, sigmas)
        apart = own - behind
        distance = (apart**2).sum(2)
        along = ((picture - behind) * apart).sum(2)
        spread = _carried((along**2 / np.maximum(distance, np.float32(SMALL)))[..., None], known, ROUNDS[0][2:])[..., 0]
        sure = distance / (distance + np.float32(DOUBT) * spread + np.float32(SMALL))
        found = np.clip(along / np.maximum(distance, np.float32(SMALL)), 0, 1)
        share = np.where(inside, 1, np.where(outside, 0, sure * found + (1 - sure) * guess)).astype(np.float32)
        known = outside | ((share < BEHIND) & (sure > 0.5))
    return share


def _carried(values: Array, known: NDArray[np.bool_], sigmas: Sequence[float]) -> Array:
    """Values (H x W x C) where they are known, and elsewhere their means nearby, over no more than is needed."""
    weight = known.astype(np.float32)
    given, out, left = values * weight[..., None], np.zeros_like(values), np.ones(known.shape, np.float32)
    for sigma in sigmas:
        near = cv2.GaussianBlur(weight, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
        mean = cv2.GaussianBlur(given, (0, 0), sigma, borderType=cv2.BORDER_REFLECT).reshape(values.shape)
        share = left * np.clip(near / np.float32(LEAST if sigma == sigmas[-1] else ENOUGH), 0, 1)
        out += share[..., None] * mean / np.maximum(near, np.float32(1e-8))[..., None]
        left -= share
    return out
