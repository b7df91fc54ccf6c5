"""Transparency of a file: opacity beside the colours, and colours where nothing was seen."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def parted(stored: NDArray, multiplied: bool = False) -> tuple[NDArray, NDArray | None]:
    """Colours (H x W x channels) and opacity (H x W), of which the last channel is the opacity; None if all is opaque.

    Where nothing is seen a file may hold any colour, and filters would draw it into the edge: the nearest that is seen
    takes its place.

    Parameters
    ----------
    multiplied : bool
        Whether the colours were multiplied by the opacity (TIFF 6.0, section 18, associated alpha).
    """
    colours, opacity = stored[..., :-1], stored[..., -1]
    top = 1.0 if stored.dtype.kind == "f" else float(np.iinfo(stored.dtype).max)
    if (opacity >= top).all():
        return colours, None
    if multiplied:
        share = np.maximum(opacity.astype(np.float32)[..., None] / np.float32(top), np.float32(1e-6))
        plain = np.minimum(colours.astype(np.float32) / share, top)
        colours = plain if stored.dtype.kind == "f" else np.rint(plain).astype(stored.dtype)
    return _filled(np.ascontiguousarray(colours), opacity > 0), np.ascontiguousarray(opacity)


def _filled(colours: NDArray, seen: NDArray[np.bool_]) -> NDArray:
    if seen.all() or not seen.any():
        return colours
    hidden = (~seen).astype(np.uint8)
    _, nearest = cv2.distanceTransformWithLabels(hidden, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    by_label = np.zeros((int(nearest.max()) + 1, colours.shape[2]), colours.dtype)
    by_label[nearest[seen]] = colours[seen]
    colours[~seen] = by_label[nearest[~seen]]
    return colours


def opacity_of(stored: NDArray) -> NDArray[np.float32]:
    """Opacity as a file stores it as 0..1."""
    top = 1.0 if stored.dtype.kind == "f" else float(np.iinfo(stored.dtype).max)
    return np.clip(stored.astype(np.float32) / np.float32(top), 0, 1)
