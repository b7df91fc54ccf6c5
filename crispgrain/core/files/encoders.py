"""Each file format: stored values (H x W x channels, uint8 or uint16) to a file with profile and resolution."""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from ... import __version__
from ..colour import icc
from ..colour.icc import Intent
from .linear_dng import CameraColours, write_linear_dng
from .metadata import Wanted

SOFTWARE = f"Crisp Grain {__version__}"
Blocks = tuple[bytes, bytes]  # Exif and XMP, for formats that take them with the pixels
LEAST_QUALITY = 30  # of a picture that has to fit into so many kB
BIG = 50_000_000  # values from which squeezing out the last bytes takes too long


class OutputFormat(StrEnum):
    """File formats results are written in."""

    TIFF = "tiff"
    PNG = "png"
    JPEG = "jpeg"
    WEBP = "webp"
    JXL = "jxl"
    AVIF = "avif"
    DNG = "dng"

    @property
    def label(self) -> str:
        return {"jxl": "JPEG XL (sRGB)", "webp": "WebP", "dng": "DNG, linear"}.get(self.value, self.value.upper())

    @property
    def suffix(self) -> str:
        return {"tiff": ".tif", "jpeg": ".jpg"}.get(self.value, f".{self.value}")

    @property
    def only_8_bits(self) -> bool:
        return self in (OutputFormat.JPEG, OutputFormat.WEBP, OutputFormat.AVIF)

    @property
    def has_quality(self) -> bool:
        """Whether something is lost, the less the higher the quality."""
        return self not in (OutputFormat.TIFF, OutputFormat.PNG, OutputFormat.DNG)

    @property
    def only_16_bits(self) -> bool:
        return self is OutputFormat.DNG

    @property
    def has_profiles(self) -> bool:
        """Whether its colour space can be chosen: JPEG XL is sRGB, a linear DNG its camera's."""
        return self not in (OutputFormat.JXL, OutputFormat.DNG)

    @property
    def has_opacity(self) -> bool:
        """Whether parts of a picture can be transparent."""
        return self not in (OutputFormat.JPEG, OutputFormat.DNG)

    @property
    def metadata_inside(self) -> bool:
        """Whether metadata have to be given to the encoder, for exiv2 cannot write them afterwards."""
        return self in (OutputFormat.JXL, OutputFormat.AVIF)

    @property
    def spaces(self) -> tuple[str, ...]:
        """Colour spaces of profiles that it can hold, as they call themselves."""
        return {"tiff": ("RGB", "GRAY", "CMYK"), "jpeg": ("RGB", "GRAY", "CMYK"), "png": ("RGB", "GRAY")}.get(
            self.value, ("RGB",)
        )

    @property
    def longest(self) -> int | None:
        """Most pixels a side: libjpeg's JPEG_MAX_DIMENSION; WebP container specification; AVIF level 6 of AV1."""
        return {"jpeg": 65500, "webp": 16383, "avif": 65536}.get(self.value)


@dataclass(frozen=True)
class OutputSettings:
    """How a result becomes a file.

    ``intent`` and ``black_point`` say how colours come into the profile (see :func:`..colour.icc.from_working`).
    ``limit`` is the most kB it may have, 0 for any number: quality is lowered until it fits.
    """

    format: OutputFormat = OutputFormat.TIFF
    bits: int = 16
    profile: str = "srgb"
    ppi: float = 300.0
    quality: int = 95
    icc: bytes | None = None  # a profile other than those by name
    compression: str = "none"  # of a TIFF
    limit: int = 0
    progressive: bool = False
    subsampling: str = "4:4:4"
    intent: Intent = Intent.RELATIVE
    black_point: bool = True
    metadata: Wanted = field(default_factory=Wanted)
    dithered: bool = False  # 8 bits
    camera: CameraColours | None = None  # of a linear DNG

    @property
    def profile_bytes(self) -> bytes:
        """The ICC profile of the file; JPEG XL is always written as sRGB, for the encoder embeds no other."""
        if self.camera is not None:
            return self.camera.profile
        if self.format is OutputFormat.JXL:
            return icc.profile("srgb")
        return self.icc if self.icc is not None else icc.profile(self.profile)

    @property
    def stored_bits(self) -> int:
        """Bits per channel in the file; some formats have 8 whatever is asked."""
        return 8 if self.format.only_8_bits else 16 if self.format.only_16_bits else self.bits


def _flat(pixels: NDArray) -> NDArray:
    """Grey values as H x W."""
    return pixels if pixels.shape[2] > 1 else pixels[..., 0]


def _tiff(pixels: NDArray, path: Path, settings: OutputSettings, blocks: Blocks) -> None:
    colours = icc.channels(settings.profile_bytes)
    photometric = {1: "minisblack", 3: "rgb", 4: "separated"}[colours]
    exif, xmp = blocks
    words = Image.Exif()
    words.load(exif)
    # TIFF 6.0, section 8, and XMP specification part 3: description, maker, model, date, artist, copyright; XMP itself.
    tags: list[tuple[int, int, int, str | bytes, bool]]
    tags = [(tag, 2, 0, str(words[tag]), True) for tag in (271, 272, 306, 315, 33432) if tag in words]
    tags += [(700, 1, len(xmp), xmp, True)] if xmp else []
    compression = {"none": None, "lzw": "lzw", "zip": "zlib"}[settings.compression]
    tifffile.imwrite(
        path, _flat(pixels), photometric=photometric, resolution=(settings.ppi, settings.ppi), resolutionunit="INCH",
        iccprofile=settings.profile_bytes, metadata=None, software=SOFTWARE, rowsperstrip=64,
        bigtiff=pixels.nbytes > 4_000_000_000, compression=compression, predictor=compression is not None,
        extratags=tags, extrasamples=["unassalpha"] * (pixels.shape[2] - colours),
        description=str(words[270]) if 270 in words else None,
    )  # fmt: skip


