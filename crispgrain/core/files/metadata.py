"""Exif, IPTC and XMP through exiv2: what a shot says of itself, and carrying it over."""

from __future__ import annotations

import contextlib
import tempfile
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import exiv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from crispgrain.geometry import Size

from .source import PICTURE_SUFFIXES, Facts

exiv2.LogMsg.setLevel(exiv2.LogMsg.Level.mute)

# Tags of the first image directory that describe the photograph and not the file's layout.
CARRIED_IMAGE_TAGS = {
    "ImageDescription", "Make", "Model", "DateTime", "Artist", "Copyright", "Rating", "RatingPercent",
    "HostComputer", "XPTitle", "XPComment", "XPAuthor", "XPKeywords", "XPSubject", "DateTimeOriginal",
    "UniqueCameraModel", "CameraSerialNumber", "LensInfo",
}  # fmt: skip
# XMP that describes the photograph. All else is left behind: adjustments that another program would apply once more,
# its history, sizes and thumbnails of the old file. Dublin Core, XMP (ISO 16684-1), IPTC Photo Metadata, Exif in XMP.
CARRIED_XMP_GROUPS = {"dc", "xmpRights", "iptc", "iptcExt", "plus", "exif", "exifEX", "tiff", "xmp"}
# IPTC keeps its older fields in a namespace that holds other things, too.
IPTC_FIELDS = {
    "City", "State", "Country", "Credit", "Source", "Headline", "Instructions", "AuthorsPosition", "CaptionWriter",
    "DateCreated", "TransmissionReference", "Urgency", "Category", "SupplementalCategories",
}  # fmt: skip
LEFT_XMP_TAGS = {
    "ImageWidth", "ImageLength", "BitsPerSample", "Compression", "PhotometricInterpretation", "SamplesPerPixel",
    "PlanarConfiguration", "YCbCrSubSampling", "YCbCrPositioning", "XResolution", "YResolution", "ResolutionUnit",
    "PixelXDimension", "PixelYDimension", "ColorSpace", "NativeDigest", "Thumbnails", "CreatorTool", "Orientation",
}  # fmt: skip
# Parts of the names of tags that say whose camera it was, or where.
PERSONAL = ("Serial", "Owner", "GPS", "Location", "HostComputer", "ImageUniqueID")
LONGEST_IN_XMP = 64  # values of a tag; longer ones are tables for machines
LEFT_PHOTO_TAGS = {"PixelXDimension", "PixelYDimension", "ColorSpace", "MakerNote", "InteroperabilityTag"}


def _open(path: Path) -> exiv2.Image | None:
    try:
        image = exiv2.ImageFactory.open(str(path))
        image.readMetadata()
    except exiv2.Exiv2Error:
        return None
    return image


def read_facts(path: Path) -> Facts:
    """Camera, lens, ISO and time of a file; empty facts where exiv2 reads nothing."""
    image = _open(path)
    if image is None:
        return Facts()
    exif = image.exifData()

    def text(key: str) -> str:
        found = exif.findKey(exiv2.ExifKey(key))
        return found.print().strip("\0 ") if found != exif.end() else ""

    def number(key: str) -> float | None:
        found = exif.findKey(exiv2.ExifKey(key))
        value = found.toFloat() if found != exif.end() and found.count() else 0.0
        return float(value) if np.isfinite(value) and value > 0 else None

    make, model = text("Exif.Image.Make"), text("Exif.Image.Model")
    iso = text("Exif.Photo.ISOSpeedRatings") or text("Exif.Image.ISOSpeedRatings")
    camera = model if model.lower().startswith(make.lower()) else f"{make} {model}".strip()
    all_round = any(
        d.tagName() == "ProjectionType" and d.toString().lower() == "equirectangular" for d in image.xmpData()
    )
    return Facts(
        camera=camera, iso=int(iso) if iso.isdigit() and int(iso) else None, equirectangular=all_round,
        lens=text("Exif.Photo.LensModel"), taken=text("Exif.Photo.DateTimeOriginal") or text("Exif.Image.DateTime"),
        ppi=_ppi(path), maker=make, focal_length=number("Exif.Photo.FocalLength"),
        aperture=number("Exif.Photo.FNumber"),
    )  # fmt: skip


