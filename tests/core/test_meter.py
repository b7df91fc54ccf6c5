"""The meter against noise and blur that are known."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data

from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import measure
from crispgrain.core.meter.compression import LUMA, from_table
from crispgrain.core.meter.mosaic_noise import mosaic_noise
from crispgrain.core.meter.noise_line import fit_line, smooth_variance
from crispgrain.core.meter.patches import content
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import scene
from crispgrain.simulation import camera
from tests.conftest import encoded, photograph_as_raw, psnr, write_raw

RNG = np.random.default_rng(5)


def as_source(stored: np.ndarray, tmp_path) -> PictureSource:
    return PictureSource(tmp_path / "x.png", stored.astype(np.float32), icc.profile("srgb"))


@pytest.mark.slow
@pytest.mark.parametrize("sigma", [3, 10, 25])
def test_noise_of_a_flat_picture_within_5_percent(tmp_path, sigma):
    flat = 0.45 + RNG.normal(0, sigma / 255, (300, 400, 3))
    noise = measure(as_source(flat, tmp_path)).noise
    assert noise.luminance == pytest.approx(sigma, rel=0.05)
    assert noise.colour == pytest.approx(sigma, rel=0.05)


@pytest.mark.slow
@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea", "rocket"])
@pytest.mark.parametrize("sigma", [10, 25])
def test_noise_of_textured_photographs_within_10_percent(tmp_path, name, sigma):
    # Photographs shipped with scikit-image.
    noisy = getattr(data, name)() / 255 + RNG.normal(0, sigma / 255, getattr(data, name)().shape)
    noise = measure(as_source(noisy, tmp_path)).noise
    assert noise.luminance == pytest.approx(sigma, rel=0.1)
    assert noise.colour == pytest.approx(sigma, rel=0.1)


@pytest.mark.slow
@pytest.mark.parametrize(("name", "own"), [("astronaut", 0), ("coffee", 0), ("hubble_deep_field", 3.4)])
def test_noise_of_small_busy_pictures_is_not_overrated(tmp_path, name, own):
    """Top left corners of photographs shipped with scikit-image: hair, a table's grain, noisy stars."""
    crop = getattr(data, name)()[:256, :256] / 255
    noise = measure(as_source(crop + np.random.default_rng(3).normal(0, 5 / 255, crop.shape), tmp_path)).noise
    assert 4.7 < noise.luminance < 1.3 * np.hypot(5, own)
    assert noise.colour == pytest.approx(5, rel=0.1)


def test_luminance_and_colour_noise_are_told_apart(tmp_path):
    grey = RNG.normal(0, 12 / 255, (300, 400, 1))
    noise = measure(as_source(0.5 + grey + np.zeros(3), tmp_path)).noise
    # The same noise in all channels is sqrt(3) times as long along the orthonormal luma axis.
    assert noise.luminance == pytest.approx(12 * 3**0.5, rel=0.05)
    assert noise.colour < 0.5


def without_profile(path):
    """The shot as from a camera that does not state its noise: the meter has pixels only."""
    return replace(read_shot(path), noise_profile=None)


@pytest.mark.slow
@pytest.mark.parametrize("iso", [400, 25600])
def test_slope_of_raw_noise_within_10_percent(tmp_path, iso):
    noise = mosaic_noise(without_profile(write_raw(tmp_path / "p.dng", scene("orrery"), iso)))
    a, b = camera.noise_at(iso)
    assert noise.a == pytest.approx([a] * 3, rel=0.1)
    # The two terms together, at a signal that fills much of the scene.
    assert np.array(noise.a) * 0.2 + noise.b == pytest.approx(a * 0.2 + b, rel=0.1)


@pytest.mark.parametrize("name", ["astronaut", "coffee", "rocket"])
@pytest.mark.parametrize("iso", [6400, 25600])
def test_raw_noise_of_small_busy_photographs(tmp_path, name, iso):
    """Few smooth places, mostly dark ones: their noise must not be taken for that of lighter tones."""
    noise = measure(without_profile(photograph_as_raw(tmp_path / "p.dng", name, iso)[0])).noise
    a, b = camera.noise_at(iso)
    for signal in (0.02, 0.1, 0.4):
        assert np.array(noise.a) * signal + noise.b == pytest.approx(a * signal + b, rel=0.25)


@pytest.mark.parametrize("name", ["astronaut", "chelsea"])
def test_fur_is_not_denoised_as_noise_when_the_file_knows_better(tmp_path, name):
    noise = measure(read_shot(photograph_as_raw(tmp_path / "p.dng", name, 400)[0])).noise
    a, b = camera.noise_at(400)
    assert np.all(np.array(noise.a) * 0.1 + noise.b < 1.6 * (a * 0.1 + b))
    assert noise.confidence < 1


@pytest.mark.slow
def test_a_noise_profile_that_agrees_does_not_replace_the_measurement(tmp_path):
    path = write_raw(tmp_path / "p.dng", scene("orrery"), 6400)
    noise = mosaic_noise(read_shot(path))
    assert replace(noise, iso=None) == mosaic_noise(without_profile(path))
    assert noise.iso == pytest.approx(6400, rel=0.1)


def test_texture_does_not_raise_the_line(tmp_path):
    signal = np.linspace(0.02, 0.9, 14)
    variance = 1e-3 * signal + 2e-5
    spoilt = variance.copy()
    spoilt[[4, 9, 12]] *= 3
    a, b = fit_line(signal, spoilt, np.full(14, 1000))
    assert a == pytest.approx(1e-3, rel=0.05)
    assert b == pytest.approx(2e-5, rel=0.3)


