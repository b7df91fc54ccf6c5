"""A shot as read from disk: whole, in its stored form, with what its file says of it."""

from __future__ import annotations

import itertools
from collections.abc import Hashable
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.cells import moved, repeated
from crispgrain.restoration.demosaic import is_bayer

from ..colour import icc as icc_profiles
from ..optics import LensProfile
from .gain_map import GainMap

_serials = itertools.count()


PICTURE_SUFFIXES = frozenset([".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".heic", ".heif", ".avif"])


@dataclass(frozen=True)
class Facts:
    """What the file says: camera, lens, sensitivity, when it was taken, and remarks worth showing.

    ``taken`` is as Exif has it, ``2026:03:14 16:05:08``, so that it sorts; empty if unknown.
    ``jpeg_luma`` is the quantisation table of a JPEG's luma, 64 steps row by row;
    ``maker`` is the camera's; ``focal_length`` is in mm, ``aperture`` an f-number.
    ``equirectangular`` says that the file is tagged as a view all round (XMP, GPano:ProjectionType).
    """

    camera: str = ""
    iso: int | None = None
    jpeg_luma: tuple[int, ...] | None = None
    remarks: tuple[str, ...] = ()
    equirectangular: bool = False
    lens: str = ""
    taken: str = ""
    ppi: float | None = None
    maker: str = ""
    focal_length: float | None = None
    aperture: float | None = None


@dataclass(frozen=True, eq=False)
class RawSource:
    """A sensor's mosaic with its camera's constants.

    Attributes
    ----------
    mosaic : uint16, H x W (float32 of a reduced shot)
        Sensor values, upright; height and width are even.
    pattern : int, 2 x 2, or as many as repeat
        Colour of each place in a cell: 0 red, 1 green, 2 blue.
    black : float, as many
        Black level at each place in a cell, in sensor units.
    white : float
        Sensor value of saturation.
    white_balance : float, 3
        Gains for red, green, blue as shot; green is 1.
    camera_to_working : 3 x 3
        White-balanced camera RGB to the working space.
    noise_profile : 3 x 2 or None
        The file's (a, b) for red, green, blue: variance = a x signal + b with
        signal 0..1 between black and white (DNG 1.4, NoiseProfile).
    daylight : float, 3, or None
        Gains that would make D65 neutral, as the camera's colour matrix has it; None where it has none.
    lost : bool, H x W, or None
        What a damaged file had lost, and what stands there was put there to be shown.
    defects : int32, ascending, or None
        Hot and dead pixels known from several shots of the camera: row x width + column.
    shading : GainMap or None
        What the file asks to be multiplied with, to undo what lens and sensor took of the light. The mosaic is
        before it, and so is its noise.
    lens : LensProfile or None
        What the file says its lens did.
    """

    path: Path
    mosaic: NDArray
    pattern: NDArray[np.int8]
    black: NDArray[np.float32]
    white: float
    white_balance: NDArray[np.float32]
    camera_to_working: NDArray[np.float32]
    noise_profile: NDArray[np.float64] | None = None
    facts: Facts = field(default_factory=Facts)
    serial: Hashable = field(default_factory=lambda: next(_serials))  # tells one reading of a file from the next
    daylight: NDArray[np.float32] | None = None
    lost: NDArray[np.bool_] | None = None
    defects: NDArray[np.int32] | None = None
    shading: GainMap | None = None
    lens: LensProfile | None = None
    is_raw = True
    wraps = False

    @property
    def size(self) -> Size:
        return Size(*self.mosaic.shape)

    def region(self, rect: Rect) -> Array:
        """Linear sensor values (h x w), 0 at black and 1 at white."""
        black = repeated(moved(self.black, rect.top, rect.left), rect.height, rect.width)
        scale = 1 / (np.float32(self.white) - black)
        return (self.mosaic[rect.slices] - black) * scale

    @property
    def bayer(self) -> bool:
        return is_bayer(self.pattern)

    @property
    def block(self) -> int:
        """Edge of the least blocks side by side that have every colour, px."""
        return 2 if self.bayer else len(self.pattern) // 2

    def pattern_from(self, rect: Rect) -> NDArray[np.int8]:
        """The cell that a rectangle begins with."""
        return moved(self.pattern, rect.top, rect.left)

    def part(self, rect: Rect, serial: Hashable = None) -> RawSource:
        """A rectangle as a shot of its own, under its own serial; nothing in it is lost or known to be defect."""
        pattern, black = (moved(cell, rect.top, rect.left) for cell in (self.pattern, self.black))
        mosaic = np.ascontiguousarray(self.mosaic[rect.slices])
        shading = self.shading.moved(rect.top, rect.left) if self.shading is not None else None
        return replace(
            self, mosaic=mosaic, pattern=pattern, black=black, lost=None, defects=None, shading=shading,
            serial=serial or self.serial,
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class PictureSource:
    """A finished picture in its stored values.

    Attributes
    ----------
    stored : uint8, uint16 or float32, H x W x 3
        Upright RGB values, encoded as ``icc`` says.
    icc : bytes
        The profile of ``stored``.
    grey : bool
        The file had one channel.
    opacity : H x W or None
        As it is stored, where not all is opaque.
    lost : bool, H x W, or None
    lens : LensProfile or None
        As of a RAW.
    """

    path: Path
    stored: NDArray
    icc: bytes
    grey: bool = False
    facts: Facts = field(default_factory=Facts)
    serial: Hashable = field(default_factory=lambda: next(_serials))
    opacity: NDArray | None = None
    lost: NDArray[np.bool_] | None = None
    lens: LensProfile | None = None
    is_raw = False

    @property
    def size(self) -> Size:
        return Size(*self.stored.shape[:2])

    @property
    def wraps(self) -> bool:
        """Whether the left and right edges meet: a view all round, tagged as such or twice as wide as high."""
        return self.facts.equirectangular or self.size.width == 2 * self.size.height

    def region(self, rect: Rect) -> Array:
        """Working-space pixels (h x w x 3) of a rectangle; what is no number in a file of floats is black."""
        stored = self.stored[rect.slices]
        if stored.dtype.kind == "f":
            stored = np.nan_to_num(stored, nan=0.0, posinf=1.0, neginf=0.0)
        return icc_profiles.to_working(stored, self.icc)


Source = RawSource | PictureSource