def _ppi(path: Path) -> float | None:
    """Pixels per inch as the file says; None if it does not, or is RAW, whose files say something without meaning."""
    if path.suffix.lower() not in PICTURE_SUFFIXES:
        return None
    try:
        with Image.open(path) as picture:
            across = float(picture.info.get("dpi", (0, 0))[0])
    except (OSError, ValueError, TypeError, Image.DecompressionBombError):
        return None
    return across if across > 1 else None


def noise_profile(path: Path) -> NDArray[np.float64] | None:
    """The DNG NoiseProfile as 3 x 2 (a, b) for red, green, blue; None if absent or malformed."""
    numbers = _numbers(path, "NoiseProfile")
    if len(numbers) == 2:
        numbers *= 3
    return np.array(numbers).reshape(3, 2) if len(numbers) == 6 else None


def masked_areas(path: Path) -> list[int]:
    """The DNG MaskedAreas, in px of the sensor: top, left, bottom and right of each rectangle; none if absent."""
    numbers = _numbers(path, "MaskedAreas")
    return [int(n) for n in numbers] if np.isfinite(numbers).all() else []


def opcodes(path: Path, number: int) -> bytes:
    """The DNG OpcodeList of a number (1 to 3), as it is stored; nothing if absent."""
    image = _open(path)
    for datum in image.exifData() if image is not None else ():
        if datum.tagName() == f"OpcodeList{number}":
            value = datum.value()
            return bytes(value.data()) if isinstance(value, exiv2.DataValue) else b""
    return b""


def _numbers(path: Path, tag: str) -> list[float]:
    """What is in a tag of numbers, wherever in the file it is; nothing if it is not there."""
    image = _open(path)
    for datum in image.exifData() if image is not None else ():
        if datum.tagName() == tag:
            return [datum.toFloat(i) for i in range(datum.count())]
    return []


class Kept(StrEnum):
    """How much of a shot's metadata goes on."""

    ALL = "all"
    REDUCED = "reduced"  # neither where it was, nor whose camera it was
    NONE = "none"


@dataclass(frozen=True)
class Wanted:
    """What a result's metadata are to be: how much is kept of the shot's, and what is said anew.

    ``ppi`` goes into Exif, beside the place that a format may have for it. ``all_round`` says whether the result still
    is what a shot that goes all round was, for tags that say so.
    """

    kept: Kept = Kept.ALL
    copyright: str = ""
    creator: str = ""
    caption: str = ""
    ppi: float | None = None
    all_round: bool = True


def blocks(source: Path, software: str, size: Size, wanted: Wanted) -> tuple[bytes, bytes]:
    """Exif and XMP as a file of ``size`` would have them by :func:`carry_over`, for formats that exiv2 cannot write."""
    with tempfile.TemporaryDirectory() as folder:
        carrier = Path(folder) / "carrier.jpg"
        Image.new("RGB", (8, 8)).save(carrier)
        carry_over(source, carrier, software, size, wanted)
        with Image.open(carrier) as picture:
            return picture.info.get("exif", b""), picture.info.get("xmp", b"")


def blocks_for_large(source: Path, software: str, size: Size, wanted: Wanted) -> tuple[bytes, bytes]:
    """As :func:`blocks`, with what Exif says in XMP, too: for files that are too large to be written twice.

    exiv2 holds a whole TIFF in memory to write into it, and cannot write into a BigTIFF at all. Where a format has no
    place for an Exif block without that, XMP says the same (XMP specification part 2, Exif and TIFF schemas).
    """
    with tempfile.TemporaryDirectory() as folder:
        carrier = Path(folder) / "carrier.jpg"
        Image.new("RGB", (8, 8)).save(carrier)
        carry_over(source, carrier, software, size, wanted)
        image = exiv2.ImageFactory.open(str(carrier))
        image.readMetadata()
        xmp = image.xmpData()
        for datum in image.exifData():
            schema = {"Photo": "exif", "GPSInfo": "exif", "Image": "tiff"}.get(datum.groupName())
            if schema is not None and datum.count() < LONGEST_IN_XMP:
                with contextlib.suppress(exiv2.Exiv2Error):  # a tag that the schema has not
                    xmp[f"Xmp.{schema}.{datum.tagName()}"] = datum.toString()
        image.setXmpData(xmp)
        image.writeMetadata()
        with Image.open(carrier) as picture:
            return picture.info.get("exif", b""), picture.info.get("xmp", b"")


