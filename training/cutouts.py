"""Made-up pictures with a known subject: cut-outs laid on photographs, told apart as a photographer would."""

from __future__ import annotations

import hashlib
import subprocess
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import torch
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.core.colour.icc import profile
from crispgrain.core.files.source import PictureSource
from crispgrain.core.masks.ground import Ground
from crispgrain.core.masks.maps import in_focus

from .finished import compress
from .loop import Batch
from .photographs import load

PACKAGE = "tuxpaint-stamps-default"
# Photographs with an outline; not what is drawn, flat or made of letters.
GROUPS = ("animals", "food", "vehicles", "town", "seasonal", "household", "plants", "hobbies", "sports", "clothes",
          "people", "space", "military", "medical")  # fmt: skip
# Of the training photographs, those without a subject of their own.
GROUNDS = ("Picture_1A", "greentock", "aitzgorri", "sunset", "free", "picosdeeuropa", "Picture_0B", "analogpattern",
           "Aqua", "Blinds", "Dune", "GreenMeadow", "RainDrops", "Storm", "Wood", "BytheWater", "ColdRipple",
           "DarkestHour", "Grey", "Path", "summer_1am", "Volna", "umang", "seeding")  # fmt: skip
LEFT_OUT = ("cartoon", "flags", "roadsigns")
RESERVED = 6  # one folder of cut-outs in so many is for tests only
LEAST = 70  # px of the shorter side

SIZES = ((192, 256), (256, 192), (224, 224))
FINER = 2  # what tells focus is seen at so many times the network's size
BATCH, POOL, FRESH = 8, 96, 2


@dataclass(frozen=True)
class Composed:
    """A picture (H x W x 3, encoded sRGB) and how much of each place is its subject (H x W)."""

    picture: Array
    subject: Array


def fetch(folder: Path) -> None:
    """Download the package with cut-outs and store them (uint8, H x W x 4) in ``folder``: train, and reserved."""
    packages, unpacked = folder / "packages", folder / "unpacked"
    packages.mkdir(parents=True, exist_ok=True)
    if not list(packages.glob(f"{PACKAGE}_*.deb")):
        subprocess.run(["apt-get", "download", "-qq", PACKAGE], cwd=packages, check=True)
    for archive in packages.glob(f"{PACKAGE}_*.deb"):
        subprocess.run(["dpkg", "-x", str(archive), str(unpacked)], check=True)
    stamps = unpacked / "usr/share/tuxpaint/stamps"
    for path in sorted(stamps.rglob("*.png")):
        place = path.relative_to(stamps)
        if place.parts[0] in GROUPS and not set(place.parts) & set(LEFT_OUT):
            pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
            if pixels is not None and _tells(pixels):
                # Whole folders are reserved: two pictures of one animal are alike.
                number = int(hashlib.sha256(str(place.parent).encode()).hexdigest(), 16)
                group = folder / "cutouts" / ("train" if number % RESERVED else "reserved")
                group.mkdir(parents=True, exist_ok=True)
                np.save(group / f"{'-'.join(place.with_suffix('').parts)}.npy", pixels[..., [2, 1, 0, 3]])


def _grounds(folder: Path) -> list[NDArray[np.uint8]]:
    return [np.load(p, mmap_mode="r") for p in sorted(folder.glob("*.npy")) if p.name.startswith(GROUNDS)]


def _tells(pixels: NDArray) -> bool:
    """Whether something with colours, large enough, stands free."""
    if pixels.ndim != 3 or pixels.shape[2] != 4 or min(pixels.shape[:2]) < LEAST:
        return False
    opaque, colours = float((pixels[..., 3] > 200).mean()), pixels[..., :3][pixels[..., 3] > 200]
    return 0.15 < opaque < 0.95 and colours.std() > 12


def compose(
    cutouts: list[NDArray[np.uint8]], photograph: NDArray[np.uint8], size: tuple[int, int], rng: np.random.Generator
) -> Composed:
    """Lay one or two cut-outs on a part of a photograph, in its light, with a depth of field and a shadow or without.

    Parameters
    ----------
    size : (int, int)
        Height and width of the picture.
    """
    picture = _part_of(photograph, size, rng)
    if rng.random() < 0.6:
        picture = _soft(picture, rng.uniform(0.5, 6))
    subject = np.zeros(size, np.float32)
    for _ in range(1 if rng.random() < 0.75 else 2):
        colours, alpha = _placed(cutouts[rng.integers(len(cutouts))], size, rng)
        colours = _in_the_light_of(picture, colours, alpha, rng)
        if rng.random() < 0.4:
            moved = np.roll(_soft(alpha, rng.uniform(3, 14)), rng.integers(-12, 13, 2).tolist(), (0, 1))
            picture = picture * (1 - np.float32(rng.uniform(0.2, 0.6)) * moved[..., None])
        alpha = _soft(alpha, rng.uniform(0.3, 1.2))
        picture = picture + alpha[..., None] * (colours - picture)
        subject = np.maximum(subject, alpha)
    picture = np.clip(picture, 0, 1) ** np.float32(np.exp(rng.normal(0, 0.25)))
    if rng.random() < 0.3:
        picture = _soft(picture, rng.uniform(0.3, 1.5))
    picture = picture + rng.standard_normal(picture.shape, np.float32) * np.float32(0.06 * rng.random() ** 2)
    if rng.random() < 0.3:
        picture = compress(np.clip(picture, 0, 1), int(rng.integers(40, 96)), rng)
    return Composed(np.clip(picture, 0, 1).astype(np.float32), subject)


