"""Made-up pictures for training: letters, thin lines, fabric, brushed metal, smooth strong colours.

Natural photographs have few of these, and a network that has not met them
smears letters and blotches smooth, strongly coloured surfaces.
"""

from __future__ import annotations

import string

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from crispgrain.arrays import Array

EDGE = 1024  # px, after shrinking
OVERSAMPLING = 2  # drawn larger and shrunk by area averaging: edges as a lens and sensor give them


def draw(seed: int) -> NDArray[np.uint8]:
    """One made-up picture, uint8, EDGE x EDGE x 3, sRGB; the same for the same seed."""
    rng = np.random.default_rng([seed, 11])
    edge = EDGE * OVERSAMPLING
    canvas = _shaded(edge, rng)
    layers = (_filled, _lines, _letters, _fabric, _lamp)
    for _ in range(int(rng.integers(25, 45))):
        mask = layers[rng.choice(len(layers), p=[0.3, 0.2, 0.2, 0.2, 0.1])](edge, rng)
        paint = _shaded(edge, rng)
        if rng.random() < 0.4:
            paint *= _brushed(edge, rng)[..., None]
        canvas += (paint - canvas) * mask[..., None]
    small = cv2.resize(canvas, (EDGE, EDGE), interpolation=cv2.INTER_AREA)
    return np.round(np.clip(small, 0, 1) * 255).astype(np.uint8)


def _colour(rng: np.random.Generator) -> Array:
    """Anything from grey to fully saturated, from black to white."""
    hue = rng.uniform(0, 1, 3)
    hue = (hue - hue.min()) / max(float(np.ptp(hue)), 1e-3)
    grey = 1 - rng.uniform(0, 1) ** 1.5
    return ((hue * (1 - grey) + grey) * rng.uniform(0.05, 1)).astype(np.float32)


def _field(edge: int, cells: int, rng: np.random.Generator) -> Array:
    """A smooth random field between 0 and 1."""
    coarse = rng.uniform(0, 1, (cells, cells)).astype(np.float32)
    return np.clip(cv2.resize(coarse, (edge, edge), interpolation=cv2.INTER_CUBIC), 0, 1)


def _shaded(edge: int, rng: np.random.Generator) -> Array:
    """A surface whose colour runs smoothly between two."""
    mix = _field(edge, int(rng.integers(2, 7)), rng)[..., None]
    first = _colour(rng)
    second = first * np.float32(rng.uniform(0.1, 1)) if rng.random() < 0.6 else _colour(rng)
    return first + (second - first) * mix


def _brushed(edge: int, rng: np.random.Generator) -> Array:
    """Fine scratches along rows or columns, as on brushed metal; a factor near 1."""
    noise = rng.standard_normal((edge, edge), dtype=np.float32)
    kernel = (int(rng.integers(20, 120)) | 1, int(rng.integers(1, 4)) | 1)
    scratches = cv2.blur(noise, kernel if rng.random() < 0.5 else kernel[::-1])
    return 1 + scratches * np.float32(rng.uniform(0.02, 0.2) / scratches.std())


def _points(edge: int, count: int, rng: np.random.Generator) -> NDArray[np.int32]:
    centre, size = rng.uniform(0, edge, 2), rng.uniform(0.03, 0.3) * edge
    return (centre + rng.uniform(-size, size, (count, 2))).astype(np.int32)


def _filled(edge: int, rng: np.random.Generator) -> Array:
    mask = np.zeros((edge, edge), np.float32)
    if rng.random() < 0.5:
        cv2.fillPoly(mask, [_points(edge, int(rng.integers(3, 7)), rng)], 1.0)
    else:
        size = rng.uniform(0.01, 0.15, 2) * edge
        centre = tuple(int(v) for v in rng.uniform(0, edge, 2))
        cv2.ellipse(mask, centre, (int(size[0]), int(size[1])), rng.uniform(0, 180), 0, 360, 1.0, -1)
    return mask


def _lines(edge: int, rng: np.random.Generator) -> Array:
    mask = np.zeros((edge, edge), np.float32)
    for _ in range(int(rng.integers(2, 12))):
        first, second = _points(edge, 2, rng)
        width = int(rng.integers(1, 9))
        cv2.line(mask, first.tolist(), second.tolist(), 1.0, width)
    return mask


def _letters(edge: int, rng: np.random.Generator) -> Array:
    page = Image.new("L", (edge, edge))
    pen = ImageDraw.Draw(page)
    size = int(rng.integers(14, 90))
    font = ImageFont.load_default(size)
    top, left = rng.uniform(0, edge * 0.8, 2)
    letters = np.array(list(string.ascii_letters + string.digits + "      .,;&"))
    for row in range(int(rng.integers(1, 9))):
        text = "".join(rng.choice(letters, int(rng.integers(4, 40))))
        pen.text((left, top + row * size * 1.3), text, fill=255, font=font)
    turned = page.rotate(float(rng.uniform(-30, 30)), Image.Resampling.BILINEAR)
    return np.asarray(turned, np.float32) / 255


def _fabric(edge: int, rng: np.random.Generator) -> Array:
    """A weave or grating inside a shape, from coarse to the sensor's limit."""
    angle, period = rng.uniform(0, np.pi), rng.uniform(4, 24)
    across = np.arange(edge, dtype=np.float32) * np.float32(2 * np.pi / period)
    phase = across[None] * np.float32(np.cos(angle)) + across[:, None] * np.float32(np.sin(angle))
    wave = 0.5 + 0.5 * np.sin(phase)
    if rng.random() < 0.5:
        other = across[None] * np.float32(-np.sin(angle)) + across[:, None] * np.float32(np.cos(angle))
        wave *= 0.5 + 0.5 * np.sin(other)
    return _filled(edge, rng) * wave


def _lamp(edge: int, rng: np.random.Generator) -> Array:
    """Discs of light out of focus."""
    mask = np.zeros((edge, edge), np.float32)
    for _ in range(int(rng.integers(1, 8))):
        centre = tuple(int(v) for v in rng.uniform(0, edge, 2))
        cv2.circle(mask, centre, int(rng.integers(4, 80)), 1.0, -1)
    return cv2.GaussianBlur(mask, (0, 0), rng.uniform(1, 12))
