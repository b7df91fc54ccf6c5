"""How much of damaged files comes back: a fixed set of damages by seed, ours beside Pillow, OpenCV and LibRaw."""

from __future__ import annotations

import io
import struct
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import rawpy
from numpy.typing import NDArray
from PIL import Image, ImageFile

from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError
from crispgrain.core.files import RawSource, read_shot
from crispgrain.demo.roll import scene
from crispgrain.simulation import camera
from crispgrain.simulation.dng import write_dng

TRUE = 3  # 8-bit steps a pixel may be off
TRUE_RAW = 0  # steps of a sensor
SECTOR = 512
SEED = 20261129


@dataclass(frozen=True)
class Row:
    """What came back of one damaged file: shares of true pixels, ours claimed and wrong, ours said to be lost."""

    kind: str
    damage: str
    ours: float
    wrong: float
    lost: float
    others: dict[str, float]


def wiped(data: bytes, at: float, count: int) -> bytes:
    first = int(len(data) * at)
    return data[:first] + bytes(count) + data[first + count :]


def overwritten(data: bytes, at: float, count: int, rng: np.random.Generator) -> bytes:
    first = int(len(data) * at)
    return data[:first] + rng.bytes(count) + data[first + count :]


def without(data: bytes, at: float, count: int) -> bytes:
    first = int(len(data) * at)
    return data[:first] + data[first + count :]


def flipped(data: bytes, places: list[float], rng: np.random.Generator) -> bytes:
    out = bytearray(data)
    for at in places:
        out[int(len(data) * at)] ^= int(rng.integers(1, 256))
    return bytes(out)


def pixel_damages(data: bytes) -> Iterator[tuple[str, bytes]]:
    """Damages to the pixels of a file, always the same for the same file."""
    rng = np.random.default_rng(SEED)
    yield "cut at 60 %", data[: int(len(data) * 0.6)]
    yield "a sector wiped", wiped(data, 0.4, SECTOR)
    yield "4 KB wiped", wiped(data, 0.33, 8 * SECTOR)
    yield "4 KB of another file", overwritten(data, 0.5, 8 * SECTOR, rng)
    yield "a sector missing", without(data, 0.45, SECTOR)
    yield "three bytes changed", flipped(data, [0.3, 0.5, 0.7], rng)
    yield "two sectors wiped, cut", wiped(wiped(data, 0.3, SECTOR), 0.5, SECTOR)[: int(len(data) * 0.8)]


def jpeg_damages(data: bytes) -> Iterator[tuple[str, bytes]]:
    yield from pixel_damages(data)
    yield "tables of codes gone", without_segment(data, 0xC4)
    yield "frame gone", without_segment(data, 0xC0)
    yield "in a card's image", bytes(3000) + data + bytes(2000)


def without_segment(data: bytes, marker: int) -> bytes:
    while (at := data.find(bytes([0xFF, marker]))) >= 0:
        data = data[:at] + data[at + 2 + struct.unpack(">H", data[at + 2 : at + 4])[0] :]
    return data


def png_damages(data: bytes) -> Iterator[tuple[str, bytes]]:
    rng = np.random.default_rng(SEED)
    yield "cut at 60 %", data[: int(len(data) * 0.6)]
    yield "a checksum wrong", data[:29] + b"\0\0\0\0" + data[33:]
    yield "width wrong", data[:16] + b"\0\0\x01\x07" + data[20:]
    yield "bytes changed", flipped(data, [0.7], rng)


def tiff_damages(data: bytes) -> Iterator[tuple[str, bytes]]:
    yield "cut at 60 %", data[: int(len(data) * 0.6)]
    yield "header wiped", bytes(8) + data[8:]


def raw_damages(data: bytes) -> Iterator[tuple[str, bytes]]:
    rng = np.random.default_rng(SEED)
    yield "cut at 60 %", data[: int(len(data) * 0.6)]
    yield "4 KB wiped", wiped(data, 0.5, 8 * SECTOR)
    yield "header overwritten", rng.bytes(400) + data[400:]


def same(found: NDArray | None, good: NDArray, tolerance: int) -> NDArray[np.bool_]:
    """Where pixels (H x W, perhaps x C) are those of the good file."""
    if found is None or found.shape != good.shape:
        return np.zeros(good.shape[:2], bool)
    apart = np.abs(found.astype(np.int64) - good.astype(np.int64)) <= tolerance
    return np.asarray(apart.all(axis=-1) if apart.ndim == 3 else apart)


