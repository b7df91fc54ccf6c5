"""``crispgrain carve``: pictures out of a card's image or other data, byte for byte."""

from __future__ import annotations

import argparse
import mmap
import sys
from functools import partial
from pathlib import Path

from crispgrain.core.atomic import atomic_write
from crispgrain.core.files.rescue.carve import Piece, carved

SUFFIXES = {"jpeg": ".jpg", "png": ".png"}


def carve_files(options: argparse.Namespace) -> int:
    """Exit code 1 if a file cannot be read or has no picture in it."""
    options.out.mkdir(parents=True, exist_ok=True)
    failed = False
    for path in options.files:
        try:
            found = _one(path, options.out)
        except (OSError, ValueError) as error:
            print(f"{path.name}: {error.strerror if isinstance(error, OSError) else 'it is empty'}", file=sys.stderr)
            found = 0
        if not found:
            failed = True
            print(f"{path.name}: no picture was found in it", file=sys.stderr)
    return int(failed)


def _one(path: Path, folder: Path) -> int:
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
        pieces = carved(data)
        for number, piece in enumerate(pieces, 1):
            name = folder / f"{path.stem}-{number:04d}{SUFFIXES[piece.kind]}"
            written = atomic_write(name, partial(_copy, data, piece), replace=False)
            print(written, "" if piece.whole else "(its end is missing)", sep=" " if not piece.whole else "")
    return len(pieces)


def _copy(data: mmap.mmap, piece: Piece, to: Path) -> None:
    to.write_bytes(data[piece.start : piece.end])
