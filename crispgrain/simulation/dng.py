"""Writing a mosaic as a DNG (Adobe DNG specification 1.4)."""

from __future__ import annotations

import struct
from fractions import Fraction
from pathlib import Path

import exiv2
import numpy as np
import tifffile
from numpy.typing import NDArray

from .camera import PATTERNS, Camera, noise_at
from .in_camera import shading

BYTE, ASCII, SHORT, LONG, RATIONAL, UNDEFINED, SRATIONAL, DOUBLE = 1, 2, 3, 4, 5, 7, 10, 12
CFA = 32803
MAP_POINTS = 33
D65_ILLUMINANT = 21  # Exif LightSource


def _rationals(values: tuple[float, ...] | NDArray) -> tuple[int, ...]:
    fractions = [Fraction(float(v)).limit_denominator(100_000) for v in values]
    return tuple(n for f in fractions for n in (f.numerator, f.denominator))


def _masked(shape: tuple[int, ...], masked: tuple[int, int]) -> list[tuple]:
    """ActiveArea and MaskedAreas of a sensor with so many masked rows above and columns left."""
    (height, width), (above, left) = shape, masked
    areas = ((0, 0, above, width) if above else ()) + ((above, 0, height, left) if left else ())
    if not areas:
        return []
    return [(50829, LONG, 4, (above, left, height, width), True), (50830, LONG, len(areas), areas, True)]


def _gain_maps(shape: tuple[int, ...], camera: Camera) -> list[tuple]:
    """OpcodeList2 with a GainMap for each place of a cell of 2 x 2 (DNG 1.4, chapter 7; numbers from memory)."""
    if camera.shading == 1:
        return []
    height, width = (n - m for n, m in zip(shape, camera.masked, strict=True))
    gains = shading(MAP_POINTS, MAP_POINTS, camera.shading, ends=True).astype(">f4").tobytes()
    apart = 1 / (MAP_POINTS - 1)
    maps = [
        struct.pack(">10I4dI", y, x, height, width, 0, 1, 2, 2, MAP_POINTS, MAP_POINTS, apart, apart, 0, 0, 1) + gains
        for y, x in np.ndindex(2, 2)
    ]
    opcodes = struct.pack(">I", len(maps)) + b"".join(struct.pack(">4I", 9, 0x01030000, 0, len(m)) + m for m in maps)
    return [(51009, UNDEFINED, len(opcodes), opcodes, True)]


def write_dng(
    path: Path, mosaic: NDArray[np.uint16], camera: Camera, iso: int, seconds: Fraction, taken: str,
    description: str = "", profile: bool = True, lens: bytes = b"",
) -> None:  # fmt: skip
    """Write sensor values (H x W, masked pixels included) as a DNG with what a camera says of them.

    That is colour matrix, white balance, noise profile and Exif.

    ``taken`` is an Exif date, ``YYYY:MM:DD HH:MM:SS``. Without the ``profile`` nothing is said of the noise.
    ``lens`` is an OpcodeList3, as it is stored.
    """
    pattern = PATTERNS[camera.pattern]
    a, b = noise_at(iso)
    neutral = 1 / np.array(camera.balance)
    tags = [
        (271, ASCII, 0, camera.make, True), (272, ASCII, 0, camera.model, True), (274, SHORT, 1, 1, True),
        (33421, SHORT, 2, pattern.shape, True), (33422, BYTE, pattern.size, bytes(pattern.ravel().tolist()), True),
        (50706, BYTE, 4, bytes([1, 4, 0, 0]), True), (50707, BYTE, 4, bytes([1, 4, 0, 0]), True),
        (50708, ASCII, 0, f"{camera.make} {camera.model}", True),
        (50713, SHORT, 2, (2, 2), True), (50714, LONG, 4, (camera.black,) * 4, True),
        (50717, LONG, 1, camera.white, True),
        (50721, SRATIONAL, 9, _rationals(camera.colour_matrix), True),
        (50728, RATIONAL, 3, _rationals(neutral), True), (50778, SHORT, 1, D65_ILLUMINANT, True),
        *_masked(mosaic.shape, camera.masked), *_gain_maps(mosaic.shape, camera),
        *([(51022, UNDEFINED, len(lens), lens, True)] if lens else []),
        *([(51041, DOUBLE, 6, (a, b) * 3, True)] if profile else []),
    ]  # fmt: skip
    tifffile.imwrite(
        path, mosaic, photometric=CFA, subfiletype=0, extratags=tags, metadata=None, software="Crisp Grain demo camera",
        description=description or None, rowsperstrip=64,
    )  # fmt: skip
    _write_exif(path, iso, seconds, taken)


def _write_exif(path: Path, iso: int, seconds: Fraction, taken: str) -> None:
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    exif = image.exifData()
    exif["Exif.Photo.ISOSpeedRatings"] = exiv2.UShortValue(min(iso, 65535))
    exif["Exif.Photo.ExposureTime"] = exiv2.URationalValue((seconds.numerator, seconds.denominator))
    exif["Exif.Photo.FNumber"] = exiv2.URationalValue((4, 1))
    exif["Exif.Photo.FocalLength"] = exiv2.URationalValue((50, 1))
    exif["Exif.Photo.DateTimeOriginal"] = taken
    exif["Exif.Image.DateTime"] = taken
    exif["Exif.Image.Artist"] = "I. Marlowe"
    exif["Exif.Image.Copyright"] = "Made up for Crisp Grain; free to use"
    image.writeMetadata()
