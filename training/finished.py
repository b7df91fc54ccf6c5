"""Pictures as cameras and programs hand them over: noise that was demosaiced, tone-mapped and compressed."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.core.colour.spaces import OPPONENT, apply_matrix
from crispgrain.core.meter.noise_line import by_tone, smooth_variance
from crispgrain.core.meter.patches import content, patches_of
from crispgrain.core.meter.reading import Noise
from crispgrain.core.stages.denoise.photo_net import conditions
from crispgrain.simulation.camera import BAYER, add_noise, mosaic_of

from .developing import demosaic
from .photographs import pick
from .sensor import LINEAR, Processing, draw_noise

KINDS = ("white", "camera", "compressed")
STRONGEST = 70 / 255  # sigma of white noise
# Where a colour is so strong that a channel is at its end, only half of the noise survives, and lifts the channel.
VIVID = 0.4  # share of a camera's pictures with stronger colours than photographed
STRONGER = (1.3, 3.0)
PLACES = 3  # in a crop that are looked at
ANY_QUALITY = (10, 96)
# Cameras compress little (common practice, no source); what was saved again later may have any quality.
FRESH_QUALITY = (65, 99)


@dataclass(frozen=True)
class Mix:
    """How often pictures are degraded in which way."""

    chance: tuple[float, float, float] = (0.45, 0.42, 0.13)  # of each of KINDS
    weaker: float = 2  # the larger, the more of white noise is weak
    compressed: tuple[float, float, float] = (0.3, 0.7, 0.75)  # share of each; the last are clean, and to be left alone
    fresh: tuple[float, float, float] = (0, 0.6, 0)  # share of each's compressed of a quality as cameras write it
    quiet: float = 0  # share of a camera's at a quarter of the ISO
    wrong: float = 0.2  # of the noise told, as a logarithm: the meter is better, but who sets it by hand may not be


MIX = Mix()


@dataclass(frozen=True)
class Finished:
    """A degraded picture, its truth (both encoded, H x W x 3), and what the network is told of it (H x W x 3)."""

    picture: Array
    truth: Array
    conditions: Array

    def part(self, edge: int, rng: np.random.Generator) -> Finished:
        """A square of it; of a few places, more likely one with much detail."""
        height, width = self.truth.shape[:2]
        places = zip(
            rng.integers(height - edge + 1, size=PLACES), rng.integers(width - edge + 1, size=PLACES), strict=True
        )
        parts = [np.s_[top : top + edge, left : left + edge] for top, left in places]
        part = parts[pick([(255 * self.truth[p]).astype(np.uint8) for p in parts], rng)]
        return Finished(self.picture[part], self.truth[part], self.conditions[part])


def draw_finished(patch: NDArray[np.uint8], rng: np.random.Generator, mix: Mix = MIX) -> Finished:
    """Degrade an 8-bit sRGB patch in one of the ways pictures are degraded."""
    kind = rng.choice(KINDS, p=mix.chance)
    if kind == "camera" and rng.random() < VIVID:
        patch = _vivid(patch, rng)
    truth = patch.astype(np.float32) / np.float32(255)
    if kind == "white":
        picture = _white_noise(truth, mix.weaker, rng)
    elif kind == "camera":
        picture = _through_a_camera(patch, rng, 0.25 if rng.random() < mix.quiet else 1)
    else:
        picture = truth
    quality = 100
    index = KINDS.index(kind)
    if rng.random() < mix.compressed[index]:
        fresh = rng.random() < mix.fresh[index]
        quality = int(rng.integers(*(FRESH_QUALITY if fresh else ANY_QUALITY)))
        if rng.random() < 0.15:  # edited and saved again, with the block grid elsewhere
            picture = compress(np.roll(picture, (3, 5), (0, 1)), int(rng.integers(40, 96)), rng)
            picture = np.roll(picture, (-3, -5), (0, 1))
        picture = compress(picture, quality, rng)
    elif rng.random() < 0.5:
        picture = np.clip(picture, 0, 1)
    picture = picture.astype(np.float32)
    planes = told(picture, truth, (100 - quality) / 100)
    planes[..., :2] *= np.exp(np.float32(rng.normal(0, mix.wrong)))
    return Finished(picture, truth, planes)


def told(picture: Array, truth: Array, compression: float) -> Array:
    """What is told of a picture (H x W x 3): the noise that the meter would find in it, and the compression."""
    luma = np.ascontiguousarray(apply_matrix(picture, OPPONENT)[..., 0])
    return conditions(luma, metered(picture, truth), compression)


def _white_noise(truth: Array, weaker: float, rng: np.random.Generator) -> Array:
    sigma = STRONGEST * rng.random() ** weaker
    noise = rng.standard_normal(truth.shape, np.float32) * np.float32(sigma)
    if rng.random() < 0.3:  # more colour than luminance, or less, and coarser
        axes = apply_matrix(noise, OPPONENT)
        if rng.random() < 0.5:
            blur = rng.uniform(0.4, 1.5)
            axes[..., 1:] = cv2.GaussianBlur(axes[..., 1:], (0, 0), blur) * np.float32(2 * blur)
        axes[..., 1:] *= np.float32(rng.uniform(0, 2))
        noise = apply_matrix(axes, OPPONENT.T)
    return truth + noise


def _vivid(patch: NDArray[np.uint8], rng: np.random.Generator) -> NDArray[np.uint8]:
    """The same with colours some times as strong, as far as there is room."""
    grey = patch.mean(axis=-1, keepdims=True)
    return np.clip(grey + rng.uniform(*STRONGER) * (patch - grey), 0, 255).astype(np.uint8)


def _through_a_camera(patch: NDArray[np.uint8], rng: np.random.Generator, light: float) -> Array:
    """Noise at the sensor, then all a camera does to it."""
    camera = Processing.draw(rng)
    a, b = draw_noise(rng)
    a, b = a * light, b * light**2
    mosaic = add_noise(mosaic_of(camera.to_sensor(LINEAR[patch]), BAYER["RGGB"]), a, b, rng)
    sensor = demosaic(mosaic, camera.gains, rng)
    picture = camera.to_picture(sensor)
    if rng.random() < 0.3:  # a camera's own smoothing of colour
        axes = apply_matrix(picture, OPPONENT)
        axes[..., 1:] = cv2.GaussianBlur(axes[..., 1:], (0, 0), rng.uniform(0.5, 2))
        picture = apply_matrix(axes, OPPONENT.T)
    if rng.random() < 0.3:  # and sharpening
        picture += np.float32(rng.uniform(0.2, 0.8)) * (picture - cv2.GaussianBlur(picture, (0, 0), 1))
    return np.clip(picture, 0, 1)


def compress(picture: Array, quality: int, rng: np.random.Generator) -> Array:
    """JPEG there and back; half of the time with halved colour resolution."""
    halved = rng.random() < 0.5
    sampling = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_420 if halved else cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444
    bgr = np.round(np.clip(picture[..., ::-1], 0, 1) * 255).astype(np.uint8)
    options = [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, sampling]
    _, data = cv2.imencode(".jpg", bgr, options)
    decoded = np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR))
    return decoded[..., ::-1].astype(np.float32) / np.float32(255)


def metered(picture: Array, truth: Array) -> Noise:
    """What the meter would find in a large picture of this kind.

    It chooses smooth places and measures their high frequencies. In a small patch
    there may be no smooth place, so the structure of the truth is taken off first.
    """
    opponent, error = apply_matrix(picture, OPPONENT), apply_matrix(picture - truth, OPPONENT)
    seen, measured = (
        [content(patches_of(np.ascontiguousarray(v[..., i]))) for i in range(3)] for v in (opponent, error)
    )
    rows = []
    for part in by_tone(seen[0].mean):
        variances = []
        for axis in range(3):
            _, chosen = smooth_variance(seen[axis].of(part))
            variances.append(float(measured[axis].high[part][chosen].mean()))
        rows.append((seen[0].mean[part].mean() / 3**0.5, variances[0], (variances[1] + variances[2]) / 2))
    levels, luma, colour = np.array(rows).T
    luma, colour = 255 * np.sqrt(luma), 255 * np.sqrt(colour)
    return Noise(
        float(luma.mean()), float(colour.mean()), tuple(levels.tolist()), tuple(luma.tolist()), tuple(colour.tolist())
    )
