"""Finished pictures: JPEG, PNG, TIFF, WebP, HEIC, in their stored values with their profile."""

from __future__ import annotations

import io
from dataclasses import replace
from functools import partial
from itertools import islice
from pathlib import Path

import cv2
import numpy as np
import pillow_heif
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageOps, JpegImagePlugin, UnidentifiedImageError

from ..colour import icc
from ..colour.spaces import lab_to_working
from ..errors import ShotError
from . import metadata
from .source import Facts, PictureSource
from .transparency import parted
from .trouble import LOOKED_AT, check_size, cut_short, decoding_words, missing_rows, missing_strips

pillow_heif.register_heif_opener()
Image.MAX_IMAGE_PIXELS = None  # size is bounded by memory, which is looked at before anything is decoded

# Kinds of pictures that Pillow decodes by itself; others (drawings, weather maps) are none.
KINDS = ("JPEG", "PNG", "WEBP", "HEIF", "AVIF", "TIFF", "JPEG2000", "BMP", "GIF", "PPM", "TGA")


def read_raster(path: Path, kind: str) -> PictureSource:
    """Read a finished picture; ``kind`` is ``jpeg``, ``png``, ``tiff`` or anything Pillow opens.

    Raises
    ------
    ShotError
        If the data is not a picture, is too large for the memory there is, is damaged or is cut short.
    """
    facts = metadata.read_facts(path)
    data = b"" if kind == "tiff" else path.read_bytes()
    try:
        return _read_tiff(path, facts) if kind == "tiff" else _read_pillow(path, data, facts, kind)
    except ShotError:
        raise
    except UnidentifiedImageError as error:
        raise ShotError(path, "this is not a picture in a format that can be read") from error
    except MemoryError as error:
        raise ShotError(path, "the picture does not fit into memory") from error
    except Exception as error:  # decoders fail in ways of their own, and what they say helps nobody
        find = partial(missing_strips, path) if kind == "tiff" else partial(missing_rows, data)
        raise ShotError(path, decoding_words(error, find)) from error


def _read_pillow(path: Path, data: bytes, facts: Facts, kind: str) -> PictureSource:
    picture: Image.Image
    # Phones put a second picture (depth, brighter light) behind a JPEG; the first is the photograph.
    opened = (
        JpegImagePlugin.JpegImageFile(io.BytesIO(data)) if kind == "jpeg" else Image.open(io.BytesIO(data), "r", KINDS)
    )
    with opened as picture:
        check_size(path, picture.height, picture.width)
        profile = picture.info.get("icc_profile") or b""
        orientation = picture.getexif().get(0x0112, 1)
        picture.load()
        tables = getattr(picture, "quantization", None)
        facts = replace(facts, jpeg_luma=tuple(tables[0]) if tables and 0 in tables else None)
        if kind == "png" and data[24] == 16:  # bit depth in the PNG header (ISO/IEC 15948, 11.2.2)
            stored = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
            if stored is None:
                raise ValueError("the pixels cannot be decoded")
            if stored.ndim == 3:
                stored = stored[..., [2, 1, 0, 3][: stored.shape[2]]]
            return finished(path, turn_upright(stored, orientation), profile, facts)
        if picture.mode in ("P", "PA"):
            picture = picture.convert("RGBA" if "transparency" in picture.info else "RGB")
        elif picture.mode in ("YCbCr", "HSV"):
            picture = picture.convert("RGB")
        upright = np.asarray(ImageOps.exif_transpose(picture))
        if picture.mode == "LAB":
            return _lab_picture(path, upright, facts)
        return finished(path, upright, profile, facts, cmyk=picture.mode == "CMYK")


