"""Linear DNG: a demosaiced RAW, still linear and in its camera's own colours, so that its light can be chosen anew.

References
----------
Adobe, "Digital Negative Specification", 1.4: LinearRaw (chapter 2), camera colours (chapter 6), NoiseProfile.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray

from ..colour import icc
from ..colour.spaces import WORKING, to_xyz
from .source import RawSource

BYTE, ASCII, SHORT, LONG, RATIONAL, SRATIONAL, DOUBLE = 1, 2, 3, 4, 5, 10, 12
LINEAR_RAW = 34892
D65_ILLUMINANT = 21  # Exif LightSource
PREVIEW = 1024  # px


@dataclass(frozen=True)
class CameraColours:
    """What a linear DNG says of its pixels.

    ``to_working`` takes the camera's own linear RGB to the working space; ``neutral`` is its answer to white;
    ``stops`` is the exposure to be seen with; ``noise`` is (a, b) of each channel's variance as far as it is left.
    """

    name: str
    to_working: NDArray[np.float64]
    neutral: NDArray[np.float64]
    stops: float = 0.0
    noise: NDArray[np.float64] | None = None

    @classmethod
    def of(cls, source: RawSource, stops: float = 0.0, noise: NDArray[np.float64] | None = None) -> CameraColours:
        """Those of a RAW file's camera under the light it was taken in."""
        gains = np.asarray(source.white_balance, np.float64)
        to_working = np.asarray(source.camera_to_working, np.float64) * gains
        return cls(source.facts.camera or "camera", to_working, 1 / gains, stops, noise)

    @property
    def profile(self) -> bytes:
        """Its RGB as an ICC profile: linear, with the camera's colours for primaries."""
        return icc.build_from_matrix("Camera RGB, linear", to_xyz(WORKING) @ self.to_working, WORKING.white)

    @property
    def xyz_to_camera(self) -> NDArray[np.float64]:
        """ColorMatrix1; the light of the shot counts as D65, so readers see just what was seen here."""
        return np.asarray(np.linalg.inv(to_xyz(WORKING) @ self.to_working), np.float64)


def write_linear_dng(pixels: NDArray[np.uint16], path: Path, camera: CameraColours, software: str, ppi: float) -> None:
    """Write camera RGB (uint16, H x W x 3; 0 black, 65535 saturation) with a preview.

    Raises
    ------
    OSError
        If it cannot be written.
    """
    tags = [
        (274, SHORT, 1, 1, True), (272, ASCII, 0, camera.name, True),
        (50706, BYTE, 4, bytes([1, 4, 0, 0]), True), (50707, BYTE, 4, bytes([1, 3, 0, 0]), True),
        (50708, ASCII, 0, camera.name, True), (50721, SRATIONAL, 9, _rationals(camera.xyz_to_camera.ravel()), True),
        (50728, RATIONAL, 3, _rationals(camera.neutral), True), (50778, SHORT, 1, D65_ILLUMINANT, True),
        (50730, SRATIONAL, 1, _rationals([camera.stops]), True),
    ]  # fmt: skip
    own: list[tuple[int, int, int, tuple[float, ...], bool]] = [
        (50714, SHORT, 3, (0, 0, 0), True), (50717, LONG, 3, (65535, 65535, 65535), True),
    ]  # fmt: skip
    if camera.noise is not None:
        own.append((51041, DOUBLE, 6, tuple(float(v) for v in camera.noise.ravel()), True))
    with tifffile.TiffWriter(path, bigtiff=False) as file:
        file.write(
            _preview(pixels, camera), photometric="rgb", subfiletype=1, subifds=1, extratags=tags, metadata=None,
            software=software, compression="jpeg", compressionargs={"level": 90},
        )  # fmt: skip
        file.write(
            pixels, photometric=LINEAR_RAW, subfiletype=0, extratags=own, metadata=None, rowsperstrip=64,
            resolution=(ppi, ppi), resolutionunit="INCH",
        )  # fmt: skip


def _preview(pixels: NDArray[np.uint16], camera: CameraColours) -> NDArray[np.uint8]:
    scale = min(1.0, PREVIEW / max(pixels.shape[:2]))
    size = tuple(max(1, round(n * scale)) for n in pixels.shape[1::-1])
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    working = icc.to_working(small, camera.profile) * np.float32(2**camera.stops)
    return icc.from_working(working, icc.profile("srgb"), 8)


def _rationals(values: NDArray | list[float]) -> tuple[int, ...]:
    fractions = [Fraction(float(v)).limit_denominator(1_000_000) for v in values]
    return tuple(n for f in fractions for n in (f.numerator, f.denominator))