def by_pillow(path: Path) -> NDArray | None:
    before, ImageFile.LOAD_TRUNCATED_IMAGES = ImageFile.LOAD_TRUNCATED_IMAGES, True
    try:
        with Image.open(path) as picture:
            return np.array(picture.convert("RGB"))
    except Exception:  # reference methods may fail as they like
        return None
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = before


def by_opencv(path: Path) -> NDArray | None:
    try:
        found = cv2.imread(str(path), cv2.IMREAD_COLOR)
    except cv2.error:
        return None
    return None if found is None else found[..., ::-1]


def by_libraw(path: Path) -> NDArray | None:
    try:
        with rawpy.imread(str(path)) as raw:
            return raw.raw_image_visible.copy()
    except rawpy.LibRawError:
        return None


def ours(path: Path) -> tuple[NDArray | None, NDArray[np.bool_] | None]:
    try:
        source = read_shot(path, rescue=True)
    except ShotError:
        return None, None
    return (source.mosaic if isinstance(source, RawSource) else source.stored), source.lost


def measured(
    folder: Path,
    kind: str,
    suffix: str,
    good: bytes,
    truth: NDArray,
    damages: Callable[[bytes], Iterator[tuple[str, bytes]]],
) -> Iterator[Row]:
    """One row for each damage; a healthy file of the same camera lies beside."""
    (folder / f"healthy{suffix}").write_bytes(good)
    raw = suffix == ".dng"
    tolerance = TRUE_RAW if raw else TRUE
    others = {"LibRaw": by_libraw} if raw else {"Pillow": by_pillow, "OpenCV": by_opencv}
    for damage, data in damages(good):
        path = folder / f"damaged{'.img' if 'card' in damage else suffix}"
        path.write_bytes(data)
        found, lost = ours(path)
        true = same(found, truth, tolerance)
        claimed = ~lost if lost is not None and lost.shape == true.shape else np.zeros(true.shape, bool)
        kept = {name: float(same(read(path), truth, tolerance).mean()) for name, read in others.items()}
        share = float(lost.mean()) if lost is not None else 1.0
        yield Row(kind, damage, float((true & claimed).mean()), float((claimed & ~true).mean()), share, kept)


def good_files() -> Iterator[tuple[str, str, bytes, Callable[[bytes], Iterator[tuple[str, bytes]]]]]:
    """Kinds of files made from a scene: name, suffix, data, damages."""
    clean = scene("orrery")[300:1100, 400:1600]
    pixels = icc.from_working(clean, icc.profile("srgb"), 8)
    grainy = np.clip(pixels + np.random.default_rng(SEED).normal(0, 3, pixels.shape), 0, 255).astype(np.uint8)

    def saved(kind: str, **how: object) -> bytes:
        out = io.BytesIO()
        Image.fromarray(grainy).save(out, kind, **how)
        return out.getvalue()

    yield "JPEG 4:2:0", ".jpg", saved("JPEG", quality=90), jpeg_damages
    yield "JPEG 4:4:4", ".jpg", saved("JPEG", quality=92, subsampling=0), jpeg_damages
    yield "JPEG, restarts", ".jpg", saved("JPEG", quality=90, restart_marker_rows=1), jpeg_damages
    yield "PNG", ".png", saved("PNG"), png_damages
    yield "TIFF", ".tif", saved("TIFF"), tiff_damages
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "good.dng"
        values = camera.expose(clean, 1600, seed=3, camera=camera.FIELD_TWO)
        write_dng(path, values, camera.FIELD_TWO, 1600, Fraction(1, 60), "2026:03:14 16:20:08")
        yield "DNG", ".dng", path.read_bytes(), raw_damages


def rows() -> Iterator[Row]:
    for kind, suffix, data, damages in good_files():
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            path = folder / f"good{suffix}"
            path.write_bytes(data)
            source = read_shot(path)
            truth = source.mosaic if isinstance(source, RawSource) else source.stored
            path.unlink()
            yield from measured(folder, kind, suffix, data, truth, damages)


def report() -> str:
    """A table in Markdown."""
    lines = [
        "| File | Damage | Ours | Claimed but wrong | Said to be lost | Pillow | OpenCV | LibRaw |",
        "|---|---|---|---|---|---|---|---|",
    ]
    for row in rows():
        shares = [f"{100 * n:.1f}" for n in (row.ours, row.wrong, row.lost)]
        others = [f"{100 * row.others[n]:.1f}" if n in row.others else "" for n in ("Pillow", "OpenCV", "LibRaw")]
        lines.append("| " + " | ".join([row.kind, row.damage, *shares, *others]) + " |")
    return "\n".join(lines)
