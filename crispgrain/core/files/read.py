"""Which reader a file needs, judged by its first bytes before its name."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from ..errors import ShotError
from .raster import read_raster
from .raw import read_raw
from .source import PICTURE_SUFFIXES, Source

RAW_SUFFIXES = frozenset(
    [
        ".3fr",
        ".arw",
        ".cr2",
        ".cr3",
        ".crw",
        ".dcr",
        ".dng",
        ".erf",
        ".fff",
        ".gpr",
        ".iiq",
        ".kdc",
        ".mos",
        ".mrw",
        ".nef",
        ".nrw",
        ".orf",
        ".pef",
        ".raf",
        ".raw",
        ".rw2",
        ".rwl",
        ".sr2",
        ".srf",
        ".srw",
        ".x3f",
    ]
)


def read_shot(path: Path) -> Source:
    """Read any shot.

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
    return read_raw(path) if kind == "raw" else read_raster(path, kind)


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