def carry_over(source: Path, target: Path, software: str, size: Size, wanted: Wanted = Wanted()) -> None:
    """Copy the photograph's metadata from one file to another of ``size``, written in place, as far as ``wanted``.

    Orientation is set to upright, since pixels are written upright. What describes the old file's layout, its
    thumbnail, and adjustments that are in the pixels now, are left behind.

    Raises
    ------
    exiv2.Exiv2Error
        If the target cannot be written.
    """
    out = _open(target)
    if out is None:
        raise OSError(f"metadata of {target.name} cannot be written")
    exif, xmp = out.exifData(), out.xmpData()
    given = _open(source) if wanted.kept is not Kept.NONE else None
    reduced = wanted.kept is Kept.REDUCED
    if given is not None:
        for datum in given.exifData():
            group, tag = datum.groupName(), datum.tagName()
            if reduced and (group == "GPSInfo" or any(word in tag for word in PERSONAL)):
                continue
            if (
                (group == "Image" and tag in CARRIED_IMAGE_TAGS)
                or (group == "Photo" and tag not in LEFT_PHOTO_TAGS)
                or group == "GPSInfo"
            ):
                exif.add(exiv2.ExifKey(datum.key()), datum.value())
        if not reduced:
            out.setIptcData(given.iptcData())
        for known in given.xmpData():
            group, tag = known.groupName(), known.tagName().partition("/")[0].partition("[")[0]
            if reduced and (tag in IPTC_FIELDS or tag.startswith("GPS") or any(word in tag for word in PERSONAL)):
                continue
            if tag not in LEFT_XMP_TAGS and (group in CARRIED_XMP_GROUPS or tag in IPTC_FIELDS):
                xmp.add(exiv2.XmpKey(known.key()), known.value())
        if wanted.all_round:
            _carry_panorama(given, xmp, size)
    exif["Exif.Photo.PixelXDimension"] = exiv2.ULongValue(size.width)
    exif["Exif.Photo.PixelYDimension"] = exiv2.ULongValue(size.height)
    exif["Exif.Image.Orientation"] = exiv2.UShortValue(1)
    exif["Exif.Image.Software"] = software
    if wanted.ppi is not None:
        for tag in ("XResolution", "YResolution"):
            exif[f"Exif.Image.{tag}"] = exiv2.URationalValue((round(wanted.ppi * 100), 100))
        exif["Exif.Image.ResolutionUnit"] = exiv2.UShortValue(2)  # inch
    for words, in_exif, in_xmp in (
        (wanted.copyright, "Copyright", "rights"), (wanted.creator, "Artist", "creator"),
        (wanted.caption, "ImageDescription", "description"),
    ):  # fmt: skip
        if words:
            exif[f"Exif.Image.{in_exif}"], xmp[f"Xmp.dc.{in_xmp}"] = words, words
    out.setExifData(exif)
    out.setXmpData(xmp)
    out.writeMetadata()


def _carry_panorama(given: exiv2.Image, xmp: exiv2.XmpData, size: Size) -> None:
    """What says that a picture is a view all round, with its new sizes; nothing if it is not whole any more."""
    found = {d.tagName(): d.toString() for d in given.xmpData() if d.groupName() == "GPano"}
    if "ProjectionType" not in found or size.width != 2 * size.height:
        return
    sizes = {
        "FullPanoWidthPixels": size.width, "FullPanoHeightPixels": size.height, "CroppedAreaLeftPixels": 0,
        "CroppedAreaImageWidthPixels": size.width, "CroppedAreaImageHeightPixels": size.height,
        "CroppedAreaTopPixels": 0,
    }  # fmt: skip
    kept = {k: v for k, v in found.items() if k in ("ProjectionType", "UsePanoramaViewer") or k.startswith("Pose")}
    for tag, value in (kept | {k: str(v) for k, v in sizes.items() if k in found}).items():
        xmp[f"Xmp.GPano.{tag}"] = value
