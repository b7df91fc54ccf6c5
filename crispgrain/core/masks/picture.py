"""Masks as grey pictures: taken in from a file, and written out."""

from __future__ import annotations

import base64
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect

from ..atomic import atomic_write
from ..errors import ShotError
from ..files.raster import read_raster
from ..files.transparency import opacity_of
from ..frame import Frame
from .ground import Ground
from .placing import enlarged, in_frame


@dataclass(frozen=True)
class Picture:
    """A grey picture laid over the source, whatever its size; ``data`` is a PNG of 16 bits in base 64."""

    data: str

    def values(self, frame: Frame, ground: Ground, rect: Rect) -> Array:
        small = ground.remembered(("mask", "picture", self.data), self.pixels)
        return in_frame(lambda part: enlarged(small, ground.size, part), frame, ground.size, rect)

    def pixels(self) -> Array:
        """As it is: h x w, 0 to 1."""
        return np.asarray(opacity_of(imagecodecs.png_decode(base64.b64decode(self.data))))

    def as_json(self) -> dict[str, Any]:
        return {"shape": "picture", "data": self.data}


def from_file(path: Path) -> Picture:
    """A mask from a grey picture, or from the opacity of one that has it.

    Raises
    ------
    ShotError
        If it cannot be read, or shows colours, which say nothing as a mask.
    """
    kind = {".tif": "tiff", ".tiff": "tiff", ".png": "png"}.get(path.suffix.lower(), "other")
    try:
        source = read_raster(path, kind)
    except OSError as error:
        raise ShotError(path, f"the mask cannot be read ({error.strerror})") from error
    if source.opacity is not None:
        grey = opacity_of(source.opacity)
    else:
        values = opacity_of(source.stored)
        if np.abs(values - values[..., :1]).max() > COLOURLESS:
            raise ShotError(path, "a mask is a grey picture; this one has colours")
        grey = values[..., 0]
    return Picture(encoded(grey))


def encoded(values: Array) -> str:
    """A map (h x w, 0 to 1) as the data of a :class:`Picture`."""
    stored = np.rint(values * 65535).astype(np.uint16)
    return base64.b64encode(imagecodecs.png_encode(stored, level=6)).decode("ascii")


COLOURLESS = 0.02  # a JPEG's grey is not quite grey


def write(values: Array, path: Path, bits: int = 8) -> Path:
    """A mask (h x w, 0 to 1) as a grey PNG or TIFF; never over another file.

    Raises
    ------
    ShotError
        If it cannot be written.
    """
    stored = np.rint(values * (2**bits - 1)).astype(np.uint8 if bits == 8 else np.uint16)
    encode = imagecodecs.tiff_encode if path.suffix.lower() in (".tif", ".tiff") else imagecodecs.png_encode
    try:
        return atomic_write(path, lambda unfinished: unfinished.write_bytes(bytes(encode(stored))), False)
    except OSError as error:
        raise ShotError(path, f"the mask could not be written ({error})") from error
