"""Finished pictures: JPEG, PNG, TIFF, WebP, HEIC, in their stored values with their profile."""

from __future__ import annotations

import io
import struct
from dataclasses import replace
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
import pillow_heif
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from ..colour import icc
from ..errors import ShotError
from . import metadata
from .source import Facts, PictureSource

pillow_heif.register_heif_opener()
Image.MAX_IMAGE_PIXELS = None  # size is bounded by memory, asked for by a person at the machine

DECODE_ERRORS = (OSError, SyntaxError, ValueError, struct.error, RuntimeError, IndexError, KeyError, TypeError)


def read_raster(path: Path, kind: str) -> PictureSource:
    """Read a finished picture; ``kind`` is ``png``, ``tiff`` or anything Pillow opens.

    Raises
    ------
    ShotError
        If the data is not a picture, is damaged or is cut short.
    """
    facts = metadata.read_facts(path)
    try:
        if kind == "tiff":
            return _read_tiff(path, facts)
        return _read_pillow(path, facts, sixteen_bit=kind == "png")
    except UnidentifiedImageError as error:
        raise ShotError(path, "this is not a picture in a format that can be read") from error
    except MemoryError as error:
        raise ShotError(path, "the picture does not fit into memory") from error
    except DECODE_ERRORS as error:
        raise ShotError(path, f"the picture is damaged or cut short ({error})") from error
    except (imagecodecs.DelayedImportError, imagecodecs.ImcdError, tifffile.TiffFileError) as error:
        raise ShotError(path, f"the picture is damaged ({error})") from error


def _read_pillow(path: Path, facts: Facts, sixteen_bit: bool) -> PictureSource:
    data = path.read_bytes()
    picture: Image.Image
    with Image.open(io.BytesIO(data)) as picture:
        profile = picture.info.get("icc_profile") or b""
        orientation = picture.getexif().get(0x0112, 1)
        picture.load()
        tables = getattr(picture, "quantization", None)
        facts = replace(facts, jpeg_luma=tuple(tables[0]) if tables and 0 in tables else None)
        if sixteen_bit and data[24] == 16:  # bit depth in the PNG header (ISO/IEC 15948, 11.2.2)
            stored = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
            if stored is None:
                raise ValueError("the pixels cannot be decoded")
            if stored.ndim == 3:
                stored = stored[..., [2, 1, 0, 3][: stored.shape[2]]]
            return _finish(path, turn_upright(stored, orientation), profile, facts)
        if picture.mode in ("P", "PA"):
            picture = picture.convert("RGBA" if "transparency" in picture.info else "RGB")
        elif picture.mode in ("1", "I", "YCbCr", "HSV", "LAB"):
            picture = picture.convert("L" if picture.mode in ("1", "I") else "RGB")
        upright = ImageOps.exif_transpose(picture)
        return _finish(path, np.asarray(upright), profile, facts, cmyk=picture.mode == "CMYK")


def _read_tiff(path: Path, facts: Facts) -> PictureSource:
    with tifffile.TiffFile(path) as tiff:
        page = tiff.pages.first
        end = path.stat().st_size
        if any(o + n > end for o, n in zip(page.dataoffsets, page.databytecounts, strict=True)):
            raise ValueError("the file ends before its pixels do")
        stored = page.asarray()
        photometric = tifffile.PHOTOMETRIC(page.photometric)
        profile = page.iccprofile or b""
        orientation = page.tags["Orientation"].value if "Orientation" in page.tags else 1
        if page.planarconfig == tifffile.PLANARCONFIG.SEPARATE and stored.ndim == 3:
            stored = np.moveaxis(stored, 0, -1)
        if photometric == tifffile.PHOTOMETRIC.PALETTE:
            stored = np.moveaxis(np.asarray(page.colormap), 0, -1)[stored]
        elif photometric == tifffile.PHOTOMETRIC.MINISWHITE:
            stored = (1 if stored.dtype == bool else np.iinfo(stored.dtype).max) - stored
        elif photometric not in (
            tifffile.PHOTOMETRIC.MINISBLACK, tifffile.PHOTOMETRIC.RGB, tifffile.PHOTOMETRIC.SEPARATED,
            tifffile.PHOTOMETRIC.YCBCR,
        ):  # fmt: skip
            raise ValueError(f"TIFF pictures of kind {photometric.name} are not read")
    cmyk = photometric == tifffile.PHOTOMETRIC.SEPARATED
    return _finish(path, turn_upright(stored, orientation), profile, facts, cmyk)


def turn_upright(pixels: NDArray, orientation: int) -> NDArray:
    """Apply an Exif orientation (1 to 8; CIPA DC-008, Orientation) to rows and columns."""
    if orientation in (5, 6, 7, 8):
        pixels = np.swapaxes(pixels, 0, 1)
    if orientation in (2, 3, 6, 7):
        pixels = pixels[:, ::-1]
    if orientation in (3, 4, 7, 8):
        pixels = pixels[::-1]
    return pixels


def _finish(path: Path, stored: NDArray, profile: bytes, facts: Facts, cmyk: bool = False) -> PictureSource:
    """Bring any channel layout to three channels that ``profile`` describes."""
    remarks = list(facts.remarks)
    if stored.dtype == bool:
        stored = stored.astype(np.uint8) * np.uint8(255)
    elif stored.dtype.kind == "f":
        stored = stored.astype(np.float32)
        if not np.isfinite(stored).all():
            stored = np.nan_to_num(stored, nan=0.0, posinf=1.0, neginf=0.0)
            remarks.append("Pixels that were not numbers were set to black or white.")
    elif stored.dtype not in (np.uint8, np.uint16):
        raise ValueError(f"pixels of type {stored.dtype} are not read")
    space = icc.colour_space(profile)
    if profile and space not in ("RGB", "GRAY", "CMYK"):
        remarks.append("The embedded colour profile cannot be used and is left out.")
        profile, space = b"", ""
    grey = stored.ndim == 2 or stored.shape[2] <= 2
    if grey:
        if stored.ndim == 3:
            remarks += ["Transparency is dropped."] * (stored.shape[2] == 2)
            stored = stored[..., 0]
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
        remarks += ["Transparency is dropped."] * (stored.shape[2] > 3)
        stored = stored[..., :3]
        if space != "RGB":
            profile = b""
    if not profile:
        linear = stored.dtype == np.float32
        profile = icc.linear_srgb_profile() if linear else icc.profile("srgb")
    return PictureSource(path, np.ascontiguousarray(stored), profile, grey, replace(facts, remarks=tuple(remarks)))
