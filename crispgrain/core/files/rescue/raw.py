"""A damaged RAW built like a TIFF: wiped or missing strips, and a header that a healthy neighbour can lend."""

from __future__ import annotations

import io
import re
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import tifffile

from ...errors import ShotError
from ..raw import read_raw
from ..source import RawSource

WIPED = 512  # zeros in a row in the pixels: a sector of a card
FILLS = (b"\x00", b"\x5a")  # what is lost shows where two of these make a difference


def rescued_raw(path: Path, neighbours: list[Path], keep: Path) -> tuple[np.ndarray, list[str]]:
    """Write a copy of a RAW that can be read to ``keep``; where its mosaic is lost (H x W), and what is to be said.

    Raises
    ------
    ValueError
        If nothing of it can be read; says why.
    """
    data, said = path.read_bytes(), list[str]()
    places = _pixels(data)
    healthy = next((n for n in neighbours if _reads(n)), None)
    if places is None or not (_opens(data, path.suffix) or places[-1][1] > len(data)):
        if healthy is None:
            raise ValueError("its header is damaged, and no healthy file of this camera is beside it")
        whole = healthy.read_bytes()
        places = _pixels(whole)
        if places is None:
            raise ValueError("its header is damaged, and that of its neighbour cannot be lent")
        first = min(start for start, _ in places)
        data = whole[:first] + data[first:] + whole[len(data) :] * (places[-1][1] < first)
        said.append(f"Its header was damaged: that of {healthy.name} is used.")
    last = max(end for _, end in places)
    gone = [(max(len(data), start), end) for start, end in places if end > len(data)]
    data += bytes(max(last - len(data), 0))
    # Strips mostly lie one behind the other, and what was wiped need not begin with one.
    for wiped in re.finditer(rb"\x00{%d,}" % WIPED, data):
        parts = ((max(wiped.start(), start), min(wiped.end(), end)) for start, end in places)
        gone += [(start, end) for start, end in parts if start < end]
    mosaics = []
    for fill in FILLS:
        filled = bytearray(data)
        for start, end in gone:
            filled[start:end] = fill * (end - start)
        keep.write_bytes(filled)
        try:
            source = read_raw(keep)
        except ShotError as error:
            raise ValueError(error.cause) from error
        if not isinstance(source, RawSource):
            raise ValueError("it has no mosaic of a sensor known here")
        mosaics.append(source.mosaic)
    return mosaics[0] != mosaics[1], said


def _pixels(data: bytes) -> list[tuple[int, int]] | None:
    """Where the strips of the largest picture lie, in order; None if that cannot be told."""
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as tiff:
            pages = [page for top in tiff.pages for page in (top, *(top.pages or ()))]
            largest = max(pages, key=lambda page: sum(page.databytecounts))
            places = sorted(zip(largest.dataoffsets, largest.databytecounts, strict=True))
    except Exception:  # as the file is damaged
        return None
    found = [(start, start + count) for start, count in places if count > 0]
    return found or None


def _opens(data: bytes, suffix: str) -> bool:
    with TemporaryDirectory() as folder:
        copy = Path(folder) / f"copy{suffix}"
        copy.write_bytes(data)
        return _reads(copy)


def _reads(path: Path) -> bool:
    try:
        read_raw(path)
    except ShotError:
        return False
    return True
