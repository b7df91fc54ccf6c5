"""ICC profiles: written by us from chromaticities, applied by LittleCMS, or as LittleCMS would where that is quicker.

LittleCMS builds profiles too, but cannot name them; a lab reads the name.
"""

from __future__ import annotations

import io
import struct
from collections.abc import Mapping
from enum import StrEnum
from functools import cache, lru_cache

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import ImageCms

from crispgrain.arrays import Array
from crispgrain.strips import in_strips

from . import matrix_profile
from .spaces import ICC_D50_XYZ, OUTPUT_SPACES, SRGB, WORKING, RGBSpace, adaptation, to_xyz, white_xyz

GREY = "grey"
PROFILES = {**{space.id: space.name for space in OUTPUT_SPACES.values()}, GREY: "Grey, one channel, curve of sRGB"}
DITHER = 256  # px after which the random thresholds of dithering repeat


def _s15(*values: float) -> bytes:
    return b"".join(struct.pack(">i", round(v * 65536)) for v in values)


def _xyz(values: NDArray[np.float64]) -> bytes:
    return b"XYZ \0\0\0\0" + _s15(*values)


def _text(words: str) -> bytes:
    encoded = words.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(encoded), 28) + encoded


def _curve(parameters: tuple[float, ...]) -> bytes:
    kind = {1: 0, 5: 3}[len(parameters)]
    return b"para\0\0\0\0" + struct.pack(">HH", kind, 0) + _s15(*parameters)


def tagged(tags: Mapping[bytes, bytes]) -> bytes:
    """What follows the header of a profile: the table of its tags, and these, the same data once (ICC.1:2010, 7.3)."""
    start = 128 + 4 + 12 * len(tags)
    table, body, places = struct.pack(">I", len(tags)), b"", dict[bytes, int]()
    for name, data in tags.items():
        if data not in places:
            places[data] = start + len(body)
            body += data + b"\0" * (-len(data) % 4)
        table += name + struct.pack(">II", places[data], len(data))
    return table + body


def build_profile(space: RGBSpace) -> bytes:
    """A version 4 matrix/curve display profile (ICC.1:2010, clause 8.3.2)."""
    return build_from_matrix(space.name, to_xyz(space), space.white, space.curve)


def build_from_matrix(
    name: str, matrix: NDArray[np.float64], white: tuple[float, float], curve: tuple[float, ...] = (1.0,)
) -> bytes:
    """A profile of RGB that a 3 x 3 matrix takes to XYZ under a white, linear or along a curve."""
    adapt = adaptation(white_xyz(white), ICC_D50_XYZ)
    columns, along = matrix_profile.columns(matrix, white), _curve(curve)
    tags = {
        b"desc": _text(name),
        b"cprt": _text("Made by Crisp Grain. No copyright is claimed."),
        b"wtpt": _xyz(ICC_D50_XYZ),
        b"chad": b"sf32\0\0\0\0" + _s15(*adapt.ravel()),
        b"rXYZ": _xyz(columns[:, 0]),
        b"gXYZ": _xyz(columns[:, 1]),
        b"bXYZ": _xyz(columns[:, 2]),
        b"rTRC": along,
        b"gTRC": along,
        b"bTRC": along,
    }
    return _display_profile(b"RGB ", tags)


def build_grey(curve: tuple[float, ...], name: str) -> bytes:
    """A version 4 monochrome display profile (ICC.1:2010, clause 8.3.4)."""
    tags = {
        b"desc": _text(name),
        b"cprt": _text("Made by Crisp Grain. No copyright is claimed."),
        b"wtpt": _xyz(ICC_D50_XYZ),
        b"kTRC": _curve(curve),
    }
    return _display_profile(b"GRAY", tags)


def _display_profile(space: bytes, tags: Mapping[bytes, bytes]) -> bytes:
    contents = tagged(tags)
    header = struct.pack(
        ">I4sI4s4s4s6H4s4sI4sIQI",
        128 + len(contents), b"lcms", 0x04300000, b"mntr", space, b"XYZ ",
        2026, 1, 1, 0, 0, 0, b"acsp", b"\0" * 4, 0, b"\0" * 4, 0, 0, 0,
    )  # fmt: skip
    header += _s15(*ICC_D50_XYZ) + b"\0" * 48
    return header + contents


@cache
def profile(space_id: str) -> bytes:
    """The profile of an output space (``srgb``, ``adobe-rgb``, ``display-p3``, ``prophoto``, ``grey``).

    Raises
    ------
    KeyError
        For any other name.
    """
    return build_grey(SRGB.curve, PROFILES[GREY]) if space_id == GREY else build_profile(OUTPUT_SPACES[space_id])


@cache
def working_profile() -> bytes:
    return build_profile(WORKING)


def colour_space(icc: bytes) -> str:
    """Four-letter colour space of a profile: ``RGB``, ``GRAY``, ``CMYK``, ``Lab`` ... ('' if unreadable)."""
    return icc[16:20].decode("ascii", "replace").strip() if len(icc) > 128 and icc[36:40] == b"acsp" else ""


