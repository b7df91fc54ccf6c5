"""What is left of any file, judged by what is found in it."""

from __future__ import annotations

import io
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..kinds import RAW_SUFFIXES
from .carve import JPEG, carved
from .found import GONE, Found
from .jpeg import rescued_jpeg
from .png import SIGNATURE, rescued_png
from .tiff import rescued_tiff

NEIGHBOURS = 12  # files of the same kind that are looked at for a header to lend
HEAD = 65536  # bytes in which a JPEG begins, if it is one


def read_what_is_left(path: Path) -> Found:
    """Of a finished picture, or of the largest picture in anything else.

    Raises
    ------
    ValueError
        If there is nothing; says why.
    """
    data = path.read_bytes()
    if path.suffix.lower() in RAW_SUFFIXES:  # whose mosaic is gone
        preview = _preview(data, 0, len(data))
        if preview is None:
            raise ValueError("there is no preview in it either")
        with Image.open(io.BytesIO(preview)) as picture:
            return _preview_alone(np.array(picture.convert("RGB")), 1)
    if data[:4] in (b"II*\0", b"MM\0*") or path.suffix.lower() in (".tif", ".tiff"):
        return rescued_tiff(data)
    if data.startswith(SIGNATURE) or (path.suffix.lower() == ".png" and b"IDAT" in data):
        return rescued_png(data, max(data.find(SIGNATURE), 0))
    if data.startswith(b"\xff\xd8") or (path.suffix.lower() in (".jpg", ".jpeg") and not JPEG.search(data)):
        return _jpeg(data, 0, path)
    pieces = carved(data)
    if not pieces:
        raise ValueError("there is no picture in it")
    largest = max(pieces, key=len)
    said = f"It was found in a file that is none itself: picture {pieces.index(largest) + 1} of {len(pieces)}."
    found = (
        _jpeg(data[: largest.end], largest.start, path)
        if largest.kind == "jpeg"
        else rescued_png(data[: largest.end], largest.start)
    )
    return replace(found, said=(said, *found.said))


def _jpeg(data: bytes, start: int, path: Path) -> Found:
    preview, orientation = _preview(data, start + 4, start + HEAD), _orientation(data)
    try:
        found = rescued_jpeg(data, start, _model(path), preview)
    except ValueError:
        if preview is None:
            raise
        found = None
    if found is not None and (found.share < GONE or preview is None):
        return replace(found, orientation=orientation)
    with Image.open(io.BytesIO(preview or b"")) as picture:
        stored = np.array(picture.convert("RGB"))
    if found is not None:
        stored = cv2.resize(stored, found.lost.shape[::-1], interpolation=cv2.INTER_CUBIC)
    return _preview_alone(stored, orientation)


def _preview_alone(stored: NDArray, orientation: int) -> Found:
    said = ("Only the small preview in the file is left.",)
    return Found(stored, np.ones(stored.shape[:2], bool), said, orientation=orientation)


def previews(data: bytes, start: int, until: int) -> list[bytes]:
    """JPEGs inside some data, that open."""
    found = []
    for match in JPEG.finditer(data[:until], start):
        end = data.find(b"\xff\xd9", match.start())
        if end < 0:
            continue
        piece = data[match.start() : end + 2]
        try:
            Image.open(io.BytesIO(piece)).load()
        except Exception:  # as the file is damaged
            continue
        found.append(piece)
    return found


def _preview(data: bytes, start: int, until: int) -> bytes | None:
    return max(previews(data, start, until), key=len, default=None)


def _orientation(data: bytes) -> int:
    try:
        return int(Image.open(io.BytesIO(data)).getexif().get(0x0112, 1))
    except Exception:  # as the file is damaged
        return 1


def _model(path: Path) -> bytes | None:
    """A healthy JPEG beside a damaged one, the nearest by name."""
    names = sorted(p for p in path.parent.iterdir() if p.suffix.lower() in (".jpg", ".jpeg") and p != path)
    names.sort(key=lambda p: (abs(len(p.name) - len(path.name)), -_alike(p.name, path.name)))
    for other in names[:NEIGHBOURS]:
        try:
            with Image.open(other) as picture:
                picture.load()
        except Exception:  # that is damaged, too
            continue
        return other.read_bytes()
    return None


def _alike(one: str, other: str) -> int:
    return next((n for n, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
