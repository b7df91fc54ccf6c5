"""The network that tells noise from texture, on pictures it has never seen, and what follows where it is not there."""

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data

from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import noise_net
from crispgrain.core.meter.picture_noise import ByTone, in_patches, picture_noise, uncompressed
from crispgrain.core.networks.runtime import NetworkUnavailableError

LEVELS = np.array(noise_net.LEVELS)


def picture(pixels: np.ndarray, tmp_path) -> PictureSource:
    """Encoded values 0..1, one channel or three, as a file of 8 bits without compression."""
    colours = np.broadcast_to(pixels if pixels.ndim == 3 else pixels[..., None], (*pixels.shape[:2], 3))
    stored = np.round(255 * np.clip(colours, 0, 1)).astype(np.uint8)
    return PictureSource(tmp_path / "x.png", stored, icc.profile("srgb"))


def cells_of(*sigmas: float | None) -> np.ndarray:
    """Logarithms of probabilities (2 x levels x cells) of cells that are sure of a level, or of nothing (None)."""
    unsure = np.full(len(LEVELS), 1 / len(LEVELS))
    sure = [0.999 * (np.abs(LEVELS / s - 1) < 0.1) + 0.001 / len(LEVELS) if s else unsure for s in sigmas]
    return np.repeat(np.log(np.stack(sure, axis=1))[None], 2, axis=0)


def test_cells_with_less_decide_but_not_the_one_with_least():
    """Of ten cells, four full of texture and one that is clipped: what the others say."""
    each = cells_of(0.25, 4, 4, 4, 4, 4, 16, 16, 16, 16)
    assert noise_net.sigma_at(each, np.full(10, 0.5), np.array([0.5])) == pytest.approx(4, rel=0.05)


def test_what_it_is_unsure_of_counts_for_more_than_its_geometric_mean():
    """As likely 1 as 16: the geometric mean is 4, the plain one 8.5."""
    half = np.log(0.5 * np.isin(LEVELS, (1, 16)) + 1e-12)
    each = np.repeat(np.repeat(half[None, :, None], 2, axis=0), 10, axis=2)
    told = noise_net.sigma_at(each, np.full(10, 0.5), np.array([0.5]))
    assert (told > 4.3).all() and (told < 7).all()


