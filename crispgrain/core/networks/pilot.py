"""What a shaken picture showed, as a network trained by us sees it: not to be looked at, but to find the path from."""

from __future__ import annotations

from typing import TypeVar

import numpy as np

from crispgrain.arrays import Array

from . import runtime

NAME = "pilot-net"
MULTIPLE = 8

Plane = TypeVar("Plane")


def encoded_luminance(linear: Plane) -> Plane:
    """Linear luminance as the network takes and gives it: its root, in which noise is about even."""
    return linear.clip(0) ** 0.5  # type: ignore[attr-defined]


def sharp_of(seen: Array) -> Array:
    """Linear luminance (H x W, brightest about 1) as it would be without shake.

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    """
    frame, (top, left) = runtime.framed(encoded_luminance(seen)[..., None], (0, 0), MULTIPLE)
    (answer,) = runtime.run(NAME, {"picture": frame})
    return np.square(np.maximum(answer[0, top:, left:][: seen.shape[0], : seen.shape[1]], 0))