def _png(pixels: NDArray, path: Path, settings: OutputSettings, blocks: Blocks) -> None:
    data = bytes(imagecodecs.png_encode(np.ascontiguousarray(_flat(pixels)), level=4))
    per_metre = round(settings.ppi / 0.0254)
    extra = _png_chunk(b"iCCP", settings.profile.encode() + b"\0\0" + zlib.compress(settings.profile_bytes))
    extra += _png_chunk(b"pHYs", struct.pack(">IIB", per_metre, per_metre, 1))
    after_header = 8 + 25  # signature, then IHDR: both chunks must come before the pixels
    path.write_bytes(data[:after_header] + extra + data[after_header:])


def _png_chunk(name: bytes, data: bytes) -> bytes:
    """A PNG chunk (ISO/IEC 15948, 5.3)."""
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))


def _jpeg(pixels: NDArray, settings: OutputSettings, quality: int, blocks: Blocks) -> bytes:
    return _by_pillow(
        "JPEG", pixels, settings, quality=quality, subsampling=settings.subsampling, progressive=settings.progressive,
        optimize=pixels.size < BIG, dpi=(round(settings.ppi), round(settings.ppi)),
    )  # fmt: skip


def _webp(pixels: NDArray, settings: OutputSettings, quality: int, blocks: Blocks) -> bytes:
    return _by_pillow("WEBP", pixels, settings, quality=quality)


def _avif(pixels: NDArray, settings: OutputSettings, quality: int, blocks: Blocks) -> bytes:
    exif, xmp = blocks
    return _by_pillow("AVIF", pixels, settings, quality=quality, subsampling=settings.subsampling, exif=exif, xmp=xmp)


def _by_pillow(name: str, pixels: NDArray, settings: OutputSettings, **options: Any) -> bytes:
    out = io.BytesIO()
    mode = "CMYK" if icc.channels(settings.profile_bytes) == 4 else None
    picture = Image.fromarray(np.asarray(_flat(pixels)), mode)
    picture.save(out, name, icc_profile=settings.profile_bytes, **options)
    return out.getvalue()


def _jxl(pixels: NDArray, settings: OutputSettings, quality: int, blocks: Blocks) -> bytes:
    """Distance from quality as libjxl's own command line has it: 0.1 at 99, 1 at 90 (from memory)."""
    distance = 0.1 + (99 - quality) * 0.1 if quality < 100 else 0.0
    data = imagecodecs.jpegxl_encode(
        np.ascontiguousarray(pixels), distance=distance, lossless=quality == 100, usecontainer=True
    )
    exif, xmp = blocks
    # ISO/IEC 18181-2, clause 9: boxes after the codestream; Exif begins with the offset of its header.
    data = bytes(data) + _box(b"Exif", b"\0\0\0\0" + exif.removeprefix(b"Exif\0\0")) if exif else bytes(data)
    return data + (_box(b"xml ", xmp) if xmp else b"")


def _box(name: bytes, data: bytes) -> bytes:
    """A box of the ISO base media file format (ISO/IEC 14496-12, 4.2)."""
    return struct.pack(">I", 8 + len(data)) + name + data


LOSSY: Mapping[OutputFormat, Callable[[NDArray, OutputSettings, int, Blocks], bytes]] = {
    OutputFormat.JPEG: _jpeg, OutputFormat.WEBP: _webp, OutputFormat.AVIF: _avif, OutputFormat.JXL: _jxl
}  # fmt: skip


def _lossy(pixels: NDArray, path: Path, settings: OutputSettings, blocks: Blocks) -> None:
    """With the quality that is asked for, or the highest below with which it is small enough."""
    encode, most = LOSSY[settings.format], settings.limit * 1000
    data = encode(pixels, settings, settings.quality, blocks)
    if most and len(data) > most:
        low, high, data = LEAST_QUALITY - 1, settings.quality, b""
        while high - low > 1:
            middle = (low + high) // 2
            tried = encode(pixels, settings, middle, blocks)
            if len(tried) <= most:
                low, data = middle, tried
            else:
                high = middle
        if not data:
            raise OSError(f"it cannot be made as small as {settings.limit} kB")
    path.write_bytes(data)


def _dng(pixels: NDArray, path: Path, settings: OutputSettings, blocks: Blocks) -> None:
    if settings.camera is None:
        raise OSError("a linear DNG is made of RAW only")
    write_linear_dng(pixels, path, settings.camera, SOFTWARE, settings.ppi)


ENCODERS: dict[OutputFormat, Callable[[NDArray, Path, OutputSettings, Blocks], None]] = {
    OutputFormat.TIFF: _tiff, OutputFormat.PNG: _png, OutputFormat.DNG: _dng, **dict.fromkeys(LOSSY, _lossy)
}  # fmt: skip