def _part_of(photograph: NDArray[np.uint8], size: tuple[int, int], rng: np.random.Generator) -> Array:
    height, width = size
    most = min(photograph.shape[0] / height, photograph.shape[1] / width)
    share = most * rng.uniform(0.4, 1.0)
    rows, columns = max(2, int(height * share)), max(2, int(width * share))
    top, left = rng.integers(photograph.shape[0] - rows + 1), rng.integers(photograph.shape[1] - columns + 1)
    part = np.ascontiguousarray(photograph[top : top + rows, left : left + columns])
    part = part[:, ::-1] if rng.random() < 0.5 else part
    way = cv2.INTER_AREA if share > 1 else cv2.INTER_CUBIC
    return cv2.resize(np.ascontiguousarray(part), (width, height), interpolation=way).astype(np.float32) / 255


def _placed(cutout: NDArray[np.uint8], size: tuple[int, int], rng: np.random.Generator) -> tuple[Array, Array]:
    """Colours (H x W x 3) and alpha (H x W) of a cut-out somewhere in a picture, a bit turned, more in its middle."""
    height, width = size
    rows, columns = cutout.shape[:2]
    scale = rng.uniform(0.45, 1.05) * min(height / rows, width / columns)
    angle = rng.normal(0, 12)
    turn = cv2.getRotationMatrix2D((columns / 2, rows / 2), angle, scale)
    if rng.random() < 0.5:
        cutout = np.ascontiguousarray(cutout[:, ::-1])
    turn[:, 2] += [width / 2 - columns / 2 + rng.normal(0, 0.14) * width,
                   height / 2 - rows / 2 + rng.normal(0.04, 0.12) * height]  # fmt: skip
    values = cutout.astype(np.float32) / 255
    values[..., :3] *= values[..., 3:]  # colours under what is transparent are anything
    way = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
    moved = np.clip(cv2.warpAffine(values, turn, (width, height), flags=way), 0, 1)
    alpha = moved[..., 3]
    return moved[..., :3] / np.maximum(alpha, 1e-3)[..., None], alpha


def _in_the_light_of(picture: Array, colours: Array, alpha: Array, rng: np.random.Generator) -> Array:
    """Mean and contrast part of the way to the picture's own."""
    within = alpha > 0.5
    if within.sum() < 16:
        return colours
    own, other = colours[within], picture.reshape(-1, 3)
    share = np.float32(rng.uniform(0, 0.8))
    mean = own.mean(0) + share * (other.mean(0) - own.mean(0))
    contrast = (other.std() / max(float(own.std()), 0.05)) ** (0.5 * share)
    return np.clip((colours - own.mean(0)) * np.float32(np.clip(contrast, 0.5, 2)) + mean, 0, 1)


def _soft(values: Array, sigma: float) -> Array:
    return np.asarray(cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REFLECT), np.float32)


def as_input(picture: Array, focus: Array) -> Array:
    """Planes of the network (4 x H x W) of a picture (H x W x 3, encoded sRGB) and what is in focus (H x W)."""
    return np.ascontiguousarray(np.concatenate([picture.transpose(2, 0, 1) - np.float32(0.5), focus[None]]), np.float32)


def ground_of(picture: Array) -> Ground:
    """What masks see of a made-up picture (H x W x 3, encoded sRGB)."""
    stored = (255 * picture + 0.5).astype(np.uint8)
    return Ground.of(PictureSource(Path("made-up.png"), stored, profile("srgb")))


class SubjectBatches:
    """Draws batches of pictures with what is in focus, and where their subjects are."""

    def __init__(self, data: Path) -> None:
        self.photographs, self.cutouts = _grounds(data / "train"), load(data / "cutouts" / "train")
        self.pools: list[list[tuple[Array, Array]]] = [[] for _ in SIZES]

    def __call__(self, rng: np.random.Generator) -> Batch:
        kind = int(rng.integers(len(SIZES)))
        pool = self.pools[kind]
        pool += [self._sample(SIZES[kind], rng) for _ in range(BATCH if len(pool) < POOL else FRESH)]
        del pool[:-POOL]
        chosen = [pool[rng.integers(len(pool))] for _ in range(BATCH)]
        flipped = [(a[..., ::-1], b[..., ::-1]) if rng.random() < 0.5 else (a, b) for a, b in chosen]
        inputs, truth = (torch.from_numpy(np.stack(v)) for v in zip(*flipped, strict=True))
        return (inputs,), truth, torch.ones(())

    def _sample(self, size: tuple[int, int], rng: np.random.Generator) -> tuple[Array, Array]:
        height, width = size
        composed = compose(
            self.cutouts, self.photographs[rng.integers(len(self.photographs))], (height * FINER, width * FINER), rng
        )
        focus = in_focus(ground_of(composed.picture), 0, 1, (0, 0, 0))
        truth = cv2.resize(composed.subject, (width, height), interpolation=cv2.INTER_AREA)
        small = cv2.resize(composed.picture, (width, height), interpolation=cv2.INTER_AREA)
        if rng.random() < 0.25:
            focus = np.full_like(focus, 0.5)  # a small camera has all in focus
        return as_input(small, cv2.resize(focus, (width, height), interpolation=cv2.INTER_AREA)), truth[None]
