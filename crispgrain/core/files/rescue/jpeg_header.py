"""What stands before the pixels of a JPEG (ITU-T T.81, annex B), as far as it can be read, and what can replace it."""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from .huffman import ZIGZAG

SIZES = {0xC0: "baseline", 0xC1: "baseline", 0xC2: "progressive"}  # kinds of frames
KNOWN = (*range(0xC0, 0xC5), 0xDA, 0xDB, 0xDD, 0xDE, *range(0xE0, 0xF0), 0xFE)  # segments that pictures have
USUAL_QUALITY = 92  # taken where the tables of steps are gone


@dataclass(frozen=True)
class Component:
    id: int
    across: int  # blocks of each unit
    down: int
    steps: int  # number of its table


@dataclass
class Header:
    """Size, components, tables and profile of a JPEG; what is not there is empty, ``scan`` None."""

    kind: str = ""
    height: int = 0
    width: int = 0
    components: tuple[Component, ...] = ()
    steps: dict[int, NDArray[np.int32]] = field(default_factory=dict)  # 64 each, row by row
    codes: dict[tuple[int, int], tuple[list[int], list[int]]] = field(default_factory=dict)  # counts, symbols
    chosen: dict[int, tuple[int, int]] = field(default_factory=dict)  # component's id to its tables of codes
    restart: int = 0  # units after which reading starts anew; 0 for never
    icc: bytes = b""
    scan: int | None = None  # where the pixels begin
    ended: int = 0  # where reading ended
    damaged: bool = False

    @property
    def complete(self) -> bool:
        tables = all(c.steps in self.steps for c in self.components)
        codes = all((k, t) in self.codes for pair in self.chosen.values() for k, t in enumerate(pair))
        return bool(self.kind and self.height and self.width and self.components and self.chosen and tables and codes)


def read_header(data: bytes, start: int = 0) -> Header:
    """Walk the segments from a start of image on; one that makes no sense is skipped to the next that does."""
    found, at = Header(), start + 2
    while at + 4 <= len(data):
        found.ended = at
        if data[at] != 0xFF or data[at + 1] not in KNOWN:
            if data[at] == 0xFF and data[at + 1] in (0xFF, 0xD9):
                at += 1
                continue
            found.damaged = True
            following = _next_segment(data, at + 1)
            if following is None:
                return found
            at = following
            continue
        marker, length = data[at + 1], struct.unpack(">H", data[at + 2 : at + 4])[0]
        body = data[at + 4 : at + 2 + length]
        try:
            _read(found, marker, body)
        except (ValueError, IndexError, struct.error):
            found.damaged = True
        at += 2 + length
        if marker == 0xDA:
            found.scan = at
            return found
    return found


def _next_segment(data: bytes, at: int) -> int | None:
    while 0 <= (at := data.find(b"\xff", at)) < len(data) - 4:
        if data[at + 1] in (0xC0, 0xC2, 0xC4, 0xDA, 0xDB, 0xDD):
            after = at + 2 + struct.unpack(">H", data[at + 2 : at + 4])[0]
            if data[at + 1] == 0xDA or data[after : after + 1] == b"\xff":
                return at
        at += 1
    return None


def _read(header: Header, marker: int, body: bytes) -> None:
    if marker == 0xDB:
        while body:
            wide, number = body[0] >> 4, body[0] & 15
            count = 128 if wide else 64
            values = np.frombuffer(body[1 : 1 + count], ">u2" if wide else np.uint8)
            if len(values) != 64 or not values.all() or number > 3:
                raise ValueError("no table of steps")
            table = np.zeros(64, np.int32)
            table[list(ZIGZAG)] = values
            header.steps[number] = table
            body = body[1 + count :]
    elif marker == 0xC4:
        while body:
            counts = list(body[1:17])
            symbols = list(body[17 : 17 + sum(counts)])
            if len(symbols) != sum(counts) or not symbols or body[0] >> 4 > 1:
                raise ValueError("no table of codes")
            header.codes[body[0] >> 4, body[0] & 15] = counts, symbols
            body = body[17 + sum(counts) :]
    elif 0xC0 <= marker <= 0xC3:
        precision, height, width, count = struct.unpack(">BHHB", body[:6])
        components = tuple(
            Component(body[6 + 3 * n], body[7 + 3 * n] >> 4, body[7 + 3 * n] & 15, body[8 + 3 * n])
            for n in range(count)
        )
        if (
            precision != 8
            or count not in (1, 3)
            or not all(1 <= n <= 4 for c in components for n in (c.across, c.down))
        ):
            raise ValueError("no frame")
        header.kind = SIZES.get(marker, "other")
        header.height, header.width, header.components = height, width, components
    elif marker == 0xDD:
        header.restart = struct.unpack(">H", body[:2])[0]
    elif marker == 0xDA:
        header.chosen = {body[1 + 2 * n]: (body[2 + 2 * n] >> 4, body[2 + 2 * n] & 15) for n in range(body[0])}
    elif marker == 0xE2 and body.startswith(b"ICC_PROFILE\0"):
        header.icc += body[14:]


def mended(header: Header, model: Header | None) -> tuple[Header, list[str]]:
    """A header with what it lacks taken from that of a healthy file of the same camera, else from what is usual.

    Raises
    ------
    ValueError
        If the size of the picture is in neither.
    """
    said, out = [], replace(header, steps=dict(header.steps), codes=dict(header.codes))
    if not (out.kind and out.height and out.width and out.components):
        if model is None or not model.complete:
            raise ValueError("its size is lost, and no other file of this camera is beside it")
        out.kind, out.height, out.width, out.components = model.kind, model.height, model.width, model.components
        out.restart = out.restart or model.restart
        said.append("Its size was taken from another file of the folder.")
    usual = usual_header(len(out.components))
    lacking = [c.steps for c in out.components if c.steps not in out.steps]
    if lacking:
        source = model if model is not None and all(n in model.steps for n in lacking) else usual
        out.steps.update({n: source.steps.get(n, usual.steps[0]) for n in lacking})
        said.append(
            "Its brightness steps were taken from another file of the folder."
            if source is model
            else "Its brightness steps are lost: contrast is guessed."
        )
    if not set(out.chosen) >= {c.id for c in out.components}:
        out.chosen = {c.id: (min(n, 1), min(n, 1)) for n, c in enumerate(out.components)}
    for pair in out.chosen.values():
        for kind, number in enumerate(pair):
            if (kind, number) not in out.codes:
                source = model if model is not None and (kind, number) in model.codes else usual
                out.codes[kind, number] = source.codes.get((kind, number), usual.codes[kind, 0])
    return out, said


def usual_header(components: int) -> Header:
    """With the tables that most cameras write (T.81, annex K), as the JPEG library writes them."""
    made = io.BytesIO()
    Image.new("RGB" if components == 3 else "L", (8, 8)).save(made, "JPEG", quality=USUAL_QUALITY, optimize=False)
    return read_header(made.getvalue())
