"""Exif, IPTC and XMP through exiv2: what a shot says of itself, and carrying it over."""

from __future__ import annotations

from pathlib import Path

import exiv2
import numpy as np
from numpy.typing import NDArray

from .source import Facts

exiv2.LogMsg.setLevel(exiv2.LogMsg.Level.mute)

# Tags of the first image directory that describe the photograph and not the file's layout.
CARRIED_IMAGE_TAGS = {
    "ImageDescription", "Make", "Model", "DateTime", "Artist", "Copyright", "Rating", "RatingPercent",
    "HostComputer", "XPTitle", "XPComment", "XPAuthor", "XPKeywords", "XPSubject", "DateTimeOriginal",
    "UniqueCameraModel", "CameraSerialNumber", "LensInfo",
}  # fmt: skip
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

    make, model = text("Exif.Image.Make"), text("Exif.Image.Model")
    iso = text("Exif.Photo.ISOSpeedRatings") or text("Exif.Image.ISOSpeedRatings")
    camera = model if model.lower().startswith(make.lower()) else f"{make} {model}".strip()
    all_round = any(
        d.tagName() == "ProjectionType" and d.toString().lower() == "equirectangular" for d in image.xmpData()
    )
    return Facts(
        camera=camera, iso=int(iso) if iso.isdigit() and int(iso) else None, equirectangular=all_round,
        lens=text("Exif.Photo.LensModel"), taken=text("Exif.Photo.DateTimeOriginal") or text("Exif.Image.DateTime"),
    )  # fmt: skip


def noise_profile(path: Path) -> NDArray[np.float64] | None:
    """The DNG NoiseProfile as 3 x 2 (a, b) for red, green, blue; None if absent or malformed."""
    image = _open(path)
    if image is None:
        return None
    for datum in image.exifData():
        if datum.tagName() == "NoiseProfile":
            numbers = [datum.toFloat(i) for i in range(datum.count())]
            if len(numbers) == 2:
                numbers *= 3
            return np.array(numbers).reshape(3, 2) if len(numbers) == 6 else None
    return None


def carry_over(source: Path, target: Path, software: str) -> None:
    """Copy the photograph's metadata from one file to another, written in place.

    Orientation is set to upright, since pixels are written upright; tags that
    describe the old file's layout, and its thumbnail, are left behind.

    Raises
    ------
    exiv2.Exiv2Error
        If the target cannot be written.
    """
    out = _open(target)
    if out is None:
        raise OSError(f"metadata of {target.name} cannot be written")
    exif = out.exifData()
    given = _open(source)
    if given is not None:
        for datum in given.exifData():
            group, tag = datum.groupName(), datum.tagName()
            if (
                (group == "Image" and tag in CARRIED_IMAGE_TAGS)
                or (group == "Photo" and tag not in LEFT_PHOTO_TAGS)
                or group == "GPSInfo"
            ):
                exif.add(exiv2.ExifKey(datum.key()), datum.value())
        out.setIptcData(given.iptcData())
        out.setXmpData(given.xmpData())
    exif["Exif.Image.Orientation"] = exiv2.UShortValue(1)
    exif["Exif.Image.Software"] = software
    xmp = out.xmpData()
    orientation = xmp.findKey(exiv2.XmpKey("Xmp.tiff.Orientation"))
    if orientation != xmp.end():
        orientation.setValue("1")
    out.setExifData(exif)
    out.writeMetadata()
