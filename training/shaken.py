"""Shaken pictures, taken back along a path as it is found in them: what the shake net learns to clean.

Finding a path takes seconds, so pictures are made beforehand (``./run train shaken``) and kept as files.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import torch
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, WORKING_TO_SRGB, apply_matrix, srgb_decode, srgb_encode
from crispgrain.core.networks import conditioned
from crispgrain.core.stages.sharpen import photo_prior, shake_net, undo
from crispgrain.core.stages.sharpen.shake_path import PATCH, ROUNDS, path_in
from crispgrain.restoration import blind
from crispgrain.restoration.deconvolution import PATH
from crispgrain.restoration.point_spread import line
from crispgrain.simulation.camera import blur_with, shake_path

from .loop import Batch
from .photographs import PatchSampler, load, pick
from .sensor import LINEAR

FOLDER = "shaken"  # of the data
RIM = 24  # px around a patch, from where light comes in
SHORTEST, LONGEST = 6.0, 30.0  # px
SEEDS = 1_000_000  # below it are those of tests and benchmarks
EVEN = 0.1  # share of even motions
SOFT = 0.5  # share of the paths that a lens softens
KNOWN = 0.15  # share of the patches whose path is the true one
CLIPPED = 0.15  # share of the pictures that are too bright here and there
NOISE = (0.003, 0.035)  # sigma, encoded
DENOISED, LEFT = 0.45, 0.2  # share of the pictures that were, and of the noise that is reckoned with then
USUAL, MOST = 0.02, 0.05  # error of a path, as noise
EDGE, BATCH = 160, 4
INNER = 8  # px at the rim of a patch that are not learnt from
PLACES, AS_IT_COMES = 3, 0.35  # looked at for each cut; share taken without a look


@dataclass(frozen=True)
class Shaken:
    """Encoded pictures (H x W x 3): what deconvolution left, the one before it, and what it was; and what is told."""

    start: Array
    seen: Array
    truth: Array
    conditions: Array


def draw_path(rng: np.random.Generator) -> Array:
    """The path of an unsteady hand, or an even motion now and then; its centre of mass is in the middle."""
    length = rng.uniform(SHORTEST, LONGEST)
    seed = int(rng.integers(SEEDS, 2**31))
    kernel = line(length, rng.uniform(0, 180)) if rng.random() < EVEN else shake_path(length, seed)
    kernel = np.pad(kernel, 3)
    if rng.random() < SOFT:
        kernel = cv2.GaussianBlur(kernel, (0, 0), rng.uniform(0.3, 0.8), borderType=cv2.BORDER_CONSTANT)
    return blind.centred((kernel / kernel.sum()).astype(np.float32))


def draw_shaken(patch: NDArray[np.uint8], rng: np.random.Generator) -> Shaken:
    """Shake an 8-bit sRGB patch with a rim, as it comes out of a camera or out of Denoise, and take it back."""
    inner = np.s_[RIM:-RIM, RIM:-RIM]
    sharp = LINEAR[patch]
    kernel = draw_path(rng)
    blurred = blur_with(sharp, kernel)
    if rng.random() < CLIPPED:
        blurred = np.minimum(blurred, np.float32(np.quantile(blurred, rng.uniform(0.93, 1))))
    sigma = float(np.exp(rng.uniform(*np.log(NOISE))))
    clean = srgb_encode(blurred[inner])
    noisy = clean + np.float32(sigma) * rng.standard_normal(clean.shape, np.float32)
    seen = (np.round(np.clip(noisy, 0, 1) * 255) / 255).astype(np.float32)
    path = kernel if rng.random() < KNOWN else _found(seen, sigma, len(kernel), int(rng.integers(ROUNDS + 1)))
    if rng.random() < DENOISED:
        told = np.full_like(seen, sigma)
        told[..., 2] = 0
        seen, sigma = np.clip(conditioned.restored(photo_prior.NAME, seen, told), 0, 1), LEFT * sigma
    error = USUAL if rng.random() < 0.6 else rng.uniform(0, MOST)
    noise = max(sigma, undo.LEAST_NOISE, error)
    pixels = apply_matrix(srgb_decode(seen), SRGB_TO_WORKING)
    left = undo.rough(pixels, path, noise, PATH, undo.clipped_in(pixels))
    start = srgb_encode(apply_matrix(np.minimum(left, np.float32(1)), WORKING_TO_SRGB))
    start = np.clip(start, shake_net.LEAST, shake_net.MOST)
    return Shaken(start, seen, srgb_encode(sharp[inner]), photo_prior.conditions(start, noise))


def _found(seen: Array, sigma: float, edge: int, rounds: int) -> Array:
    """The path as the program finds it, looking for one a little longer than it is; at first or after some rounds."""
    return path_in(apply_matrix(srgb_decode(seen), SRGB_TO_WORKING), sigma, edge, rounds)


def make(data: Path, minutes: float, seed: int) -> None:
    """Write shaken patches for a time; ``seed`` tells those of several processes apart."""
    photographs = [p for p in load(data / "train") if min(p.shape[:2]) >= PATCH + 2 * RIM]
    (data / FOLDER).mkdir(exist_ok=True)
    end, number = time.monotonic() + 60 * minutes, 0
    while not number or time.monotonic() < end:
        rng = np.random.default_rng([seed, number])
        drawn = draw_shaken(PatchSampler(photographs, PATCH + 2 * RIM, rng)(), rng)
        target = data / FOLDER / f"{seed}-{number}.npz"
        np.savez(target.with_suffix(".unfinished.npz"), **{k: v.astype(np.float16) for k, v in vars(drawn).items()})
        target.with_suffix(".unfinished.npz").replace(target)
        number += 1


class ShakenBatches:
    """Draws batches of patches from the pictures that were made."""

    def __init__(self, data: Path) -> None:
        files = sorted(f for f in (data / FOLDER).glob("*.npz") if ".unfinished" not in f.name)
        if not files:
            raise FileNotFoundError(f"no shaken pictures in {data / FOLDER}; run: ./run train shaken")
        self.pictures = []
        for file in files:
            with np.load(file) as stored:
                self.pictures.append(Shaken(**stored))

    def __call__(self, rng: np.random.Generator) -> Batch:
        parts = [self._cut(self.pictures[rng.integers(len(self.pictures))], rng) for _ in range(BATCH)]
        shown, conditions, truth = (torch.from_numpy(np.stack(v)).permute(0, 3, 1, 2) for v in zip(*parts, strict=True))
        error = (shown[:, :3] - truth).square().mean((1, 2, 3), keepdim=True).sqrt()
        # Little blur is everyday blur: it must not drown in the errors of the strong.
        weight = (error + 0.01) ** -0.5
        return (shown, conditions[..., ::2, ::2]), truth, weight / weight.mean()

    @staticmethod
    def _cut(whole: Shaken, rng: np.random.Generator) -> tuple[Array, Array, Array]:
        """What the network is shown and told, and the truth, turned and mirrored; their colours at times exchanged."""
        last = [n - EDGE - INNER + 1 for n in whole.truth.shape[:2]]
        places = [tuple(int(rng.integers(INNER, n)) for n in last) for _ in range(PLACES)]
        parts = [np.s_[top : top + EDGE, left : left + EDGE] for top, left in places]
        looked = rng.random() >= AS_IT_COMES
        part = parts[pick([(255 * whole.truth[p]).astype(np.uint8) for p in parts], rng) if looked else 0]
        colours = rng.permutation(3) if rng.random() < 0.2 else np.arange(3)
        quarters, mirrored = int(rng.integers(4)), rng.random() < 0.5

        def turned(picture: Array) -> Array:
            picture = np.rot90(picture, quarters)
            return np.ascontiguousarray(picture[:, ::-1] if mirrored else picture, np.float32)

        start, seen, truth = (turned(p[part][..., colours]) for p in (whole.start, whole.seen, whole.truth))
        return np.concatenate([start, seen], axis=-1), turned(whole.conditions[part]), truth