class Intent(StrEnum):
    """Rendering intents (ICC.1:2010, clause 0.4), in the order of their numbers."""

    PERCEPTUAL = "perceptual"
    RELATIVE = "relative"
    SATURATION = "saturation"
    ABSOLUTE = "absolute"


# LittleCMS's colour spaces by those of ICC.1:2010, 7.2.6, with channels and what its floats go up to.
SPACES = {"RGB": ("rgb", 3, 1.0), "GRAY": ("gray", 1, 1.0), "CMYK": ("cmyk", 4, 100.0)}


def description(icc: bytes) -> str:
    """What a profile calls itself."""
    try:
        return ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(icc))).strip()
    except (ImageCms.PyCMSError, OSError):
        return "a profile without a name"


def channels(icc: bytes) -> int:
    """Of stored values in a profile."""
    return SPACES[colour_space(icc)][1]


def white(icc: bytes) -> int:
    """The share of full scale that stands for paper: none of any ink, all of any light."""
    return 0 if colour_space(icc) == "CMYK" else 1


def output_profile(data: bytes) -> bytes:
    """A profile that results can be written in.

    Raises
    ------
    ValueError
        If it is none, is damaged, is of another class than displays, printers and colour spaces, or has other channels
        than RGB, grey or CMYK.
    """
    space = colour_space(data)
    if not space:
        raise ValueError("it is not an ICC profile")
    if data[12:16] not in (b"mntr", b"prtr", b"spac", b"scnr"):
        kind = data[12:16].decode("ascii", "replace").strip()
        raise ValueError(f"a profile of class “{kind}” does not describe the colours of a file")
    if space not in SPACES:
        raise ValueError(f"a profile for {space} is not for files of RGB, grey or CMYK")
    try:
        _from_working_float(np.zeros((1, 1, 3), np.float32), data)
    except Exception as error:  # whatever LittleCMS finds
        raise ValueError("it is damaged, or has no way from colours to the file") from error
    return data


def _transform(
    pixels: NDArray, source: bytes, target: bytes, dtype: str, space: str = "rgb", to: str = "rgb",
    intent: Intent = Intent.RELATIVE, black_point: bool = False,
) -> NDArray:  # fmt: skip
    return imagecodecs.cms_transform(
        np.ascontiguousarray(pixels), source, target, colorspace=space, outcolorspace=to, outdtype=dtype,
        intent=list(Intent).index(intent), flags=imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION if black_point else None,
    )  # fmt: skip


def to_working(stored: NDArray, icc: bytes) -> Array:
    """Stored RGB values (uint8, uint16 or float32, H x W x 3) to the working space by LittleCMS."""
    shares = _shares(icc, stored.dtype.name) if stored.dtype.kind == "u" else None
    return _transform(stored, icc, working_profile(), "float32") if shares is None else _summed(shares, stored)


def _summed(shares: tuple[Array, Array, Array], stored: NDArray) -> Array:
    red, green, blue = (np.take(share, stored[..., c], axis=0) for c, share in enumerate(shares))
    red += green
    red += blue
    return red


@lru_cache(maxsize=8)
def _shares(icc: bytes, dtype: str) -> tuple[Array, Array, Array] | None:
    """What each stored value of each channel adds to a working-space colour, by LittleCMS; None if they do not add up.

    With curves and a matrix, as most profiles have, they do; three looked up take a fifth of the time or less.
    """
    top = int(np.iinfo(dtype).max)
    steps = np.zeros((3, top + 1, 3), dtype)
    for channel in range(3):
        steps[channel, :, channel] = np.arange(top + 1)
    red, green, blue = _transform(steps, icc, working_profile(), "float32")
    shares = red, green - green[0], blue - blue[0]
    some = np.random.default_rng(0).integers(0, top, (64, 64, 3), dtype, endpoint=True)
    alike = np.allclose(_summed(shares, some), _transform(some, icc, working_profile(), "float32"), rtol=0, atol=2e-6)
    return shares if alike else None


def from_working(
    pixels: Array, icc: bytes, bits: int, intent: Intent = Intent.RELATIVE, black_point: bool = False,
    dithered_at: tuple[int, int] | None = None,
) -> NDArray:  # fmt: skip
    """Working space to stored values of 8 or 16 bits in a profile (H x W x channels), clipped at output only.

    ``black_point`` compensates for it: the darkest of the picture becomes the darkest of the file (not if absolute).
    ``dithered_at`` is where these pixels begin in the whole picture, if they are to be dithered.
    """
    dtype = {8: "uint8", 16: "uint16"}[bits]
    # Rounding is ours: LittleCMS would quantise 8-bit output of floats through 16 bits.
    encoded = _from_working_float(pixels, icc, intent, black_point)
    return quantise(encoded, dtype) if dithered_at is None else dithered(encoded, dtype, *dithered_at)


