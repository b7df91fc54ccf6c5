"""The colours that a picture is made of, few of them."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour import icc
from .preview import decoded_small, embedded_preview, shrunk, working_colours
from .read import read_shot
from .source import PictureSource


def _read_small(path: Path) -> NDArray[np.uint8]:
    source = read_shot(path)
    if isinstance(source, PictureSource):
        return icc.stored_to_srgb8(shrunk(source.stored, LOOKED_AT), source.icc)
    light = working_colours(source, LOOKED_AT)
    lit = light / max(float(np.quantile(light, BRIGHT)), 1e-4)
    return icc.from_working(lit.astype(np.float32), icc.profile("srgb"), 8)


BRIGHT = 0.99  # share of a RAW's values that stay below white
LOOKED_AT = 160  # px
ROUNDS = 4


def palette_of(path: Path, count: int) -> list[str]:
    """So many colours (``#rrggbb``) of a picture, those of most of its pixels first: k-means in CIELAB.

    Raises
    ------
    ShotError
        If the file cannot be read.

    References
    ----------
    S. Lloyd, "Least squares quantization in PCM", IEEE Trans. Information Theory 28(2), 1982.
    """
    small = decoded_small(path, LOOKED_AT)
    if small is None:
        small = embedded_preview(path, LOOKED_AT)
    if small is None:
        small = _read_small(path)
    lab = cv2.cvtColor(np.ascontiguousarray(small).astype(np.float32) / 255, cv2.COLOR_RGB2LAB).reshape(-1, 3)
    cv2.setRNGSeed(0)
    enough = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 40, 0.5)
    _, labels, means = cv2.kmeans(
        lab, min(count, len(lab)), np.zeros(len(lab), np.int32), enough, ROUNDS, cv2.KMEANS_PP_CENTERS
    )
    order = np.argsort(-np.bincount(labels.ravel(), minlength=len(means)), kind="stable")
    rgb = cv2.cvtColor(means[None, order], cv2.COLOR_LAB2RGB)[0]
    return ["#" + "".join(f"{round(255 * min(max(float(v), 0), 1)):02x}" for v in colour) for colour in rgb]
