"""A damaged PNG (ISO/IEC 15948): its chunks whatever their checksums say, and as many rows as can be unpacked."""

from __future__ import annotations

import io
import struct
import zlib

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from .found import Found

SIGNATURE = b"\x89PNG\r\n\x1a\n"
CHANNELS = {0: 1, 2: 3, 3: 1, 4: 2, 6: 4}  # by kind of colour
WIDEST = 30000  # px that are tried where the header is damaged


def rescued_png(data: bytes, start: int = 0) -> Found:
    """Read what is left of a PNG that begins at a byte of some data.

    Raises
    ------
    ValueError
        If nothing of it can be read; says why.
    """
    header, packed, others, said, bad_from = _chunks(data, start)
    rows, sound, good = _unpacked(packed, bad_from)
    if header is None:
        raise ValueError("its header is lost")
    width, height, depth, kind, interlaced = header
    if kind not in CHANNELS or depth not in (1, 2, 4, 8, 16):
        raise ValueError("its header makes no sense")
    bits = depth * CHANNELS[kind]
    line = 1 + (width * bits + 7) // 8
    whole = height * line
    if interlaced and not (sound and good >= len(rows)):
        raise ValueError("it is interlaced, and parts of it are lost")
    there = height if interlaced else min(good // line, height)
    if there <= 0:
        raise ValueError("no row of it can be unpacked")
    filled = rows if interlaced else rows[: there * line] + bytes(whole - there * line)
    stored = np.array(_decoded(_written(header, others, filled), depth))
    lost = np.zeros((height, width), bool)
    lost[there:] = True
    stored[lost] = 32767 if depth == 16 else 127
    return Found(stored, lost, tuple(said), _profile(others))


def _decoded(mended: bytes, depth: int) -> NDArray:
    if depth < 16:
        with Image.open(io.BytesIO(mended)) as picture:
            return np.array(picture.convert("RGB") if picture.mode not in ("RGB", "RGBA", "L", "LA") else picture)
    stored: NDArray | None = cv2.imdecode(np.frombuffer(mended, np.uint8), cv2.IMREAD_UNCHANGED)
    if stored is None:
        raise ValueError("its rows cannot be decoded")
    return stored[..., [2, 1, 0, 3][: stored.shape[2]]] if stored.ndim == 3 else stored


Header = tuple[int, int, int, int, int]  # width, height, bits, kind of colour, interlaced


def _chunks(data: bytes, start: int) -> tuple[Header | None, bytes, list[tuple[bytes, bytes]], list[str], int | None]:
    """Header, packed rows, other chunks, what is to be said, and the byte of the packed rows from which on to doubt."""
    at, header, said = start + 8, None, list[str]()
    packed, others, bad_from = bytearray(), list[tuple[bytes, bytes]](), None
    while at + 8 <= len(data):
        length, name = struct.unpack(">I4s", data[at : at + 8])
        if not name.isalpha() or at + 8 + length > len(data) + (1 << 31):
            following = data.find(b"IDAT", at)
            if following < 4:
                break
            at = following - 4
            bad_from = len(packed) if bad_from is None else bad_from
            continue
        body, stated = data[at + 8 : at + 8 + length], data[at + 8 + length : at + 12 + length]
        sound = struct.pack(">I", zlib.crc32(name + body)) == stated
        if name == b"IHDR" and len(body) == 13:
            header = _header(body, struct.unpack(">I", stated)[0] if len(stated) == 4 else 0, sound)
            if not sound:
                said.append("Its header was damaged; the size follows from its checksum.")
        elif name == b"IDAT":
            if not sound and bad_from is None:
                bad_from = len(packed)
            packed += body
        elif name == b"IEND":
            break
        elif sound:
            others.append((name, body))
        else:
            said.append(f"A part of the file ({name.decode()}) was damaged and is left out.")
        at += 12 + length
    return header, bytes(packed), others, said, bad_from


def _header(body: bytes, checksum: int, sound: bool) -> Header:
    """The header; where its checksum does not agree, with the width or height that makes it do so."""
    width, height, depth, kind, _, _, interlaced = struct.unpack(">IIBBBBB", body)
    if not sound:
        before = zlib.crc32(b"IHDR")
        for side in range(1, WIDEST):
            packed = struct.pack(">I", side)
            if zlib.crc32(packed + body[4:], before) == checksum:
                return side, height, depth, kind, interlaced
            if zlib.crc32(body[:4] + packed + body[8:], before) == checksum:
                return width, side, depth, kind, interlaced
    return width, height, depth, kind, interlaced


def _unpacked(packed: bytes, bad_from: int | None) -> tuple[bytes, bool, int]:
    """Rows, whether their own checksum agrees, and how many bytes of them are to be trusted."""
    reader, rows = zlib.decompressobj(), bytearray()
    trusted = None
    step = 512
    for at in range(0, len(packed), step):
        if bad_from is not None and at + step > bad_from and trusted is None:
            trusted = len(rows)
        try:
            rows += reader.decompress(packed[at : at + step])
        except zlib.error:
            return bytes(rows), False, len(rows) if trusted is None else trusted
    if reader.eof:  # the Adler-32 of all rows agrees: whatever chunks say of themselves
        return bytes(rows), True, len(rows)
    return bytes(rows), False, len(rows) if trusted is None else trusted


def _written(header: Header, others: list[tuple[bytes, bytes]], rows: bytes) -> bytes:
    def chunk(name: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    width, height, depth, kind, interlaced = header
    first = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, depth, kind, 0, 0, interlaced))
    kept = b"".join(chunk(name, body) for name, body in others if name in (b"PLTE", b"tRNS", b"gAMA", b"sRGB"))
    return SIGNATURE + first + kept + chunk(b"IDAT", zlib.compress(rows, 1)) + chunk(b"IEND", b"")


def _profile(others: list[tuple[bytes, bytes]]) -> bytes:
    body = next((b for n, b in others if n == b"iCCP"), b"")
    try:
        return zlib.decompress(body[body.index(b"\0") + 2 :]) if body else b""
    except (zlib.error, ValueError):
        return b""
