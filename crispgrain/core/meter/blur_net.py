"""How soft a picture is, and a second opinion on what blurred it, by a network that has seen blocks of many scenes.

It was trained here (``training/blur_kinds.py``); each block is one of :data:`CLASSES` kinds: sharp, soft by some sigma,
or one of :data:`KINDS`.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from ..colour.spaces import srgb_encode
from ..networks import runtime

NAME = "blur-net"
# Up to which sigma, in px, a soft block belongs to each of the first classes; the first is sharp.
SOFTNESS = (0.35, 0.55, 0.75, 1.0, 1.3, 1.7, 2.3, 3.0)
KINDS = ("defocus", "motion", "shake")  # the classes after those
CLASSES = len(SOFTNESS) + len(KINDS)
# Of the plain blocks it has learnt from, so many were sharp, the others blurred by anything from LEAST px on.
SHARP, LEAST = 0.45, 0.2
MOST = 24  # blocks that are looked at
APART = 3  # blocks of one picture say as much as so many of different ones
COUNTS = 0.85  # to what power those shares are taken off: more pictures are sharp than the blocks it has learnt from
FLAT = 0.01  # of encoded white; contrast is told from there on


def as_input(blocks: Array) -> Array:
    """Linear luminance (n x H x W) as the network wants it: encoded, of mean 0 and about the same contrast."""
    encoded = srgb_encode(np.clip(blocks, 0, 1))
    encoded -= encoded.mean(axis=(1, 2), keepdims=True)
    contrast = np.sqrt(np.square(encoded).mean(axis=(1, 2), keepdims=True))
    return (encoded / (contrast + np.float32(FLAT)))[:, None]


def log_probabilities(blocks: Array) -> NDArray[np.float64]:
    """Logarithms of how probable each class is for a block (n x classes), of no more than MOST of them.

    Parameters
    ----------
    blocks : n x 128 x 128
        Linear luminance, 0..1.

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    """
    some = blocks[:: -(-len(blocks) // MOST)]
    return runtime.run(NAME, {"blocks": as_input(some)})[:, :, 0, 0].astype(np.float64)


def against_plain(each: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much likelier each of :data:`KINDS` is than none of them, for each block (n x 3): logarithms."""
    plain = np.logaddexp.reduce(each[:, : len(SOFTNESS)], axis=1)
    return each[:, len(SOFTNESS) :] - plain[:, None]


def softness(each: NDArray[np.float64]) -> float:
    """Sigma in px of what made a picture soft, if nothing else blurred it: the mean of what may be, by Bayes' rule.

    Blocks that are soft by themselves, out of focus or smooth, fit nearly every softness; those in focus decide.
    """
    ends = np.array([LEAST, *SOFTNESS])
    shares = (1 - SHARP) * np.diff(ends) / (ends[-1] - ends[0])
    shares[0] += SHARP
    plain = each[:, : len(SOFTNESS)]
    plain = plain - np.logaddexp.reduce(plain, axis=1, keepdims=True)
    likely = (plain - COUNTS * np.log(shares)).mean(axis=0) * min(len(each), APART)
    likely = np.exp(likely - likely.max())
    middles = (ends[:-1] + ends[1:]) / 2
    middles[0] = LEAST / 2
    return float(likely @ middles / likely.sum())
