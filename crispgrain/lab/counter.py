"""The counter of the lab: every file is looked at as it is, with another library than wrote it where there is one."""

from __future__ import annotations

import io
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import tifffile
from PIL import Image, ImageCms

from .spec import Spec

NEAR = 1.0  # mm by which a print may be too large or too small
Image.MAX_IMAGE_PIXELS = None
MODES = {"1": "black and white", "L": "grey", "I;16": "grey", "RGB": "RGB", "RGBA": "transparent", "CMYK": "CMYK"}


@dataclass(frozen=True)
class Handed:
    """What a lab looks at: ``kind`` and ``mode`` as Pillow names them, px, and bits per channel."""

    kind: str
    mode: str
    size: tuple[int, int]  # width, height
    bits: int
    icc: bytes | None
    ppi: float
    nbytes: float


def refused(path: Path, spec: Spec) -> list[str]:
    """Why a file is not taken; nothing if it is."""
    handed = _looked_at(path)
    return ["it cannot be read as a picture"] if handed is None else reasons(handed, spec)


def reasons(handed: Handed, spec: Spec) -> list[str]:
    """Why a file of this kind is not taken; nothing if it is."""
    kind, mode, bits = handed.kind, handed.mode, handed.bits
    megabytes = handed.nbytes / 1e6
    wrong = [
        _unless(kind in spec.formats, f"{kind.upper()} is not taken, only {_list(f.upper() for f in spec.formats)}"),
        _unless(mode in ("RGB", "L", "I;16"), f"the colours are {MODES.get(mode, mode)}; RGB or grey is wanted"),
        _unless(bits in spec.bits, f"{bits} bits per channel are not taken, only {_list(map(str, spec.bits))}"),
        _profile(handed.icc, spec),
        *_size(handed.size, handed.ppi, spec),
        _unless(megabytes <= spec.megabytes, f"{megabytes:.0f} MB are too many; {spec.megabytes:g} MB at most"),
    ]
    return [reason for reason in wrong if reason]


def _looked_at(path: Path) -> Handed | None:
    """What a file is; None if it cannot be read."""
    try:
        with Image.open(path) as picture:
            kind, mode, size = str(picture.format).lower(), picture.mode, picture.size
            icc, dpi = picture.info.get("icc_profile"), picture.info.get("dpi")
            picture.load()  # one that was cut short shows itself
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        seen = _sixteen_bits(path)
        if seen is None:
            return None
        kind, mode, size, icc, dpi = seen
    return Handed(kind, mode, size, _bits(path, kind, mode), icc, float(dpi[0]) if dpi else 0.0, path.stat().st_size)


def _unless(so: bool, words: str) -> str:
    return "" if so else words


def _list(words: Iterable[str]) -> str:
    return " or ".join(words)


def _sixteen_bits(path: Path) -> tuple | None:
    """A TIFF that Pillow does not read: RGB of 16 bits."""
    try:
        with tifffile.TiffFile(path) as tiff:
            page = tiff.pages.first
            per_inch = {2: 1.0, 3: 2.54}.get(int(page.tags.valueof("ResolutionUnit", 2)), 0.0)
            across = page.tags.valueof("XResolution", (0, 1))
            dpi = across[0] / across[1] * per_inch if across[1] else 0.0
            mode = {2: "RGB", 1: "L", 5: "CMYK"}.get(int(page.photometric), "other")
            size = (page.imagewidth, page.imagelength)
            page.asarray()
            return "tiff", mode, size, page.tags.valueof("InterColorProfile", None), (dpi, dpi) if dpi else None
    except (OSError, ValueError, tifffile.TiffFileError, IndexError):
        return None


def _bits(path: Path, kind: str, mode: str) -> int:
    if kind == "tiff":
        with tifffile.TiffFile(path) as tiff:
            bits = tiff.pages.first.bitspersample
            return int(bits if isinstance(bits, int) else bits[0])
    if kind == "png":
        return path.read_bytes()[24]  # ISO/IEC 15948, 11.2.2
    return 8


def _profile(icc: bytes | None, spec: Spec) -> str:
    if not icc:
        return "it has no colour profile"
    try:
        name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(icc))).strip()
    except (ImageCms.PyCMSError, OSError):
        return "its colour profile is damaged"
    return _unless(name in spec.profiles, f"the profile is “{name}”; taken are {_list(spec.profiles)}")


def _size(size: tuple[int, int], ppi: float, spec: Spec) -> list[str]:
    if ppi <= 1:
        return ["it says nothing of its resolution"]
    least, most = spec.ppi
    wrong = [] if least - 0.5 <= ppi <= most + 0.5 else [f"{ppi:.0f} ppi; between {least:g} and {most:g} are taken"]
    short, long = (n / ppi * 25.4 for n in sorted(size))
    papers = ((w + 2 * spec.bleed, h + 2 * spec.bleed) for w, h in (sorted(s) for s in spec.sizes))
    if not any(abs(short - w) <= NEAR and abs(long - h) <= NEAR for w, h in papers):
        bleed = f" with {spec.bleed:g} mm of bleed" if spec.bleed else ""
        wrong.append(f"{short / 10:.1f} × {long / 10:.1f} cm is no size of this lab{bleed}")
    return wrong
