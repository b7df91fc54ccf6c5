"""Training of the network that sees what a shaken picture showed, so that its path can be found.

The network gives a sharp luminance; from it and the blurred one the path follows by least squares, and it is the path
that is judged as much as the picture.

References
----------
C. Schuler, M. Hirsch, S. Harmeling, B. Schölkopf, "Learning to deblur", IEEE Trans. Pattern Analysis and Machine
Intelligence 38(7), 2016: a quotient in the frequency domain as a layer.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import torch
from numpy.typing import NDArray
from scipy.signal.windows import tukey
from torch import Tensor
from torch.nn import functional

from crispgrain.arrays import Array
from crispgrain.core.networks.pilot import encoded_luminance
from crispgrain.restoration.blind import TAPERED, normalised
from crispgrain.restoration.point_spread import gaussian, line
from crispgrain.simulation.camera import shake_path

from .loop import Batch
from .photographs import PatchSampler, load
from .sensor import LINEAR

EDGE = 192  # px of a patch
RIM = 24  # px around it
BATCH = 4
PATHS = 65  # px, edge of the square a path is given in
LONGEST = 32.0  # px
SEEDS = 1_000_000  # below it are those of tests and benchmarks
NOISIEST = 0.04  # of white
SMOOTHED = gaussian(0.7)  # px, at which paths are compared
RIDGE = 0.02  # of the mean power of the edges
PATH_COUNTS = 0.1  # beside the picture's error
LOST = 0.5  # error of a path, as a share of it, from which on more of it counts less and less


def draw_path(rng: np.random.Generator) -> Array:
    """The path of an unsteady hand, or an even motion now and then, softened as any lens does."""
    length = rng.uniform(4, LONGEST)
    seed = int(rng.integers(SEEDS, 2**31))
    kernel = shake_path(length, seed) if rng.random() < 0.85 else line(length, rng.uniform(0, 180))
    kernel = np.pad(kernel, (PATHS - len(kernel)) // 2) if len(kernel) < PATHS else _middle(kernel, PATHS)
    if rng.random() < 0.5:
        kernel = cv2.GaussianBlur(kernel, (0, 0), rng.uniform(0.3, 0.8), borderType=cv2.BORDER_CONSTANT)
    return (kernel / kernel.sum()).astype(np.float32)


def _middle(kernel: Array, edge: int) -> Array:
    rim = (len(kernel) - edge) // 2
    return kernel[rim : rim + edge, rim : rim + edge]


def draw_shaken(patch: NDArray[np.uint8], rng: np.random.Generator) -> tuple[Array, Array, Array]:
    """Linear luminance as it was seen and as it was (EDGE x EDGE), and the path; ``patch`` has a rim of RIM px."""
    weights = rng.dirichlet((3, 4, 2)).astype(np.float32)  # cameras see colours in ways of their own
    sharp = np.asarray(cv2.GaussianBlur(LINEAR[patch] @ weights, (0, 0), rng.uniform(0.3, 0.8)), np.float32)
    kernel = draw_path(rng)
    seen: Array = cv2.filter2D(sharp, cv2.CV_32F, kernel[::-1, ::-1].copy(), borderType=cv2.BORDER_REFLECT)
    if rng.random() < 0.15:  # too bright here and there
        limit = np.float32(np.quantile(sharp, rng.uniform(0.9, 1)))
        seen = np.minimum(seen, limit)
    sigma = np.float32(NOISIEST * rng.random() ** 1.5 * np.quantile(seen, 0.98))
    noise = np.asarray(rng.standard_normal(seen.shape), np.float32)
    if rng.random() < 0.5:  # a sensor's, roughly demosaiced
        strength = np.sqrt(np.maximum(seen, 0) / max(float(seen.mean()), 1e-4) + 0.1)
        noise = np.asarray(cv2.GaussianBlur(2 * noise * strength, (0, 0), 0.6), np.float32)
    inner = np.s_[RIM:-RIM, RIM:-RIM]
    shown, scale = normalised((seen + sigma * noise)[inner])
    return shown, (sharp[inner] * np.float32(scale)).astype(np.float32), kernel


class ShakenBatches:
    """Draws batches: the picture as seen, and what it was with the path it took."""

    def __init__(self, data: Path) -> None:
        self.photographs = load(data / "train")

    def __call__(self, rng: np.random.Generator) -> Batch:
        sampler = PatchSampler(self.photographs, EDGE + 2 * RIM, rng)
        drawn = [draw_shaken(sampler(), rng) for _ in range(BATCH)]
        seen, sharp, kernel = (torch.from_numpy(np.stack(v))[:, None] for v in zip(*drawn, strict=True))
        return (encoded_luminance(seen),), (seen, sharp, kernel), torch.ones(BATCH, 1, 1, 1)


_WINDOW = torch.from_numpy(np.outer(*(tukey(EDGE, TAPERED),) * 2).astype(np.float32))


def _spectra(picture: Tensor) -> tuple[Tensor, Tensor]:
    """Those of the windowed differences down and across."""
    down = functional.pad(picture[..., 1:, :] - picture[..., :-1, :], (0, 0, 0, 1))
    across = functional.pad(picture[..., 1:] - picture[..., :-1], (0, 1))
    return torch.fft.rfft2(down * _WINDOW), torch.fft.rfft2(across * _WINDOW)


def path_between(sharp: Tensor, seen: Tensor) -> Tensor:
    """The path from sharp to seen (B x 1 x H x W), by least squares on their differences; B x 1 x PATHS x PATHS."""
    pairs = list(zip(_spectra(sharp), _spectra(seen), strict=True))
    power = torch.stack([s.abs().square() for s, _ in pairs]).sum(0)
    shared = torch.stack([s.conj() * b for s, b in pairs]).sum(0)
    quotient = shared / (power + RIDGE * power.mean((-2, -1), keepdim=True) + 1e-8)
    whole = torch.fft.irfft2(quotient, sharp.shape[-2:])
    reach = PATHS // 2
    return torch.roll(whole, (reach, reach), (-2, -1))[..., :PATHS, :PATHS]


def path_and_picture(output: Tensor, target: tuple[Tensor, Tensor, Tensor]) -> Tensor:
    """Error of the encoded picture, and squared error of the path that follows from it, as a share of the path's.

    The latter levels off, for in some patches there is nothing to find a path by.
    """
    seen, sharp, kernel = target
    picture = ((output - encoded_luminance(sharp)).square() + 1e-6).sqrt().mean((1, 2, 3))
    soft = torch.from_numpy(SMOOTHED)[None, None]
    found = functional.conv2d(path_between(output.clamp(min=0).square(), seen), soft)
    wanted = functional.conv2d(kernel, soft)
    error = (found - wanted).square().sum((1, 2, 3)) / wanted.square().sum((1, 2, 3))
    return (picture + PATH_COUNTS * error / (error + LOST))[:, None, None, None]
