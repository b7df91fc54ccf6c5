"""Writing results: TIFF, PNG, JPEG, whole or not at all, never over another file unasked."""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import cv2
import exiv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from crispgrain.geometry import Size

from ... import __version__
from ..atomic import FolderError, atomic_write
from ..colour import icc
from ..errors import ShotError
from . import metadata

SOFTWARE = f"Crisp Grain {__version__}"
JPEG_LIMIT = 65500  # libjpeg's JPEG_MAX_DIMENSION


class OutputFormat(StrEnum):
    """File formats results are written in."""

    TIFF = "tiff"
    PNG = "png"
    JPEG = "jpeg"

    @property
    def suffix(self) -> str:
        return {"tiff": ".tif", "png": ".png", "jpeg": ".jpg"}[self.value]


@dataclass(frozen=True)
class OutputSettings:
    """How a result becomes a file."""

    format: OutputFormat = OutputFormat.TIFF
    bits: int = 16
    profile: str = "srgb"
    ppi: float = 300.0
    quality: int = 95
    icc: bytes | None = None  # a profile other than those by name

    @property
    def profile_bytes(self) -> bytes:
        """The ICC profile of the file."""
        return self.icc if self.icc is not None else icc.profile(self.profile)

    @property
    def stored_bits(self) -> int:
        """Bits per channel in the file; JPEG has 8 whatever is asked."""
        return 8 if self.format is OutputFormat.JPEG else self.bits


def write_picture(
    pixels: NDArray, target: Path, settings: OutputSettings, metadata_from: Path | None = None, replace: bool = False,
    in_place: bool = False,
) -> Path:  # fmt: skip
    """Write stored values (H x W x 3, uint8 or uint16, already in the profile) to a file.

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
    if settings.format is OutputFormat.JPEG and max(height, width) > JPEG_LIMIT:
        raise ShotError(target, f"JPEG holds at most {JPEG_LIMIT} pixels a side; this result is {width} x {height}")
    if metadata_from is not None and target.exists() and target.samefile(metadata_from):
        replace = in_place

    def write(unfinished: Path) -> None:
        ENCODERS[settings.format](pixels, unfinished, settings)
        if metadata_from is not None:
            metadata.carry_over(metadata_from, unfinished, SOFTWARE, Size(height, width))

    try:
        return atomic_write(target, write, replace)
    except FolderError as error:
        raise ShotError(target, f"the folder cannot be written to ({error.strerror})") from error
    except (OSError, exiv2.Exiv2Error) as error:
        cause = getattr(error, "strerror", None) or str(error)
        raise ShotError(target, f"the file could not be written ({cause}); nothing was left behind") from error


def _write_tiff(pixels: NDArray, path: Path, settings: OutputSettings) -> None:
    tifffile.imwrite(
        path, pixels, photometric="rgb", resolution=(settings.ppi, settings.ppi), resolutionunit="INCH",
        iccprofile=settings.profile_bytes, metadata=None, software=SOFTWARE, rowsperstrip=64,
        bigtiff=pixels.nbytes > 4_000_000_000,
    )  # fmt: skip


def _write_jpeg(pixels: NDArray, path: Path, settings: OutputSettings) -> None:
    Image.fromarray(np.asarray(pixels)).save(
        path, "JPEG", quality=settings.quality, subsampling=0, optimize=pixels.size < 50_000_000,
        icc_profile=settings.profile_bytes, dpi=(round(settings.ppi), round(settings.ppi)),
    )  # fmt: skip


def _write_png(pixels: NDArray, path: Path, settings: OutputSettings) -> None:
    done, encoded = cv2.imencode(".png", pixels[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 4])
    if not done:
        raise OSError("PNG encoding failed")
    data = encoded.tobytes()
    per_metre = round(settings.ppi / 0.0254)
    extra = _png_chunk(b"iCCP", settings.profile.encode() + b"\0\0" + zlib.compress(settings.profile_bytes))
    extra += _png_chunk(b"pHYs", struct.pack(">IIB", per_metre, per_metre, 1))
    after_header = 8 + 25  # signature, then IHDR: both chunks must come before the pixels
    path.write_bytes(data[:after_header] + extra + data[after_header:])


def _png_chunk(name: bytes, data: bytes) -> bytes:
    """A PNG chunk (ISO/IEC 15948, 5.3)."""
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))


ENCODERS = {OutputFormat.TIFF: _write_tiff, OutputFormat.PNG: _write_png, OutputFormat.JPEG: _write_jpeg}
