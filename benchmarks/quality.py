"""How close a picture is to the truth: PSNR, SSIM and CIEDE2000, all by scikit-image."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from skimage.color import deltaE_ciede2000, rgb2lab
from skimage.metrics import peak_signal_noise_ratio, structural_similarity


@dataclass(frozen=True)
class Quality:
    """PSNR in dB and SSIM on sRGB-encoded values, and the mean CIEDE2000 colour difference."""

    psnr: float
    ssim: float
    ciede2000: float


def compare(picture: NDArray, truth: NDArray) -> Quality:
    """Compare two sRGB-encoded pictures (H x W x 3, 0..1)."""
    picture, truth = np.clip(picture, 0, 1), np.clip(truth, 0, 1)
    return Quality(
        float(peak_signal_noise_ratio(truth, picture, data_range=1)),
        float(structural_similarity(truth, picture, data_range=1, channel_axis=-1)),
        float(np.mean(deltaE_ciede2000(rgb2lab(truth), rgb2lab(picture)))),
    )
