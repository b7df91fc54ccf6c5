"""Averaging a network over turned copies of its input: a little better, several times as slow.

What a network makes of a picture and of the same picture turned differ by
errors that are not the picture's; averaging lessens them (R. Timofte, R. Rothe,
L. Van Gool, "Seven ways to improve example-based single image super
resolution", CVPR 2016).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray

from . import runtime

LARGE_COPIES = 2  # turned, of a network with more layers: as long as four of the other

Symmetry = tuple[Callable[[NDArray], NDArray], Callable[[NDArray], NDArray]]  # there and back, on rows and columns


def _rotate(array: NDArray, quarters: int) -> NDArray:
    return np.rot90(array, quarters, axes=(2, 3))


def _transpose(array: NDArray) -> NDArray:
    return array.swapaxes(2, 3)


def _half_turn(array: NDArray) -> NDArray:
    """Turned by 180 degrees about a pixel, so that in a mosaic red stays on red."""
    return np.roll(array[:, :, ::-1, ::-1], (1, 1), axis=(2, 3))


ROTATIONS: tuple[Symmetry, ...] = tuple((partial(_rotate, quarters=k), partial(_rotate, quarters=-k)) for k in range(4))
# Turns of a mosaic that lead red cells onto red cells. Each is its own undoing.
MOSAIC_SYMMETRIES: tuple[Symmetry, ...] = (
    (lambda a: a, lambda a: a),
    (_transpose, _transpose),
    (_half_turn, _half_turn),
    (lambda a: _half_turn(_transpose(a)), lambda a: _transpose(_half_turn(a))),
)


def run(name: str, inputs: dict[str, NDArray], effort: str, symmetries: Sequence[Symmetry]) -> NDArray[np.float32]:
    """Run a network once, mostly with 8 bits (``fast``), or with floats on turned copies and average (``best``).

    Best takes the network with more layers, if there is one.
    """
    if effort == "fast":
        return runtime.run(name, inputs)
    if not runtime.unavailable(large := f"{name}-large"):
        name, symmetries = large, symmetries[:LARGE_COPIES]
    results = [back(runtime.run(name, {k: there(v) for k, v in inputs.items()}, True)) for there, back in symmetries]
    return np.mean(results, axis=0, dtype=np.float32)
