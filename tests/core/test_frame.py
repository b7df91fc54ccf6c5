"""What travels with the pixels: each step is told the noise that the one before has left."""

import numpy as np
import pytest
from scipy import ndimage

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.core.files import PictureSource
from crispgrain.core.frame import Frame
from crispgrain.core.masks import LinearGradient
from crispgrain.core.meter import Blur, Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Size
from tests.conftest import encoded, photograph

NOTHING = Treatment().only([])
STOPS = 2.0


def result(source, reading, treatment) -> np.ndarray:
    pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
    return pipeline.region(pipeline.size.rect)


@pytest.mark.slow
@pytest.mark.parametrize("model", ["photo-net", "sliding-dct", "wavelet"])
def test_brightening_costs_denoising_nothing(model, tmp_path):
    """Denoising under +2 EV is denoising, then +2 EV: the noise is known as it was metered."""
    truth = srgb_encode(srgb_decode(photograph("coffee")) / 2**STOPS)
    noisy = truth + np.random.default_rng(4).normal(0, 6 / 255, truth.shape)
    source = PictureSource(tmp_path / "x.png", noisy.astype(np.float32), icc.profile("srgb"))
    reading = Reading(Noise.even(6))
    denoising = NOTHING.set("denoise.on", True).set("denoise.model", model)
    first = result(source, reading, denoising) * np.float32(2**STOPS)
    np.testing.assert_array_equal(result(source, reading, denoising.set("develop.exposure", STOPS)), first)


def test_a_change_of_light_finds_what_was_denoised_in_the_cache(tmp_path, monkeypatch):
    source = PictureSource(tmp_path / "x.png", photograph("coffee").astype(np.float32), icc.profile("srgb"))
    reading, cache, runs = Reading(Noise.even(6)), TileCache(), []
    denoising = NOTHING.set("denoise.on", True).set("denoise.model", "wavelet")
    compute = Pipeline._compute
    monkeypatch.setattr(Pipeline, "_compute", lambda self, *given: runs.append(given[1]) or compute(self, *given))
    for stops in (0.5, 1.0):
        pipeline = Pipeline(source, reading, resolve(denoising.set("develop.exposure", stops), source, reading), cache)
        pipeline.region(pipeline.size.rect)
    assert runs == [3, 2, 1, 3]


@pytest.mark.parametrize("model", ["sharp-net", "lens-softness"])
def test_sharpening_is_told_the_noise_as_it_is_in_its_light(model, tmp_path):
    """Told the noise of before +2 EV, smooth parts would come out rougher than they went in."""
    flat = np.full((192, 192, 3), 0.25)
    noisy = flat + np.random.default_rng(2).normal(0, 4 / 255, flat.shape)
    source = PictureSource(tmp_path / "x.png", noisy.astype(np.float32), icc.profile("srgb"))
    reading = Reading(Noise.even(4), Blur("soft lens", 1.2, 1.2))
    lit = NOTHING.set("develop.exposure", STOPS)
    sharpened = lit.set("sharpen.on", True).set("sharpen.model", model).set("sharpen.radius", 1.2)
    before, after = (encoded(result(source, reading, t))[24:-24, 24:-24].std() for t in (lit, sharpened))
    assert after < 1.1 * before


