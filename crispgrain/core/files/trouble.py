"""What is wrong with a file, said as a photographer would: how much of it is missing, or too large to hold."""

from __future__ import annotations

import contextlib
import io
import os
from collections.abc import Callable
from itertools import islice
from pathlib import Path

import numpy as np
import tifffile
from PIL import Image

from ..errors import ShotError

BYTES_PER_PIXEL = 40  # of memory while a shot is read and measured: stored values, and floats of three channels
LOOKED_AT = 16  # pages of a TIFF
# Shares from which on a part of the picture is said to be missing, and how.
PARTS = (
    (0.92, "nearly all of it is"), (0.7, "three quarters of it are"), (0.6, "two thirds of it are"),
    (0.42, "the lower half is"), (0.29, "the last third is"), (0.22, "the last quarter is"),
    (0.15, "the last fifth is"), (0.07, "the last tenth is"), (0.0, "a little at the end is"),
)  # fmt: skip


def check_size(path: Path, height: int, width: int) -> None:
    """Refuse a picture before anything is allocated for it, if it would not fit into memory.

    Raises
    ------
    ShotError
        Names the size that the file's header promises.
    """
    if height <= 0 or width <= 0:
        raise ShotError(path, "its header gives the picture no size")
    needed, free = height * width * BYTES_PER_PIXEL, free_memory()
    if needed > free:
        raise ShotError(
            path, f"its header promises {width} × {height} pixels, which would need {needed / 1e9:.0f} GB of memory; "
            f"{free / 1e9:.0f} GB are free"
        )  # fmt: skip


def free_memory() -> int:
    """Bytes of memory that can still be had without swapping."""
    try:
        for line in Path("/proc/meminfo").read_text().splitlines():
            if line.startswith("MemAvailable:"):
                return 1024 * int(line.split()[1])
    except (OSError, ValueError):
        pass
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")


def cut_short(missing: float | None) -> str:
    """In words, that a file ends too early, and which share of its picture is not there (None: not known)."""
    if missing is None:
        return "the file is cut short: it ends before the picture does"
    return f"the file is cut short: {next(words for least, words in PARTS if missing >= least)} missing"


def missing_rows(data: bytes) -> float | None:
    """Share of the rows of a JPEG or PNG that its data do not reach any more; None if that cannot be told."""
    try:
        picture = Image.open(io.BytesIO(data))
        with contextlib.suppress(Exception):
            picture.load()
        rows = np.asarray(Image.Image()._new(picture.im))  # the pixels that were decoded before it failed
    except Exception:  # decoders fail in ways of their own, and this only looks for better words
        return None
    filled = np.flatnonzero(rows.reshape(len(rows), -1).any(axis=1))
    return 1 - (filled[-1] + 1) / len(rows) if len(filled) else None


def missing_strips(path: Path) -> float | None:
    """Share of the pixel data of a TIFF, or a RAW built like one, that lies beyond the file's end."""
    end = path.stat().st_size
    try:
        with tifffile.TiffFile(path) as tiff:
            pages = [page for top in islice(tiff.pages, LOOKED_AT) for page in (top, *(top.pages or ()))]
            largest = max(pages, key=lambda page: sum(page.databytecounts))
            places = list(zip(largest.dataoffsets, largest.databytecounts, strict=True))
    except Exception:  # as above
        return None
    whole = sum(count for _, count in places)
    there = sum(min(max(end - offset, 0), count) for offset, count in places)
    return 1 - there / whole if whole and there < whole else None


SHORT = ("truncated", "ends before", "not enough", "buffer overrun", "expected to read", "unexpected end")


def decoding_words(error: BaseException, missing: Callable[[], float | None]) -> str:
    """What a decoder's complaint comes down to; ``missing`` finds the share that is not there if data end too early."""
    if any(word in str(error).lower() for word in SHORT):
        return cut_short(missing())
    return "the picture is damaged: its pixels cannot be decoded"
