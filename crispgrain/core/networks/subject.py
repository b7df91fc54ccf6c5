"""What a small network takes for the subject of a picture."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array

from . import runtime

NAME = "subject-net"
LONGEST = 256  # px of the picture that it sees
MULTIPLE = 16


def as_input(picture: Array, focus: Array) -> Array:
    """Planes of the network (4 x H x W) of a picture (H x W x 3, encoded sRGB) and what is in focus (H x W)."""
    return np.ascontiguousarray(np.concatenate([picture.transpose(2, 0, 1) - np.float32(0.5), focus[None]]), np.float32)


def subject_of(picture: Array, focus: Array) -> Array:
    """How likely each place of a picture belongs to its subject.

    Parameters
    ----------
    picture : H x W x 3
        Encoded sRGB, 0 to 1, of any size; the network looks at 256 px.
    focus : H x W
        How likely each place is in focus, 0 to 1.

    Returns
    -------
    H x W array
        0 to 1.

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    """
    height, width = picture.shape[:2]
    share = LONGEST / max(height, width)
    size = tuple(max(MULTIPLE, round(n * share / MULTIPLE) * MULTIPLE) for n in (width, height))
    small, told = (cv2.resize(v, size, interpolation=cv2.INTER_AREA) for v in (picture, focus))
    likely = runtime.run(NAME, {"picture": as_input(small, told)[None]})[0, 0]
    return np.asarray(np.clip(cv2.resize(likely, (width, height), interpolation=cv2.INTER_CUBIC), 0, 1), np.float32)
