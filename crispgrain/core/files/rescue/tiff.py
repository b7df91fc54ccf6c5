"""A damaged TIFF (TIFF 6.0): strips that can be decoded one by one, and tables of strips that can be reckoned."""

from __future__ import annotations

import io
import re
import struct
import warnings

import numpy as np
import tifffile
from numpy.typing import NDArray

from .found import Found

MOST_TAGS = 100  # of a directory
LITTLE = rb"\x00\x01[\x03\x04]\x00\x01\x00\x00\x00"  # ImageWidth, one number
BIG = rb"\x01\x00\x00[\x03\x04]\x00\x00\x00\x01"
SAID = "Its table of strips was wrong and was reckoned anew."


def rescued_tiff(data: bytes) -> Found:
    """Read what is left of a TIFF.

    Raises
    ------
    ValueError
        If nothing of it can be read; says why.
    """
    said = list[str]()
    try:
        page = _first_page(data)
    except Exception:
        directory = find_directory(data)
        if directory is None:
            raise ValueError("its directory is lost") from None
        mark = data[:4] if data[:4] in (b"II*\0", b"MM\0*") else b"II*\0"
        order = "<" if mark[:1] == b"I" else ">"
        page = _first_page(mark + struct.pack(order + "I", directory) + data[8:])
        said.append("Its header was damaged; its directory was found in the file.")
    height, width = page.imagelength, page.imagewidth
    samples, end = page.samplesperpixel, len(data)
    if page.planarconfig != tifffile.PLANARCONFIG.CONTIG:
        raise ValueError("its channels are stored apart, which is not mended")
    offsets, counts = list(page.dataoffsets), list(page.databytecounts)
    rows = page.rowsperstrip if not page.is_tiled else page.tilelength
    plain = page.compression == tifffile.COMPRESSION.NONE and page.bitspersample % 8 == 0 and page.predictor == 1
    if plain and not page.is_tiled:
        offsets, counts, reckoned = _reckoned(page, offsets, counts, rows, len(data))
        said += [SAID] if reckoned else []
        data += bytes(max(offsets[-1] + counts[-1] - len(data), 0))  # rows that are there are seen beside those gone
    stored = np.zeros((height, width, samples), page.dtype)
    lost = np.ones((height, width), bool)
    across = -(-width // page.tilewidth) if page.is_tiled else 1
    for number, (offset, count) in enumerate(zip(offsets, counts, strict=False)):
        top = number // across * rows
        left = number % across * page.tilewidth if page.is_tiled else 0
        part = _decoded(page, data, offset, count, number)
        if part is None or top >= height:
            continue
        part = part.reshape(part.shape[-3:])[: height - top, : width - left]
        stored[top : top + part.shape[0], left : left + part.shape[1]] = part
        lost[top : top + part.shape[0], left : left + part.shape[1]] = False
    if plain and not page.is_tiled:
        there = np.arange(height) * (sum(counts) // height) + offsets[0] + sum(counts) // height
        lost[there > end] = True
    if lost.all():
        raise ValueError("none of its strips can be decoded")
    if page.photometric == tifffile.PHOTOMETRIC.MINISWHITE and stored.dtype.kind == "u":
        stored = np.iinfo(stored.dtype).max - stored
    stored[lost] = np.iinfo(stored.dtype).max // 2 if stored.dtype.kind == "u" else 0
    orientation = page.tags["Orientation"].value if "Orientation" in page.tags else 1
    return Found(stored[..., 0] if samples == 1 else stored, lost, tuple(said), page.iccprofile or b"", orientation)


def _first_page(data: bytes) -> tifffile.TiffPage:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        page = tifffile.TiffFile(io.BytesIO(data)).pages.first
    if not page.imagelength or not page.imagewidth or page.dtype is None:
        raise ValueError("no picture")
    return page


def find_directory(data: bytes) -> int | None:
    """Where a directory stands that begins with the picture's width, whatever the header says."""
    for order, pattern in (
        ("<", rb"\x00\x01[\x03\x04]\x00\x01\x00\x00\x00"),
        (">", rb"\x01\x00\x00[\x03\x04]\x00\x00\x00\x01"),
    ):
        for match in re.finditer(pattern, data):
            for before in (0, 1):  # entries ahead of the width: NewSubfileType
                at = match.start() - 12 * before - 2
                if at < 8:
                    continue
                count = struct.unpack(order + "H", data[at : at + 2])[0]
                if not 8 <= count <= MOST_TAGS or at + 2 + 12 * count > len(data):
                    continue
                tags = [struct.unpack(order + "H", data[at + 2 + 12 * n : at + 4 + 12 * n])[0] for n in range(count)]
                if tags == sorted(tags) and {256, 257}.issubset(tags) and {273, 324} & set(tags):
                    return at
    return None


def _reckoned(
    page: tifffile.TiffPage, offsets: list[int], counts: list[int], rows: int, end: int
) -> tuple[list[int], list[int], bool]:
    """Places of strips that are not compressed, one after another, from what most of the table says."""
    line = page.imagewidth * page.samplesperpixel * (page.bitspersample // 8)
    number = -(-page.imagelength // rows)
    right = [rows * line] * (number - 1) + [(page.imagelength - rows * (number - 1)) * line]
    starts = [offset - n * rows * line for n, offset in enumerate(offsets[:number])]
    agreed = [s for s in starts if s >= 8 and s + sum(right) <= end] or [s for s in starts if s >= 8]
    first = max(set(agreed), key=agreed.count) if agreed else max(end - sum(right), 8)
    places = [first + n * rows * line for n in range(number)]
    return places, right, places != offsets or right != counts


def _decoded(page: tifffile.TiffPage, data: bytes, offset: int, count: int, number: int) -> NDArray | None:
    part = data[offset : offset + count]
    if len(part) < count or not count:
        return None
    try:
        return np.asarray(page.decode(part, number)[0])
    except Exception:  # decoders fail in ways of their own
        return None
