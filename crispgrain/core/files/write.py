"""Writing results: whole or not at all, never over another file unasked."""

from __future__ import annotations

from dataclasses import replace as evolve
from pathlib import Path

import exiv2
from numpy.typing import NDArray

from crispgrain.geometry import Size

from ..atomic import FolderError, atomic_write
from ..colour.icc import colour_space
from ..errors import ShotError
from . import metadata
from .encoders import ENCODERS, SOFTWARE, OutputFormat, OutputSettings

LARGE = 1_000_000_000  # bytes of a TIFF from which metadata are written with the pixels

__all__ = ["OutputFormat", "OutputSettings", "write_picture"]


def write_picture(
    pixels: NDArray, target: Path, settings: OutputSettings, metadata_from: Path | None = None, replace: bool = False,
    in_place: bool = False,
) -> Path:  # fmt: skip
    """Write stored values (H x W x channels, uint8 or uint16, already in the profile) to a file.

    The file appears under its name complete or not at all. If the name is taken
    and ``replace`` is false, a number is added to it. The file that ``metadata_from`` is never written over, but for
    a working copy of another program, ``in_place``.

    Returns
    -------
    Path
        The name really used.

    Raises
    ------
    ShotError
        If the folder cannot be written to, is full, or the format cannot hold the picture.
    """
    height, width = pixels.shape[:2]
    longest = settings.format.longest
    if longest is not None and max(height, width) > longest:
        holds = f"{settings.format.label} holds at most {longest} pixels a side"
        raise ShotError(target, f"{holds}; this result is {width} x {height}")
    space = colour_space(settings.profile_bytes)
    if space not in settings.format.spaces:
        raise ShotError(target, f"{settings.format.label} cannot hold {space}; TIFF and JPEG can")
    if metadata_from is not None and target.exists() and target.samefile(metadata_from):
        replace = in_place

    def write(unfinished: Path) -> None:
        wanted, size = evolve(settings.metadata, ppi=settings.ppi), Size(height, width)
        blocks = b"", b""
        large = settings.format is OutputFormat.TIFF and pixels.nbytes > LARGE
        inside = large or settings.format.metadata_inside
        if metadata_from is not None and inside:
            made = metadata.blocks_for_large if large else metadata.blocks
            blocks = made(metadata_from, SOFTWARE, size, wanted)
        ENCODERS[settings.format](pixels, unfinished, settings, blocks)
        if metadata_from is not None and not inside:
            metadata.carry_over(metadata_from, unfinished, SOFTWARE, size, wanted)

    try:
        return atomic_write(target, write, replace)
    except FolderError as error:
        raise ShotError(target, f"the folder cannot be written to ({error.strerror})") from error
    except (OSError, exiv2.Exiv2Error) as error:
        cause = getattr(error, "strerror", None) or str(error)
        raise ShotError(target, f"the file could not be written ({cause}); nothing was left behind") from error
