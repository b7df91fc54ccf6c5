"""Pages with pictures, crop marks and words as PDF, each picture in its own profile.

Who only lays pages out need not wait for the library that writes them: import this where it is used.

References
----------
ISO 32000-1:2008 (PDF 1.7): 8.9.5 (images), 8.6.5.5 (ICC profiles), 14.11.2 (page boundaries).
"""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pikepdf

from crispgrain.cancel import check

from ..atomic import atomic_write
from ..colour import icc
from ..errors import ShotError
from .layout import Place
from .page import THIN, Page, Picture, cutting_lines
from .typeface import Typeface

POINT = 25.4 / 72  # mm
SPACES = {"RGB": ("/DeviceRGB", 3), "GRAY": ("/DeviceGray", 1), "CMYK": ("/DeviceCMYK", 4)}


def write_pdf(
    path: Path, pages: Sequence[Page], pictures: Sequence[Picture], width: float, height: float, title: str,
    replace: bool = False,
) -> Path:  # fmt: skip
    """Write pages of ``width`` x ``height`` mm.

    Returns
    -------
    Path
        The file, under another name if the wished one was taken.

    Raises
    ------
    ShotError
        If it cannot be written; nothing is left behind.
    Cancelled
        If the work is cancelled meanwhile (:func:`crispgrain.cancel.check`); nothing is left behind.
    """
    document = pikepdf.new()
    images = [_image(document, picture) for picture in pictures]
    font = Typeface("".join(picture.words for picture in pictures))
    embedded = font.embedded(document)
    for page in pages:
        box = [0, 0, width / POINT, height / POINT]
        used = {f"/P{place.index}": images[place.index] for place in page.places}
        content = "\n".join(_drawn(page, pictures, height, font))
        document.pages.append(
            pikepdf.Page(
                pikepdf.Dictionary(
                    Type=pikepdf.Name.Page, MediaBox=box, TrimBox=box,
                    Resources=pikepdf.Dictionary(
                        XObject=pikepdf.Dictionary(used), Font=pikepdf.Dictionary({"/F": embedded})
                    ),
                    Contents=document.make_stream(content.encode("ascii")),
                )
            )
        )  # fmt: skip
    with document.open_metadata() as meta:
        meta["dc:title"] = title

    def save(unfinished: Path) -> None:
        document.save(unfinished)
        check()  # nobody who cancels wants a file

    try:
        return atomic_write(path, save, replace)
    except OSError as error:
        raise ShotError(path, f"the pages could not be written ({error.strerror}); nothing was left behind") from error


def _image(document: pikepdf.Pdf, picture: Picture) -> pikepdf.Object:
    """A picture as an image object in its own profile, nothing lost."""
    check()
    pixels = picture.pixels
    alternate, channels = SPACES[icc.colour_space(picture.profile)]
    profile = document.make_stream(picture.profile, N=channels, Alternate=pikepdf.Name(alternate))
    stored = np.ascontiguousarray(pixels, dtype=pixels.dtype.newbyteorder(">"))
    return document.make_stream(
        zlib.compress(stored.tobytes(), 6), Type=pikepdf.Name.XObject, Subtype=pikepdf.Name.Image,
        Width=pixels.shape[1], Height=pixels.shape[0], BitsPerComponent=8 * pixels.dtype.itemsize,
        ColorSpace=pikepdf.Array([pikepdf.Name.ICCBased, profile]), Filter=pikepdf.Name.FlateDecode,
    )  # fmt: skip


def _drawn(page: Page, pictures: Sequence[Picture], height: float, font: Typeface) -> list[str]:
    """What a page shows, as PDF operators; they count upwards, places downwards."""
    out = []
    for place in page.places:
        left, bottom = place.left / POINT, (height - place.top - place.height) / POINT
        across, along = place.width / POINT, place.height / POINT
        # A quarter turn, clockwise, about the place's corner.
        matrix = (0, -along, across, 0, left, bottom + along) if place.turned else (across, 0, 0, along, left, bottom)
        out.append(f"q {_numbers(*matrix)} cm /P{place.index} Do Q")
        if words := pictures[place.index].words:
            out.append(f"BT /F 7 Tf {_numbers(left, bottom - 9)} Td <{font.shown(words)}> Tj ET")
    if page.marks:
        out.append(f"q {_numbers(THIN / POINT)} w")
        out += [mark for place in page.places for mark in _marks(place, height)]
        out.append("Q")
    return out


def _marks(place: Place, height: float) -> list[str]:
    return [
        f"{_numbers(x1 / POINT, (height - y1) / POINT)} m {_numbers(x2 / POINT, (height - y2) / POINT)} l S"
        for x1, y1, x2, y2 in cutting_lines(place)
    ]


def _numbers(*values: float) -> str:
    return " ".join(f"{v:.4f}".rstrip("0").rstrip(".") for v in values)