def test_each_tone_hears_the_cells_that_are_like_it():
    each = cells_of(1, 1, 8, 8)
    told = noise_net.sigma_at(each, np.array([0.1, 0.15, 0.8, 0.85]), np.array([0.1, 0.85, 0.99]))
    assert told[0] == pytest.approx([1, 8, 8], rel=0.1)
    next_to_none = noise_net.sigma_at(cells_of(0.25), np.array([0.2]), np.array([0.9]))
    assert next_to_none.max() < 0.1


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
def test_of_a_jpeg_noise_is_read_and_fur_and_foliage_are_not(name, tmp_path):
    """At half the size. Patches read 4.5 to 5.8 of the clean ones, though 2.1 to 2.6 was done to them."""
    sharp = cv2.resize(getattr(data, name)(), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    read = []
    for sigma in (0, 6):
        noisy = sharp + np.random.default_rng(1).normal(0, sigma, sharp.shape)
        Image.fromarray(np.clip(noisy, 0, 255).round().astype(np.uint8)).save(tmp_path / "q.jpg", quality=95)
        source = read_shot(tmp_path / "q.jpg")
        read.append((picture_noise(source, 95).luminance, float(in_patches(source).sigma[:, 0].mean())))
    (clean, patches), (noisy, _) = read
    assert clean < 3 and clean < 0.6 * patches
    assert 5.5 < noisy < 9.5


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
def test_grain_without_colour_is_noise_though_texture_has_none_either(name, tmp_path):
    """Such as film leaves, and programs that take colour noise off."""
    sharp = getattr(data, name)()[:300, :300] / 255
    grain = cv2.GaussianBlur(np.random.default_rng(1).normal(0, 1, (300, 300)), (0, 0), 0.6)
    grain *= 8 / 255 / grain.std()
    high = in_patches(picture(0.5 + grain, tmp_path)).sigma[:, 0].mean()  # of its fine part, which is what is metered
    noise = picture_noise(picture(sharp + grain[..., None], tmp_path))
    assert high / 1.5 < noise.luminance < 1.5 * high


@pytest.mark.parametrize("name", ["grass", "gravel"])
def test_weak_noise_is_read_though_grass_or_stones_fill_the_frame(name, tmp_path):
    """As much in luma as in colour. Patches have 6 to 19 steps of luma; weights that knew no surfaces read 5 and 10."""
    noisy = getattr(data, name)()[..., None] / 255 + np.random.default_rng(1).normal(0, 1.6 / 255, (512, 512, 3))
    source = picture(noisy, tmp_path)
    noise = picture_noise(source)
    assert noise.colour == pytest.approx(1.6, rel=0.1)
    assert noise.luminance < 2.5 and in_patches(source).sigma[:, 0].min() > 5


@pytest.mark.parametrize("sigma", [6, 15])
def test_without_compression_patches_measure_colour(sigma, tmp_path):
    noisy = data.astronaut() / 255 + np.random.default_rng(2).normal(0, sigma / 255, (512, 512, 3))
    source = picture(noisy, tmp_path)
    noise = picture_noise(source)
    assert noise.colour_at == pytest.approx(in_patches(source).sigma[:, 1])
    assert noise.colour == pytest.approx(sigma, rel=0.05)
    assert noise.luminance == pytest.approx(sigma, rel=0.15)


@pytest.mark.parametrize(
    ("measured", "alike", "coarse", "told", "expected"),
    [
        ((8, 0.5), (0.1, 0.5), 9, (3, 0.2), (3, 0.5)),  # texture: the network's word; colour as measured
        ((8, 0.5), (0.5, 0.5), 9, (4, 0.2), (8, 0.5)),  # as alike as noise
        ((8, 0.5), (0.5, 0.5), 9, (1.2, 0.2), (1.2, 0.5)),  # but the network knows it for texture
        ((8, 0.5), (0.1, 0.1), 9, (12, 0.9), (8, 0.5)),  # never more than the smoothest places have
        ((8, 4.0), (0.1, 0.5), 9, (3, 0.2), (4, 4.0)),  # luma has at least as much as colour
        ((8, 4.0), (0.5, 0.5), 0.7, (7, 0.2), (5, 4.0)),  # and hardly more, if it is white
        ((8, 4.0), (0.5, 0.5), 0.7, (4.5, 0.2), (4.5, 4.0)),  # of which patches have nothing to say
        ((8, 1.0), (0.5, 0.5), 0.7, (4, 0.2), (8, 1.0)),  # but grain lies over weak noise
    ],
)  # fmt: skip
def test_patches_and_network_are_weighed_where_nothing_was_compressed(measured, alike, coarse, told, expected):
    found = ByTone(np.array([0.5]), np.array([measured]), np.array([alike]), np.array([coarse]), np.ones(1))
    assert uncompressed(found, np.array([told], float))[0] == pytest.approx(expected)


def test_without_the_network_patches_alone_tell(tmp_path, monkeypatch):
    def missing(*_: object) -> np.ndarray:
        raise NetworkUnavailableError("noise-net")

    monkeypatch.setattr(noise_net, "log_probabilities", missing)
    source = picture(data.grass() / 255, tmp_path)
    assert picture_noise(source, 90).luminance_at == pytest.approx(in_patches(source).sigma[:, 0])
    flat = picture(0.5 + np.random.default_rng(2).normal(0, 4 / 255, (200, 200)), tmp_path)
    assert picture_noise(flat).luminance == pytest.approx(4 * 3**0.5, rel=0.05)  # patches as alike as noise makes them


def test_16_bits_and_8_bits_of_a_clean_picture_read_alike(tmp_path):
    """What lies between the steps of 8 bits is not taken for noise."""
    smooth = cv2.resize(data.coffee()[:240, :240].astype(np.float32) / 255, (256, 256), interpolation=cv2.INTER_CUBIC)
    stored = np.round(65535 * np.clip(smooth, 0, 1)).astype(np.uint16)
    fine = PictureSource(tmp_path / "x.tif", stored, icc.profile("srgb"))
    assert picture_noise(fine).luminance == pytest.approx(picture_noise(picture(smooth, tmp_path)).luminance, abs=0.3)


def test_pictures_of_a_few_cells_and_less_are_read(tmp_path):
    noisy = 0.5 + np.random.default_rng(3).normal(0, 5 / 255, (100, 110, 3))
    assert picture_noise(picture(noisy, tmp_path)).luminance == pytest.approx(5, rel=0.25)
    assert picture_noise(picture(noisy[:12, :12], tmp_path)).luminance == 0
