"""The rating of a shot in an XMP file beside it, where other programs look for it."""

from __future__ import annotations

from pathlib import Path

import exiv2

from ..atomic import atomic_write
from ..errors import ShotError

RATING = "Xmp.xmp.Rating"


def xmp_path(shot: Path, folder: Path | None = None) -> Path:
    """Beside the shot, or in a chosen folder; named like the shot with its ending, so that pairs do not share one."""
    return (folder or shot.parent) / f"{shot.name}.xmp"


def write_rating(shot: Path, rating: int, folder: Path | None = None) -> None:
    """Put a rating (-1 to 5) into the XMP file of a shot; all else that it says stays.

    No file is made for a rating of 0.

    Raises
    ------
    ShotError
        If it cannot be written, or is no XMP.
    """
    target = xmp_path(shot, folder)
    if not rating and not target.exists():
        return

    def write(unfinished: Path) -> None:
        if target.exists():
            unfinished.write_bytes(target.read_bytes())
            image = exiv2.ImageFactory.open(str(unfinished))
            image.readMetadata()
        else:
            image = exiv2.ImageFactory.create(exiv2.ImageType.xmp, str(unfinished))
        image.xmpData()[RATING] = str(rating)
        image.writeMetadata()

    try:
        atomic_write(target, write)
    except (OSError, exiv2.Exiv2Error) as error:
        raise ShotError(target, f"the rating could not be written ({error})") from error


def read_rating(shot: Path, folder: Path | None = None) -> int | None:
    """The rating in the XMP file of a shot; None if there is none."""
    path = xmp_path(shot, folder)
    if not path.exists():
        return None
    try:
        image = exiv2.ImageFactory.open(str(path))
        image.readMetadata()
        found = image.xmpData().findKey(exiv2.XmpKey(RATING))
        return int(found.toInt64()) if found != image.xmpData().end() else None
    except (exiv2.Exiv2Error, ValueError):
        return None
