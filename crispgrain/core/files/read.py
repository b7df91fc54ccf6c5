"""Which reader a file needs, judged by its first bytes before its name."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

import numpy as np

from ..errors import ShotError
from . import metadata
from .kinds import RAW_SUFFIXES
from .raster import finished, read_raster, turn_upright
from .raw import read_raw
from .rescue import GONE, rescued
from .source import PICTURE_SUFFIXES, Source


def read_shot(path: Path, rescue: bool = False) -> Source:
    """Read any shot; with ``rescue``, what is left of a damaged one.

    Raises
    ------
    ShotError
        If the file is missing, empty, not readable, not a picture or damaged.
    """
    try:
        with path.open("rb") as file:
            head = file.read(16)
    except FileNotFoundError as error:
        raise ShotError(path, "the file does not exist") from error
    except IsADirectoryError as error:
        raise ShotError(path, "this is a folder, not a picture") from error
    except OSError as error:
        raise ShotError(path, f"the file cannot be opened ({error.strerror})") from error
    if not head:
        raise ShotError(path, "the file is empty")
    kind = _kind(head, path.suffix.lower())
    if rescue:
        return _what_is_left(path, kind == "raw")
    return read_raw(path) if kind == "raw" else read_raster(path, kind)


def _what_is_left(path: Path, raw: bool) -> Source:
    """A shot of a damaged file, which says what it has lost."""
    try:
        found, mosaic = rescued(path, raw)
        if raw and found.share > GONE:
            raise ShotError(path, "nothing is left of its mosaic")
    except ShotError:
        if not raw:
            raise
        found, mosaic = rescued(path)  # perhaps its preview
    facts = metadata.read_facts(path)
    said = f"The file is damaged: {lost_words(found.share)}."
    remarks = (said, *found.said)
    if mosaic is not None:
        facts = replace(mosaic.facts, remarks=(*remarks, *mosaic.facts.remarks))
        return replace(mosaic, path=path, facts=facts, lost=found.lost)
    facts = replace(facts, remarks=(*remarks, *facts.remarks), jpeg_luma=found.steps)
    source = finished(path, turn_upright(found.stored, found.orientation), found.icc, facts)
    return replace(source, lost=np.ascontiguousarray(turn_upright(found.lost, found.orientation)))


def lost_words(share: float) -> str:
    """How much of a picture is lost."""
    if share <= 0:
        return "nothing of the picture is lost"
    return f"{max(100 * share, 0.1):.{0 if share >= 0.1 else 1}f} % of the picture is lost"


def _kind(head: bytes, suffix: str) -> str:
    if head.startswith(b"\xff\xd8"):
        return "jpeg"
    if head.startswith(b"\x89PNG"):
        return "png"
    if suffix in RAW_SUFFIXES:
        return "raw"
    if head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return "tiff"
    return "other"


def find_shots(paths: Iterable[Path], deep: bool = True) -> tuple[list[Path], list[ShotError]]:
    """Files to open from a mixed list of files and folders, and what was wrong with the rest.

    Folders are searched to their full depth, if they are to be, in name order, without hidden
    entries; files named outright are kept whatever their name.
    """
    found: dict[Path, None] = {}
    problems = []
    for path in paths:
        if not path.is_dir():
            found[path] = None
            continue
        inside = [
            p
            for p in sorted(path.rglob("*") if deep else path.iterdir())
            if p.suffix.lower() in RAW_SUFFIXES | PICTURE_SUFFIXES
            and not any(part.startswith(".") for part in p.relative_to(path).parts)
            and p.is_file()
        ]
        if not inside:
            problems.append(ShotError(path, "there are no pictures in this folder"))
        found.update(dict.fromkeys(inside))
    return list(found), problems