def _read_tiff(path: Path, facts: Facts) -> PictureSource:
    with tifffile.TiffFile(path) as tiff:
        page = tiff.pages.first
        check_size(path, page.imagelength, page.imagewidth)
        # Directories may lead back to each other, so no more are looked at than needed.
        if any(not another.is_reduced for another in islice(tiff.pages, 1, LOOKED_AT)):  # type: ignore[union-attr]
            facts = replace(facts, remarks=(*facts.remarks, "The file holds several pictures: the first is read."))
        if missing := missing_strips(path):
            raise ShotError(path, cut_short(missing))
        stored = page.asarray()
        photometric = tifffile.PHOTOMETRIC(page.photometric)
        profile = page.iccprofile or b""
        orientation = page.tags["Orientation"].value if "Orientation" in page.tags else 1
        if page.planarconfig == tifffile.PLANARCONFIG.SEPARATE and stored.ndim == 3:
            stored = np.moveaxis(stored, 0, -1)
        if photometric == tifffile.PHOTOMETRIC.PALETTE:
            stored = np.moveaxis(np.asarray(page.colormap), 0, -1)[stored.astype(np.uint16)]
        elif photometric == tifffile.PHOTOMETRIC.MINISWHITE:
            top = 1 if stored.dtype.kind in "bf" else np.iinfo(stored.dtype).max
            stored = ~stored if stored.dtype == bool else (top - stored).astype(stored.dtype)
        elif photometric == tifffile.PHOTOMETRIC.CIELAB:
            return _lab_picture(path, turn_upright(stored, orientation), facts)
        elif photometric not in (
            tifffile.PHOTOMETRIC.MINISBLACK, tifffile.PHOTOMETRIC.RGB, tifffile.PHOTOMETRIC.SEPARATED,
            tifffile.PHOTOMETRIC.YCBCR,
        ):  # fmt: skip
            raise ShotError(path, f"TIFF pictures of kind {photometric.name} are not read")
    cmyk = photometric == tifffile.PHOTOMETRIC.SEPARATED
    beside = [tifffile.EXTRASAMPLE(e) for e in page.extrasamples]
    if beside and beside[0] is tifffile.EXTRASAMPLE.UNSPECIFIED:  # of no known meaning (TIFF 6.0, section 18)
        stored = stored[..., : -len(beside)]
    multiplied = tifffile.EXTRASAMPLE.ASSOCALPHA in beside
    return finished(path, turn_upright(stored, orientation), profile, facts, cmyk, multiplied)


def _lab_picture(path: Path, stored: NDArray, facts: Facts) -> PictureSource:
    """L*a*b* of 8 or 16 bits as TIFF 6.0, section 23, stores it: lightness in all steps, a* and b* signed."""
    bits = 8 * stored.dtype.itemsize
    lightness = stored[..., :1].astype(f"u{bits // 8}").astype(np.float32) * np.float32(100 / (2**bits - 1))
    colour = stored[..., 1:3].astype(f"i{bits // 8}").astype(np.float32) / np.float32(2 ** (bits - 8))
    linear = lab_to_working(np.concatenate([lightness, colour], axis=-1))
    return PictureSource(path, linear, icc.working_profile(), facts=facts)


def turn_upright(pixels: NDArray, orientation: int) -> NDArray:
    """Apply an Exif orientation (1 to 8; CIPA DC-008, Orientation) to rows and columns."""
    if orientation in (5, 6, 7, 8):
        pixels = np.swapaxes(pixels, 0, 1)
    if orientation in (2, 3, 6, 7):
        pixels = pixels[:, ::-1]
    if orientation in (3, 4, 7, 8):
        pixels = pixels[::-1]
    return pixels


