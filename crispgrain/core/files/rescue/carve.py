"""Pictures inside of other data (a card's image, a broken container), found by how they begin and end."""

from __future__ import annotations

import re
import struct
from dataclasses import dataclass
from mmap import mmap

JPEG = re.compile(rb"\xff\xd8\xff[\xdb\xe0-\xef\xc0\xc4\xfe]")
PNG = b"\x89PNG\r\n\x1a\n"
LEAST = 256  # bytes of a picture
AFTER_SCAN = re.compile(rb"\xff[\x01-\xcf\xd8-\xfe]")  # anything but data and restarts


@dataclass(frozen=True)
class Piece:
    """A picture in other data: its kind (``jpeg`` or ``png``) and where it lies. ``whole`` if its end was found."""

    kind: str
    start: int
    end: int
    whole: bool

    def __len__(self) -> int:
        return self.end - self.start


def carved(data: bytes | mmap) -> list[Piece]:
    """Pictures in some data, in order, without those inside of others (previews)."""
    pieces, at = list[Piece](), 0
    starts = [(m.start(), "jpeg") for m in JPEG.finditer(data)] + [(m.start(), "png") for m in re.finditer(PNG, data)]
    for start, kind in sorted(starts):
        if start < at:
            continue
        end, whole = (_jpeg_end if kind == "jpeg" else _png_end)(data, start)
        if end - start >= LEAST:
            pieces.append(Piece(kind, start, end, whole))
            at = end
    return pieces


def _jpeg_end(data: bytes | mmap, start: int) -> tuple[int, bool]:
    """After its end of image, over segments that may hold previews; else where another begins, or the data end."""
    at = start + 2
    while at + 4 <= len(data) and data[at] == 0xFF:
        marker = data[at + 1]
        if marker == 0xD9:
            return at + 2, True
        if marker == 0xFF:
            at += 1
            continue
        at += 2 + struct.unpack(">H", data[at + 2 : at + 4])[0]
        if marker == 0xDA:
            following = AFTER_SCAN.search(data, at)
            if following is None:
                break
            if data[following.start() + 1] == 0xD9:
                return following.start() + 2, True
            if data[following.start() + 1] == 0xD8:
                return following.start(), False
            if data[following.start() + 1] in (0xC4, 0xDA, 0xDB, 0xDD, 0xDC, 0xFE):
                at = following.start()
                continue
            end = data.find(b"\xff\xd9", at)
            return (end + 2, True) if end >= 0 else (len(data), False)
    end = data.find(b"\xff\xd9", at)
    return (end + 2, True) if end >= 0 else (len(data), False)


def _png_end(data: bytes | mmap, start: int) -> tuple[int, bool]:
    end = data.find(b"IEND", start)
    return (end + 8, True) if end >= 0 else (len(data), False)