def test_choosing_smooth_patches_does_not_bias_pure_noise():
    patches = RNG.normal(0, 2.0, (30_000, 25)).astype(np.float32)
    assert smooth_variance(content(patches))[0] == pytest.approx(4.0, rel=0.02)


@pytest.mark.slow
@pytest.mark.parametrize("name", ["astronaut", "rocket", "camera"])
def test_a_sharp_clean_photograph_is_left_alone(tmp_path, name):
    """Photographs of scikit-image, sharp and clean because they are shrunk by two."""
    photograph = getattr(data, name)()
    small = cv2.resize(photograph, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    sharp = np.repeat(np.atleast_3d(small), 3 // np.atleast_3d(small).shape[2], axis=2) / 255
    source = as_source(sharp, tmp_path)
    pipeline = Shot(source, measure(source)).pipeline(Treatment())
    assert psnr(encoded(pipeline.region(pipeline.size.rect)), sharp) > 46


@pytest.mark.parametrize("blur", [0.8, 1.4, 2.0])
def test_softness_of_edges(tmp_path, blur):
    step = np.full((300, 300), 0.2, np.float32)
    cv2.fillPoly(step, [np.array([[40, 60], [260, 30], [220, 250], [70, 270]])], 0.8)
    step = cv2.GaussianBlur(cv2.resize(step, (1200, 1200), interpolation=cv2.INTER_NEAREST), (0, 0), 4 * blur)
    step = cv2.resize(step, (300, 300), interpolation=cv2.INTER_AREA)
    reading = measure(as_source(np.repeat(step[..., None], 3, axis=2), tmp_path))
    assert reading.blur.softness == pytest.approx(blur, abs=0.25)


@pytest.mark.slow
@pytest.mark.parametrize("softness", [0.6, 1.2])
@pytest.mark.parametrize("iso", [400, 6400])
def test_softness_of_a_raw_is_read_through_its_noise_and_past_thin_lines(tmp_path, softness, iso):
    scene_part = scene("orrery")[800:2000, 800:2300]
    path = write_raw(tmp_path / "p.dng", camera.lens_softness(scene_part, softness), iso)
    assert measure(read_shot(path)).blur.softness == pytest.approx(softness, abs=0.25)


def test_a_picture_too_small_to_measure_gets_an_honest_nothing(tmp_path):
    reading = measure(as_source(np.full((1, 1, 3), 0.5), tmp_path))
    assert reading.noise.confidence == 0
    assert reading.noise.luminance == 0


def test_a_black_raw_does_not_upset_the_meter(tmp_path):
    noise = measure(read_shot(write_raw(tmp_path / "p.dng", np.zeros((300, 400, 3), np.float32), 1600))).noise
    assert np.isfinite([*noise.a, *noise.b, noise.luminance]).all()


def test_texture_in_one_colour_is_not_taken_for_noise(tmp_path, clean):
    """A small, busy crop with little blue in it must not be denoised to death."""
    noise = measure(without_profile(write_raw(tmp_path / "p.dng", camera.lens_softness(clean, 0.6), 400))).noise
    a, b = camera.noise_at(400)
    for signal in (0.02, 0.1, 0.3):
        measured = np.array(noise.a) * signal + noise.b
        assert np.all(measured < 1.6 * (a * signal + b))


@pytest.mark.parametrize("quality", [10, 35, 50, 75, 90, 98])
@pytest.mark.parametrize("subsampling", [0, 2])
def test_jpeg_quality_is_read_from_the_tables(tmp_path, quality, subsampling):
    path = tmp_path / "x.jpg"
    Image.fromarray(data.coffee()[:128, :160]).save(path, quality=quality, subsampling=subsampling)
    found = measure(read_shot(path)).jpeg
    assert found.quality == pytest.approx(quality, abs=1)
    assert found.confidence > 0.95
    assert found.strength == 100 - found.quality


def test_tables_of_a_makers_own_get_the_quality_of_like_coarseness_and_less_confidence():
    own = np.full(64, 12)  # as coarse at every frequency
    found = from_table(tuple(own.tolist()))
    assert 70 < found.quality < 95
    assert found.confidence < 0.6


@pytest.mark.slow
@pytest.mark.parametrize("quality", [15, 40, 75, 88])
def test_jpeg_quality_is_read_from_pixels_when_the_tables_are_gone(tmp_path, quality):
    """A cropped screenshot of a JPEG: quality and block grid are still in its pixels."""
    jpeg, png = tmp_path / "x.jpg", tmp_path / "x.png"
    Image.fromarray(data.coffee()).save(jpeg, quality=quality, subsampling=0)
    Image.fromarray(np.asarray(Image.open(jpeg))[3:, 6:]).save(png)
    found = measure(read_shot(png)).jpeg
    assert found.quality == pytest.approx(quality, abs=3)
    assert (found.grid, found.found_in) == ((2, 5), "pixels")


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
def test_a_picture_never_compressed_shows_no_comb(tmp_path, name):
    # Shrunk by two: what their own compression left is gone.
    small = cv2.resize(getattr(data, name)(), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    assert measure(PictureSource(tmp_path / "x.png", small, icc.profile("srgb"))).jpeg.quality is None


def test_no_tables_no_quality(tmp_path):
    found = measure(as_source(np.full((80, 80, 3), 0.4), tmp_path)).jpeg
    assert (found.quality, found.confidence, found.strength) == (None, 0, 0)


def test_the_standards_own_table_is_quality_50():
    # ITU-T T.81 table K.1 is unscaled at 50 in the Independent JPEG Group's library.
    assert from_table(tuple(LUMA.tolist())).quality == 50