@lru_cache(maxsize=32)
def _built_in(icc: bytes) -> RGBSpace | None:
    """The output space whose profile this is."""
    return next((space for name, space in OUTPUT_SPACES.items() if profile(name) == icc), None)


def _from_working_float(
    pixels: Array, icc: bytes, intent: Intent = Intent.RELATIVE, black_point: bool = False
) -> Array:
    """Working space to values 0..1 in a profile (H x W x channels)."""
    built_in = _built_in(icc)
    if built_in is not None and intent is not Intent.ABSOLUTE:  # neither has a black point or rendering tables
        return _kept_grey(pixels, matrix_profile.encoded(pixels, built_in))
    space, count, top = SPACES[colour_space(icc)]
    encoded = _transform(pixels, working_profile(), icc, "float32", to=space, intent=intent, black_point=black_point)
    if top != 1:
        encoded = encoded / np.float32(top)
    encoded = encoded.reshape(*pixels.shape[:2], count)
    return _kept_grey(pixels, encoded) if count == 3 else encoded


def _kept_grey(pixels: Array, encoded: Array) -> Array:
    """Values in which what is grey to the last bit stays so, where rounding alone has made channels differ."""
    red, green, blue = (pixels[..., c] for c in range(3))
    grey = (red == green) & (green == blue)
    if grey.any():
        found = encoded[grey]
        encoded[grey] = np.where(np.ptp(found, axis=-1, keepdims=True) < ROUNDED, found[:, 1:2], found)
    return encoded


ROUNDED = 5e-5  # by which channels of a grey may differ where a profile means them to be alike


def through(pixels: Array, icc: bytes, intent: Intent, black_point: bool, paper: bool) -> Array:
    """What becomes of working-space pixels in a file of a profile, brought back to the working space: a soft proof.

    With ``paper``, its white and its black ink are seen as they are, darker and lighter than the screen's. Without,
    and without ``black_point``, black is as it comes out.
    """
    space, _, top = SPACES[colour_space(icc)]
    device = np.clip(_from_working_float(pixels, icc, intent, black_point), 0, 1) * np.float32(top)
    back = Intent.ABSOLUTE if paper else Intent.RELATIVE
    given = device[..., 0] if space == "gray" else device
    return _transform(
        given, icc, working_profile(), "float32", space, intent=back, black_point=black_point and not paper
    )


@in_strips
def quantise(encoded: Array, dtype: str) -> NDArray:
    """Encoded values 0..1 to whole numbers of ``dtype``, rounded half up, clipped."""
    top = np.iinfo(dtype).max
    return (np.clip(encoded, 0, 1) * np.float32(top) + np.float32(0.5)).astype(dtype)


@cache
def _thresholds() -> Array:
    # Not quite 0 to 1: a value that is whole but for rounding stays what it is.
    return np.random.default_rng(1924).uniform(0.02, 0.98, (DITHER, DITHER)).astype(np.float32)


def dithered(encoded: Array, dtype: str, top: int, left: int) -> NDArray:
    """As :func:`quantise`, rounded up or down at random, so that gentle slopes keep their mean and show no steps.

    All channels of a pixel are rounded alike: greys stay grey. ``top`` and ``left`` say where it begins in the whole.

    References
    ----------
    L. G. Roberts, "Picture coding using pseudo-random noise", IRE Trans. Information Theory 8(2), 1962.
    """
    height, width, most = *encoded.shape[:2], np.iinfo(dtype).max
    rows, columns = (np.arange(start, start + n) % DITHER for start, n in ((top, height), (left, width)))
    threshold = _thresholds()[np.ix_(rows, columns)]
    threshold = threshold[..., None] if encoded.ndim == 3 else threshold
    return np.minimum(np.clip(encoded, 0, 1) * np.float32(most) + threshold, most).astype(dtype)


def between_files(stored: NDArray[np.uint8], source: bytes, target: bytes) -> NDArray[np.uint8]:
    """8-bit RGB values (H x W x 3) of one profile as those of another, relative with black point compensation."""
    return _transform(stored, source, target, "uint8", black_point=True)


def stored_to_srgb8(stored: NDArray, source: bytes) -> NDArray[np.uint8]:
    """Stored values (uint8 or uint16, H x W x channels) of RGB, grey or CMYK as 8-bit sRGB, relative to the paper."""
    space, channels, _ = SPACES[colour_space(source)]
    given = stored[..., 0] if channels == 1 else stored
    return _transform(given, source, profile("srgb"), "uint8", space, black_point=True)


def other_to_rgb16(stored: NDArray, icc: bytes, space: str, target: bytes) -> NDArray[np.uint16]:
    """CMYK (H x W x 4) or grey (H x W) values with their profile to 16-bit RGB in ``target``."""
    return _transform(stored, icc, target, "uint16", space)


@cache
def linear_srgb_profile() -> bytes:
    """What floating-point files without a profile hold by common practice, no source: linear light."""
    return build_profile(RGBSpace("srgb-linear", "Linear sRGB", SRGB.primaries, SRGB.white, (1.0,)))
