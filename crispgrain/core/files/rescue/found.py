"""What could be had of a damaged file."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

GONE = 0.985  # lost share from which on the preview is all that is left


@dataclass(frozen=True)
class Found:
    """Pixels as a healthy file would store them, and where they are not the file's.

    Attributes
    ----------
    stored : H x W or H x W x C, of 8 or 16 bits
        Not turned upright.
    lost : bool, H x W
        Where nothing was left, or nothing to be trusted.
    said : tuple of str
        What was wrong, and what had to be assumed.
    icc : bytes
        Colour profile; empty for none.
    orientation : int
        As Exif has it.
    steps : tuple of int, or None
        Of a JPEG's luma, row by row.
    """

    stored: NDArray
    lost: NDArray[np.bool_]
    said: tuple[str, ...] = ()
    icc: bytes = b""
    orientation: int = 1
    steps: tuple[int, ...] | None = None

    @property
    def share(self) -> float:
        """Of the picture that is lost, 0 to 1."""
        return float(self.lost.mean())