@pytest.mark.parametrize("changed", ["light", "noise"])
def test_sharpening_is_told_what_a_zone_before_it_did_to_the_noise_there(changed, tmp_path, floats):
    """In a zone, and outside of it, it is what it would be if all of the picture had been treated like that."""
    noisy = photograph("coffee") + np.random.default_rng(2).normal(0, 4 / 255, (256, 256, 3))
    source = PictureSource(tmp_path / "x.png", noisy.astype(np.float32), icc.profile("srgb"))
    reading = Reading(Noise.even(4), Blur("soft lens", 1.2, 1.2))
    plain = NOTHING.set("sharpen.on", True).set("sharpen.model", "sharp-net").set("sharpen.radius", 1.2)
    half = LinearGradient((0.45, 0.5), (0.55, 0.5))
    if changed == "light":
        whole = plain.set("develop.exposure", STOPS)
        zoned, id = plain.with_zone(Stage.DEVELOP, half)
        zoned = zoned.set(f"{id}.exposure", STOPS)
    else:
        whole = plain.set("denoise.on", True).set("denoise.model", "photo-net")
        zoned, id = plain.set("denoise.on", True).set("denoise.luminance", 0).set("denoise.colour", 0).with_zone(
            Stage.DENOISE, half
        )  # fmt: skip
        plain = zoned.without(id)
        zoned = zoned.set(f"{id}.model", "photo-net")
    mixed, inside, outside = (result(source, reading, t) for t in (zoned, whole, plain))
    reach = 60  # px of margin; beside it nothing of the other half is seen
    # Not to the last bit: sums that slide over the picture round by what they came from.
    np.testing.assert_allclose(mixed[:, : 115 - reach], inside[:, : 115 - reach], atol=1e-6)
    np.testing.assert_allclose(mixed[:, 141 + reach :], outside[:, 141 + reach :], atol=1e-6)
    assert np.abs(inside[:, :50] - outside[:, :50]).max() > 1e-3


SHARPENERS = {
    "sharp-net": {"radius": 1.2},
    "lens-softness": {"radius": 1.2},
    "defocus": {"radius": 2.0},
    "motion": {"length": 5.0, "angle": 30.0},
}


@pytest.mark.slow
@pytest.mark.parametrize("strength", [0, 50, 100])
@pytest.mark.parametrize("model", SHARPENERS)
def test_sharpening_leaves_smooth_parts_as_smooth_as_they_were(model, strength, tmp_path):
    """At most 10 % noisier, however much of the noise Denoise was to take off."""
    flat = np.full((192, 192, 3), 0.5)
    flat[:, 120:] = np.clip(photograph("coffee")[:192, :72], 0, 1)
    soft = ndimage.gaussian_filter(flat, (1.2, 1.2, 0))
    noisy = soft + np.random.default_rng(2).normal(0, 8 / 255, soft.shape)
    source = PictureSource(tmp_path / "x.png", noisy.astype(np.float32), icc.profile("srgb"))
    reading = Reading(Noise.even(8), Blur("soft lens", 1.2, 1.2))
    denoised = NOTHING.set("denoise.on", True).set("denoise.model", "photo-net")
    for name in ("luminance", "colour"):
        denoised = denoised.set(f"denoise.{name}", strength)
    sharpened = denoised.set("sharpen.on", True).set("sharpen.model", model)
    for name, value in SHARPENERS[model].items():
        sharpened = sharpened.set(f"sharpen.{name}", value)
    smooth = np.s_[24:168, 24:90]
    before, after = (encoded(result(source, reading, t))[smooth].std(axis=(0, 1)).mean() for t in (denoised, sharpened))
    assert after < 1.1 * before


def test_what_is_taken_off_twice_is_taken_off_what_was_left():
    frame = Frame(Size(4, 4), Noise.even(8)).denoised(0.5)
    assert frame.left(0.0) == pytest.approx(0.5)
    assert frame.denoised(0.5).left(0.0) == pytest.approx(0.25)
    assert frame.denoised(2.0).left(0.3) == pytest.approx(0.3)
    assert frame.noise == Noise.even(8)


def test_the_blur_that_is_left_follows_sharpening_and_size():
    frame = Frame(Size(100, 200), Noise(), softness=1.0)
    assert frame.sharpened(0.0).softness == 1.0
    assert frame.sharpened(1.0).softness == frame.sharpened(1.6).softness == pytest.approx(0.5)
    assert frame.sharpened(0.5).sized(Size(200, 400)).softness == pytest.approx(1.5)
