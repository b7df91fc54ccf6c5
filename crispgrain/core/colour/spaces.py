"""RGB spaces as data, the matrices between them, and the transfer curves."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.strips import in_strips

# float32 throughout; NumPy's own annotations lose the width in most arithmetic, so it is not spelled out.

D65 = (0.3127, 0.3290)
D50 = (0.3457, 0.3585)
# The profile connection space's white as rounded by ICC.1:2010, 7.2.16.
ICC_D50_XYZ = np.array([0.9642, 1.0, 0.8249])

# Bradford cone responses, as used by the ICC 'chad' tag (ICC.1:2010, annex E).
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


@dataclass(frozen=True)
class RGBSpace:
    """An additive RGB space: chromaticities (CIE 1931 x, y) and a transfer curve.

    ``curve`` holds ICC parametric curve parameters (type 3: g, a, b, c, d; or a
    lone gamma), which take encoded values to linear ones.
    """

    id: str
    name: str
    primaries: tuple[tuple[float, float], tuple[float, float], tuple[float, float]]
    white: tuple[float, float]
    curve: tuple[float, ...]


SRGB_CURVE = (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)

REC2020_LINEAR = RGBSpace(
    "rec2020-linear", "Linear Rec. 2020", ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)), D65, (1.0,)
)
# IEC 61966-2-1.
SRGB = RGBSpace("srgb", "sRGB", ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)), D65, SRGB_CURVE)
# Chromaticities and gamma 2 + 51/256 of Adobe RGB (1998), hence "compatible".
ADOBE_RGB = RGBSpace(
    "adobe-rgb",
    "Compatible with Adobe RGB (1998)",
    ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06)),
    D65,
    (563 / 256,),
)
# SMPTE EG 432-1 primaries with the white and curve of sRGB.
DISPLAY_P3 = RGBSpace("display-p3", "Display P3", ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)), D65, SRGB_CURVE)
# ISO 22028-2 (ROMM RGB): gamma 1.8 with a linear toe below 16 * 1/512.
PROPHOTO = RGBSpace(
    "prophoto",
    "ROMM RGB (ProPhoto, ISO 22028-2)",
    ((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001)),
    D50,
    (1.8, 1.0, 0.0, 1 / 16, 16 / 512),
)
OUTPUT_SPACES: dict[str, RGBSpace] = {s.id: s for s in (SRGB, ADOBE_RGB, DISPLAY_P3, PROPHOTO)}


def white_xyz(xy: tuple[float, float]) -> NDArray[np.float64]:
    """XYZ (Y = 1) of a chromaticity."""
    x, y = xy
    return np.array([x / y, 1.0, (1 - x - y) / y])


def to_xyz(space: RGBSpace) -> NDArray[np.float64]:
    """3 x 3 matrix from linear RGB to CIE XYZ relative to the space's own white.

    The construction of SMPTE RP 177-1993.
    """
    columns = np.stack([white_xyz(p) for p in space.primaries], axis=1)
    scale = np.linalg.solve(columns, white_xyz(space.white))
    return columns * scale


def adaptation(source: NDArray[np.float64], target: NDArray[np.float64]) -> NDArray[np.float64]:
    """Bradford adaptation matrix between two whites given as XYZ."""
    gain = (BRADFORD @ target) / (BRADFORD @ source)
    return np.linalg.inv(BRADFORD) @ np.diag(gain) @ BRADFORD


def between(source: RGBSpace, target: RGBSpace) -> NDArray[np.float64]:
    """3 x 3 matrix between two linear RGB spaces, white going to white."""
    adapt = adaptation(white_xyz(source.white), white_xyz(target.white))
    return np.linalg.inv(to_xyz(target)) @ adapt @ to_xyz(source)


WORKING = REC2020_LINEAR
WORKING_TO_SRGB = between(WORKING, SRGB).astype(np.float32)
SRGB_TO_WORKING = between(SRGB, WORKING).astype(np.float32)
WORKING_LUMINANCE = to_xyz(WORKING)[1].astype(np.float32)


BEYOND = 32  # pixels; OpenCV computes the last few, fewer than these, in another way than the rest


@in_strips
def apply_matrix(pixels: Array, matrix: NDArray[np.floating]) -> Array:
    """Multiply every pixel (... x 3) by a matrix of three columns.

    A pixel comes out the same to the last bit wherever it stands, so a tile equals the whole picture: a plain matrix
    product may round differently for pictures of different size, and OpenCV's does so at the end of a row, which
    therefore is none of the picture's.
    """
    number = pixels.size // 3
    row = np.empty((1, number + BEYOND, 3), np.float32)
    row[0, :number] = pixels.reshape(-1, 3)
    row[0, number:] = 0
    product = cv2.transform(row, matrix.astype(np.float32))
    return product[0, :number].reshape(*pixels.shape[:-1], len(matrix))


def brightest(pixels: Array) -> Array:
    """The largest of the channels of each pixel (... x 3), in a tenth of the time that ``max`` takes."""
    return np.maximum(np.maximum(pixels[..., 0], pixels[..., 1]), pixels[..., 2])


def lab_to_working(lab: Array) -> Array:
    """CIE L*a*b* (0..100 and about -128..127, against D50 as in ICC profiles) to the working space.

    References
    ----------
    CIE 15:2018, 8.2.1.1; adapted to D65 after Bradford, as in ICC.1:2010, annex E.
    """
    fy = (lab[..., 0] + 16) / 116
    f = np.stack([fy + lab[..., 1] / 500, fy, fy - lab[..., 2] / 200], axis=-1)
    edge = 6 / 29
    ratios = np.where(f > edge, f**3, 3 * edge**2 * (f - 4 / 29))
    to_d65 = np.linalg.inv(to_xyz(WORKING)) @ adaptation(ICC_D50_XYZ, white_xyz(WORKING.white))
    return apply_matrix((ratios * ICC_D50_XYZ).astype(np.float32), to_d65.astype(np.float32))


def luminance(pixels: Array) -> Array:
    """Relative luminance Y (H x W) of working-space pixels (H x W x 3)."""
    return np.asarray(apply_matrix(pixels, WORKING_LUMINANCE[None]))[..., 0]


@in_strips
def srgb_encode(linear: Array) -> Array:
    """sRGB transfer curve (IEC 61966-2-1), continued as an odd function below 0."""
    a = np.abs(linear).astype(np.float32)
    curved = np.maximum(a, np.float32(1e-8))
    np.power(curved, np.float32(1 / 2.4), out=curved)
    curved *= np.float32(1.055)
    curved -= np.float32(0.055)
    return _with_straight_part(curved, a * np.float32(12.92), a <= np.float32(0.0031308), linear)


@in_strips
def srgb_decode(encoded: Array) -> Array:
    """Inverse of :func:`srgb_encode`."""
    a = np.abs(encoded).astype(np.float32)
    curved = a + np.float32(0.055)
    curved /= np.float32(1.055)
    np.power(curved, np.float32(2.4), out=curved)
    return _with_straight_part(curved, a / np.float32(12.92), a <= np.float32(0.04045), encoded)


def _with_straight_part(curved: Array, straight: Array, dark: NDArray[np.bool_], signed: Array) -> Array:
    """A curve that is straight where it is dark, with the sign of what it is of. Writes into ``curved``."""
    np.copyto(curved, straight, where=dark)
    return np.copysign(curved, signed, out=curved)


# Orthonormal, so that white noise of sigma s in R, G, B is white noise of sigma s in
# each of the three: one luma axis and two colour-difference axes.
OPPONENT = np.array([[1 / 3**0.5] * 3, [1 / 2**0.5, 0, -1 / 2**0.5], [1 / 6**0.5, -2 / 6**0.5, 1 / 6**0.5]], np.float32)


def to_opponent(pixels: Array) -> Array:
    """Working space to luma and two colour differences of sRGB-encoded values.

    Cameras add noise before, and store pictures after, a curve much like sRGB's;
    there the noise is nearest to even over the tones.
    """
    return apply_matrix(srgb_encode(apply_matrix(pixels, WORKING_TO_SRGB)), OPPONENT)


def from_opponent(opponent: Array) -> Array:
    """Inverse of :func:`to_opponent`."""
    return apply_matrix(srgb_decode(apply_matrix(opponent, OPPONENT.T)), SRGB_TO_WORKING)
