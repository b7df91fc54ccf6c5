"""Blocks of luminance that are sharp, soft, out of focus, moved or shaken, and which of it they are."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.core.meter.blur_net import KINDS, LEAST, SHARP, SOFTNESS
from crispgrain.restoration.cells import SIX_BY_SIX
from crispgrain.restoration.demosaic import linear
from crispgrain.restoration.point_spread import aperture, gaussian, line
from crispgrain.simulation.camera import BAYER, shake_path

from .sensor import LINEAR, Processing, record

RIM = 32  # px around a block that blur draws on
RAW = 0.4  # share of blocks from a sensor's values
PATTERNS = (*BAYER.values(), SIX_BY_SIX)
PLAIN = 0.6  # share of blocks without a path and a disc
RADII, LENGTHS, SHAKES = (1.2, 13.0), (3.0, 29.0), (4.0, 27.0)  # px
LEAST_LENS, LENS = 0.2, 0.9  # px; sigma of what a lens adds to a disc or path
NOISE = 0.06  # of encoded white, the strongest
LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)  # of ITU-R BT.709


def draw_class(rng: np.random.Generator) -> tuple[int, Array]:
    """Which class (by its number in the network's output), and the point spread that makes it, summing to 1."""
    if rng.random() < PLAIN:
        sigma = 0.0 if rng.random() < SHARP else float(rng.uniform(LEAST, SOFTNESS[-1]))
        return int(np.searchsorted(SOFTNESS, sigma)), gaussian(sigma) if sigma else np.ones((1, 1), np.float32)
    kind = int(rng.integers(len(KINDS)))
    if KINDS[kind] == "defocus":
        spread = aperture(_spaced(RADII, rng))
    elif KINDS[kind] == "motion":
        level = rng.random() < 0.2  # who pans holds the camera level
        spread = line(_spaced(LENGTHS, rng), 0.0 if level else float(rng.uniform(0, 180)))
    else:
        spread = shake_path(_spaced(SHAKES, rng), int(rng.integers(2**31)))
    lens = gaussian(float(rng.uniform(LEAST_LENS, LENS)))
    softened = cv2.filter2D(np.pad(spread, len(lens) // 2), cv2.CV_32F, lens, borderType=cv2.BORDER_CONSTANT)
    return len(SOFTNESS) + kind, softened / softened.sum()


def _spaced(ends: tuple[float, float], rng: np.random.Generator) -> float:
    """Anything between two numbers, all ratios as likely."""
    return float(np.exp(rng.uniform(*np.log(ends))))


def draw_block(patch: NDArray[np.uint8], rng: np.random.Generator) -> tuple[int, Array]:
    """Class and linear luminance (128 x 128, 0..1) of a patch after blur, noise and what programs do to a picture.

    ``patch`` is sRGB (uint8, 192 x 192 x 3): a block and :data:`RIM` px around it.
    """
    number, spread = draw_class(rng)
    seen = LINEAR[patch] * np.float32(np.exp(rng.normal(0, 0.4)))
    if rng.random() < RAW:
        return number, _recorded(_blurred(np.clip(seen, 0, 1), spread), rng)[RIM:-RIM, RIM:-RIM]
    return number, _finished(_blurred(np.clip(seen @ LUMINANCE, 0, 1), spread)[RIM:-RIM, RIM:-RIM], rng)


def _blurred(sharp: Array, spread: Array) -> Array:
    return cv2.filter2D(sharp, cv2.CV_32F, spread[::-1, ::-1].copy(), borderType=cv2.BORDER_REFLECT)


def _recorded(colours: Array, rng: np.random.Generator) -> Array:
    """Luminance of linear sRGB as the meter has it from a sensor: white-balanced and roughly demosaiced."""
    camera, pattern = Processing.draw(rng), PATTERNS[rng.integers(len(PATTERNS))]
    noisy, _, _ = record(camera.to_sensor(colours), rng, pattern)
    return np.clip((linear(noisy, pattern) * (camera.gains / camera.gains[1])).mean(axis=-1), 0, 1)


def _finished(soft: Array, rng: np.random.Generator) -> Array:
    """Linear luminance after noise and processing."""
    encoded = srgb_encode(soft)
    noise = np.float32(NOISE * rng.random() ** 3) * rng.standard_normal(encoded.shape, np.float32)
    if rng.random() < 0.4:  # demosaiced, or a camera's own smoothing
        noise = cv2.GaussianBlur(noise, (0, 0), rng.uniform(0.4, 1.2)) * np.float32(1.5)
    encoded = encoded + noise * np.clip(encoded + np.float32(0.3), 0, 1)
    if rng.random() < 0.2:
        encoded += np.float32(rng.uniform(0.2, 0.8)) * (encoded - cv2.GaussianBlur(encoded, (0, 0), 1))
    encoded = np.clip(encoded, 0, 1).astype(np.float32)
    if rng.random() < 0.6:
        encoded = _stored(encoded, int(rng.integers(40, 100)) if rng.random() < 0.6 else 0)
    return srgb_decode(encoded)


def _stored(encoded: Array, quality: int) -> Array:
    """As 8 bits, or as a JPEG of a quality."""
    stored = np.round(encoded * 255).astype(np.uint8)
    if quality:
        _, data = cv2.imencode(".jpg", stored, [cv2.IMWRITE_JPEG_QUALITY, quality])
        stored = np.asarray(cv2.imdecode(data, cv2.IMREAD_GRAYSCALE))
    return stored.astype(np.float32) / np.float32(255)
