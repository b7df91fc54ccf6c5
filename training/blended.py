"""Noisy pictures with what photo net and matched blocks make of them.

Blocks take far longer to clean than the network takes to learn from them, so
crops are made beforehand, into a bank of files that may grow while it is used.
They are of photographs and drawings that photo net was not trained on, for of
its own it makes a little more than of others, and would be trusted too much.
"""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray

from crispgrain.core.colour.spaces import OPPONENT, apply_matrix
from crispgrain.core.networks.conditioned import restored
from crispgrain.core.stages.denoise import alike, photo_net

from .finished import Mix, draw_finished
from .loop import Batch
from .photographs import PatchSampler, load, pick
from .pool import BATCH, CROP, EDGE, PLACES, weight_of

MIX = Mix((0.7, 0.3, 0), (0.1, 0.6, 0))  # blocks cleaned together are of little use where compression is strong
SHARD = 50  # crops in a file
RIM = 16  # px at the edges of a crop whose surroundings were not there to be seen


def fill(data: Path, minutes: float, seed: int) -> None:
    """Add files of crops to the bank for a time; each ``seed`` makes its own."""
    bank = data / "bank"
    bank.mkdir(exist_ok=True)
    photographs = load(data / "unseen")
    start, number = time.monotonic(), len(list(bank.glob(f"{seed}-*.npy")))
    while time.monotonic() - start < 60 * minutes:
        rng = np.random.default_rng([seed, number])
        sampler = PatchSampler(photographs, CROP, rng)
        crops = np.stack([_crop(sampler(), rng) for _ in range(SHARD)])
        unfinished = bank / f"{seed}.unfinished"
        with unfinished.open("wb") as file:
            np.save(file, crops)
        unfinished.replace(bank / f"{seed}-{number:03}.npy")
        number += 1
        print(f"{number * SHARD} crops after {time.monotonic() - start:.0f} s", flush=True)


def _crop(patch: NDArray[np.uint8], rng: np.random.Generator) -> NDArray[np.float16]:
    """Picture, photo net's result, matched blocks' result, truth and conditions, H x W x 15."""
    drawn = draw_finished(patch, rng, MIX)
    first = restored(photo_net.NAME, drawn.picture, drawn.conditions)
    opponent, pilot = (apply_matrix(p, OPPONENT) for p in (drawn.picture, first))
    second = apply_matrix(alike.clean_together(opponent, pilot, drawn.conditions[..., [0, 1, 1]]), OPPONENT.T)
    return np.concatenate([drawn.picture, first, second, drawn.truth, drawn.conditions], -1).astype(np.float16)


class BankBatches:
    """Draws batches of patches from the bank, turned and mirrored."""

    def __init__(self, data: Path) -> None:
        self.bank = data / "bank"
        self.files: dict[Path, NDArray[np.float16]] = {}
        self.drawn = 0

    def __call__(self, rng: np.random.Generator) -> Batch:
        if self.drawn % 100 == 0:  # the bank may have grown
            for path in sorted(self.bank.glob("*.npy")):
                if path not in self.files:
                    self.files[path] = np.load(path, mmap_mode="r")
        if not self.files:
            raise FileNotFoundError(f"no crops in {self.bank}; run: ./run train bank --minutes 30")
        self.drawn += 1
        crops = list(self.files.values())
        patches = [self._cut(crops[rng.integers(len(crops))], rng) for _ in range(BATCH)]
        planes = torch.from_numpy(np.stack(patches).astype(np.float32)).permute(0, 3, 1, 2)
        picture, first, second, truth, conditions = planes.split(3, dim=1)
        return (picture, first, second, conditions[..., ::2, ::2]), truth, weight_of(picture, truth)

    @staticmethod
    def _cut(shard: NDArray[np.float16], rng: np.random.Generator) -> NDArray[np.float16]:
        crop = shard[rng.integers(len(shard))]
        places = rng.integers(RIM, CROP - EDGE - RIM + 1, size=(PLACES, 2))
        parts = [np.s_[top : top + EDGE, left : left + EDGE] for top, left in places.tolist()]
        part = parts[pick([(255 * crop[p][..., 9:12]).astype(np.uint8) for p in parts], rng)]
        patch = np.rot90(crop[part], int(rng.integers(4)))
        return patch[:, ::-1] if rng.random() < 0.5 else patch