def finished(
    path: Path, stored: NDArray, profile: bytes, facts: Facts, cmyk: bool = False, multiplied: bool = False
) -> PictureSource:
    """Bring any channel layout to three channels that ``profile`` describes.

    A channel more is opacity; ``multiplied`` says that the colours were multiplied by it.
    """
    remarks = list(facts.remarks)
    stored, said = _usual_numbers(stored)
    remarks += said
    space = icc.colour_space(profile)
    if profile and space not in ("RGB", "GRAY", "CMYK"):
        remarks.append("The embedded colour profile cannot be used and is left out.")
        profile, space = b"", ""
    colours, opacity = 4 if cmyk else 1 if stored.ndim == 2 or stored.shape[2] <= 2 else 3, None
    if stored.ndim == 3 and stored.shape[2] > colours:
        stored, opacity = parted(stored[..., : colours + 1], multiplied)
    grey = colours == 1
    if grey:
        stored = stored.reshape(stored.shape[:2])
        if space == "GRAY" and stored.dtype != np.float32:
            stored = icc.other_to_rgb16(stored, profile, "gray", icc.profile("srgb"))
        else:
            stored = np.repeat(stored[..., None], 3, axis=2)
        profile = b""
    elif cmyk:
        if space == "CMYK":
            stored = icc.other_to_rgb16(stored[..., :4], profile, "cmyk", icc.profile("adobe-rgb"))
            profile = icc.profile("adobe-rgb")
        else:
            ink = 1 - stored[..., :4].astype(np.float32) / np.iinfo(stored.dtype).max
            stored = icc.quantise(ink[..., :3] * ink[..., 3:], "uint16")
            profile = b""
            remarks.append("CMYK without a profile: colours are approximate.")
    else:
        if space != "RGB":
            profile = b""
    if not profile:
        linear = stored.dtype == np.float32
        profile = icc.linear_srgb_profile() if linear else icc.profile("srgb")
    facts = replace(facts, remarks=tuple(remarks))
    return PictureSource(path, np.ascontiguousarray(stored), profile, grey, facts, opacity=opacity)


def _usual_numbers(stored: NDArray) -> tuple[NDArray, list[str]]:
    """Values of any type as 8 or 16 bits or floats of 32, and what had to be assumed."""
    if stored.ndim > 3:
        stored = stored.reshape(*stored.shape[-3:])
    if stored.dtype == bool:
        return stored.astype(np.uint8) * np.uint8(255), []
    if stored.dtype.kind == "f":
        stored, said = stored.astype(np.float32), []
        if not np.isfinite(stored).all():
            stored = np.nan_to_num(stored, nan=0.0, posinf=1.0, neginf=0.0)
            said.append("Pixels that were not numbers were set to black or white.")
        top = float(stored.max(initial=0))
        if float(np.median(stored)) <= BRIGHTEST_MEDIAN:
            return stored, said
        steps = 255 if top <= 255 else 65535
        said.append(f"Values go up to {top:.0f}: taken as steps of {8 if steps == 255 else 16} bits.")
        return icc.quantise(stored / np.float32(steps), "uint16"), said
    if stored.dtype.kind == "i":
        return _without_sign(stored)
    if stored.dtype.itemsize > 2:
        if stored.max(initial=0) <= 65535:
            return stored.astype(np.uint16), []
        return (stored >> (8 * (stored.dtype.itemsize - 2))).astype(np.uint16), []
    return stored.astype(stored.dtype.newbyteorder("=")), []


BRIGHTEST_MEDIAN = 4.0  # of floats that are light: two stops over white in half of the picture


def _without_sign(stored: NDArray) -> tuple[NDArray, list[str]]:
    """Signed values: from black at 0 if none is below, else from black at the least there is (TIFF 6.0, section 19)."""
    bits = 8 * stored.dtype.itemsize
    unsigned = stored.dtype.str.replace("i", "u")
    if stored.min(initial=0) >= 0:
        plain = stored.astype(unsigned)
        if bits > 16 and plain.max(initial=0) <= 65535:
            return plain.astype(np.uint16), []
        return _usual_numbers(plain << 1 | plain >> (bits - 2))  # 0 to 2^(n-1) - 1 over the whole range
    lifted = (stored.astype(np.int64) + 2 ** (bits - 1)).astype(unsigned)
    return _usual_numbers(lifted)[0], ["Values have a sign: the least there can be is taken for black."]
