"""Sensor values put together into pictures as other programs do it, with all that goes wrong there."""

from __future__ import annotations

import io

import cv2
import numpy as np
import rawpy
import tifffile
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.simulation.camera import BAYER
from crispgrain.simulation.dng import BYTE, CFA, LONG, SHORT

WHITE, BLACK = 50_000, 2_500  # counts of saturation above black, and of black
# LibRaw's and OpenCV's. LibRaw's AHD is left out: benchmarks and tests develop with it, and should meet a stranger.
LIBRAW = ("LINEAR", "VNG", "PPG", "DCB", "DHT", "AAHD")
OPENCV = (cv2.COLOR_BayerBG2RGB, cv2.COLOR_BayerBG2RGB_EA)  # OpenCV's names of RGGB
BY_LIBRAW = 0.7  # share of pictures


def demosaic(mosaic: Array, balance: Array, rng: np.random.Generator) -> Array:
    """Sensor RGB (H x W x 3) from an RGGB mosaic (H x W, 0 black, 1 saturation), by one of eight methods.

    ``balance`` (3) are the gains of white balance, for methods that compare colours; the result is without them.
    LibRaw cuts off what noise brings below black.
    """
    counts = np.round((np.clip(mosaic, -BLACK / WHITE, 1)) * WHITE + BLACK).astype(np.uint16)
    if rng.random() < BY_LIBRAW:
        method = rawpy.DemosaicAlgorithm[LIBRAW[rng.integers(len(LIBRAW))]]
        return _by_libraw(counts, balance / balance.min(), method)
    sensor = cv2.cvtColor(counts, OPENCV[rng.integers(len(OPENCV))]).astype(np.float32)
    return (sensor - np.float32(BLACK)) / np.float32(WHITE)


def _by_libraw(counts: NDArray[np.uint16], gains: Array, method: rawpy.DemosaicAlgorithm) -> Array:
    tags = [
        (33421, SHORT, 2, (2, 2), True), (33422, BYTE, 4, bytes(BAYER["RGGB"].ravel().tolist()), True),
        (50706, BYTE, 4, bytes([1, 4, 0, 0]), True), (50713, SHORT, 2, (2, 2), True),
        (50714, LONG, 4, (BLACK,) * 4, True), (50717, LONG, 1, WHITE + BLACK, True),
    ]  # fmt: skip
    file = io.BytesIO()
    tifffile.imwrite(file, counts, photometric=CFA, subfiletype=0, extratags=tags, metadata=None)
    file.seek(0)
    with rawpy.imread(file) as raw:
        balanced = raw.postprocess(
            demosaic_algorithm=method, user_wb=[*gains.tolist(), float(gains[1])], output_color=rawpy.ColorSpace.raw,
            no_auto_bright=True, adjust_maximum_thr=0, gamma=(1, 1), output_bps=16, user_flip=0,
        )  # fmt: skip
    return balanced.astype(np.float32) / np.float32(65535) / gains
