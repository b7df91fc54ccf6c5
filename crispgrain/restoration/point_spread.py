"""What a point of light became: the kernels of the kinds of blur. Each is square, of odd edge, and sums to 1."""

from __future__ import annotations

import base64
import math

import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.arrays import Array

FINE = 8  # samples per pixel along each axis
LARGEST = 101  # px


def gaussian(sigma: float) -> Array:
    """Lens softness: a Gaussian of ``sigma`` px, integrated over each pixel.

    Examples
    --------
    >>> gaussian(1.0).shape, round(float(gaussian(1.0).sum()), 4)
    ((9, 9), 1.0)
    """
    reach = max(1, math.ceil(3.5 * sigma))
    edges = np.arange(-reach, reach + 2) - 0.5
    cumulative = np.array([math.erf(x / (max(sigma, 1e-3) * math.sqrt(2))) for x in edges])
    taps = np.diff(cumulative)
    return _unit(np.outer(taps, taps))


def aperture(radius: float, blades: int = 0, turn: float = 0.0) -> Array:
    """Defocus: the image of an aperture whose corners lie ``radius`` px from the middle.

    Parameters
    ----------
    blades : int
        Straight edges of the aperture, 5 or more; fewer mean a disc.
    turn : float
        Degrees counter-clockwise by which a corner is off the horizontal.

    Examples
    --------
    >>> int((aperture(3.0) > 0).sum())
    45
    """
    reach = max(1, math.ceil(radius))
    x, y = _fine_grid(reach)
    distance = np.hypot(x, y)
    if blades >= 5:
        # Within an edge's sector the aperture ends at a straight line.
        sector = 2 * np.pi / blades
        angle = (np.arctan2(-y, x) - np.radians(turn)) % sector - sector / 2
        distance = distance * np.cos(angle) / np.cos(sector / 2)
    # The soft rim, a fine sample wide, makes the kernel change smoothly with the radius.
    return _unit(_shrunk(np.clip((radius - distance) * FINE + 0.5, 0, 1)))


def line(length: float, angle: float) -> Array:
    """Motion: an even line of ``length`` px at ``angle`` degrees counter-clockwise from the horizontal.

    Examples
    --------
    >>> line(4.0, 0.0).max(axis=0).round(2)
    array([0.  , 0.14, 0.24, 0.24, 0.24, 0.14, 0.  ], dtype=float32)
    """
    along = np.linspace(-length / 2, length / 2, max(2, round(FINE * length)))
    t = math.radians(angle)
    return path(np.stack([along * math.cos(t), -along * math.sin(t)], axis=1))


def path(points: NDArray[np.floating]) -> Array:
    """Any movement: ``points`` (n x 2: right, down, in px) at equal moments, each shared by its four nearest pixels.

    Examples
    --------
    >>> path(np.array([[0.0, 0.0], [1.0, 0.0]]))[2].tolist()
    [0.0, 0.0, 0.5, 0.5, 0.0]
    """
    reach = int(np.ceil(np.abs(points).max())) + 1
    kernel = np.zeros((2 * reach + 1,) * 2)
    whole = np.floor(points).astype(int)
    part = points - whole
    for right in (0, 1):
        for down in (0, 1):
            share = np.abs(1 - right - part[:, 0]) * np.abs(1 - down - part[:, 1])
            np.add.at(kernel, (whole[:, 1] + reach + down, whole[:, 0] + reach + right), share)
    return _unit(kernel)


def transfer(kernel: Array, shape: tuple[int, ...]) -> NDArray[np.complexfloating]:
    """The optical transfer function of a kernel: its spectrum in a frame of ``shape`` whose edges meet.

    Parameters
    ----------
    kernel : float32, k x k, k odd
        Its middle stays where it is.

    Returns
    -------
    complex, shape[0] x (shape[1] // 2 + 1)
        As ``scipy.fft.rfft2`` orders it.

    Examples
    --------
    >>> round(float(transfer(gaussian(0.5), (8, 8))[0, 0].real), 3)  # as the kernel's sum
    1.0
    """
    reach, spread = len(kernel) // 2, np.zeros(shape, np.float32)
    spread[: len(kernel), : len(kernel)] = kernel
    return scipy.fft.rfft2(np.roll(spread, (-reach, -reach), (0, 1)))


def _fine_grid(reach: int) -> tuple[NDArray, NDArray]:
    places = (np.arange((2 * reach + 1) * FINE) + 0.5) / FINE - reach - 0.5
    return np.meshgrid(places, places)


def _shrunk(fine: NDArray) -> NDArray:
    edge = len(fine) // FINE
    return fine.reshape(edge, FINE, edge, FINE).mean(axis=(1, 3))


def _unit(kernel: NDArray) -> Array:
    return (kernel / kernel.sum()).astype(np.float32)


def as_text(kernel: Array) -> str:
    """A kernel as plain text for a treatment: its edge, a colon, and its values as bytes (peak 255) in base 64.

    Examples
    --------
    >>> as_text(np.ones((1, 1), np.float32))
    '1:/w=='
    """
    levels = np.rint(kernel / kernel.max() * 255).astype(np.uint8)
    return f"{len(kernel)}:{base64.b64encode(levels.tobytes()).decode()}"


def from_text(text: str) -> Array:
    """The kernel of :func:`as_text`.

    Raises
    ------
    ValueError
        If the text is none.

    Examples
    --------
    >>> from_text("1:/w==").tolist()
    [[1.0]]
    """
    edge, _, values = text.partition(":")
    try:
        kernel = np.frombuffer(base64.b64decode(values, validate=True), np.uint8).reshape(int(edge), int(edge))
    except ValueError:
        raise ValueError("a blur path is written as its edge, a colon, and that many rows of bytes") from None
    if len(kernel) % 2 == 0 or len(kernel) > LARGEST or not kernel.any():
        raise ValueError(f"a blur path has an odd edge of at most {LARGEST} px and is not empty")
    return _unit(kernel.astype(np.float64))
