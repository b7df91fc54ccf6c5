"""The curve a RAW comes up with: by its histogram, as its camera shows it, or none."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, luminance, srgb_decode, srgb_encode
from crispgrain.core.files import read_shot
from crispgrain.core.meter import exposure, first_reading, reading_from_json
from crispgrain.core.meter.base_curve import by_histogram
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.restoration.curves import through
from tests.conftest import photograph, write_raw

PLAIN = Treatment().only([])
HOWS = ("camera", "linear")


@pytest.fixture(scope="module")
def raw(tmp_path_factory):
    clean = 0.001 + srgb_decode(photograph("coffee")) / 8
    clean = 0.4 * clean + 0.6 * clean.mean(-1, keepdims=True)
    return write_raw(tmp_path_factory.mktemp("raw") / "r.dng", clean[:192, :192], 100)


def developed(source, reading, how):
    pipeline = Pipeline(source, reading, resolve(PLAIN.set("develop.base", how), source, reading))
    return pipeline.region(pipeline.size.rect)


def test_linear_is_light_as_it_is_and_the_histogram_makes_it_steeper(raw):
    source = read_shot(raw)
    reading = first_reading(source)
    plain, curved = (developed(source, reading, how) for how in ("linear", "histogram"))
    bare = replace(reading, tones=replace(reading.tones, lift=0.0))
    np.testing.assert_allclose(plain, developed(source, bare, "linear") * 2**reading.tones.lift, rtol=1e-4, atol=1e-6)
    before, after = (srgb_encode(luminance(p)) for p in (plain, curved))
    assert np.quantile(after, 0.002) < 0.03 and after.std() > 1.03 * before.std()
    # Colours stay what they are: channels keep their ratios wherever no one of them is lighter than white.
    inside = (curved.max(-1) < 0.95) & (plain.min(-1) > 0.02)
    ratios = curved[inside] / plain[inside]
    assert np.ptp(ratios, axis=-1).max() / ratios.mean() < 0.02


def test_it_looks_as_its_camera_shows_it(raw, monkeypatch):
    source = read_shot(raw)
    plain = developed(source, first_reading(source), "linear")
    y = luminance(plain)[..., None]
    encoded = srgb_encode(np.maximum(y, 1e-4))
    steeper = srgb_decode(0.95 * encoded - 0.1 * np.sin(2 * np.pi * encoded)) / np.maximum(y, 1e-4)
    shown = icc.from_working((y + 1.25 * (plain - y)) * steeper, icc.profile("srgb"), 8)
    monkeypatch.setattr(exposure, "embedded_preview", lambda path, longest: shown)
    reading = first_reading(source)
    assert reading_from_json(reading.as_json()) == reading

    def tones(picture):
        light = apply_matrix(srgb_decode(picture.astype(np.float32) / 255), SRGB_TO_WORKING)
        return 255 * np.quantile(srgb_encode(luminance(light)), (0.1, 0.25, 0.5, 0.75, 0.9))

    pictures = [icc.from_working(developed(source, reading, how), icc.profile("srgb"), 8) for how in HOWS]
    camera, linear = (np.abs(tones(p) - tones(shown)) for p in pictures)
    assert camera.mean() < 5 and camera.mean() < linear.mean() / 2
    strong = [np.ptp(p, axis=-1).mean() for p in (*pictures, shown)]
    assert abs(strong[0] - strong[2]) < abs(strong[1] - strong[2])


def test_a_camera_that_left_no_picture_is_said(raw):
    source = read_shot(raw)
    resolved = resolve(PLAIN.set("develop.base", "camera"), source, first_reading(source))
    assert any("no picture by its camera" in r for r in resolved[Stage.DEVELOP].remarks)
    assert "base-points" in resolved[Stage.DEVELOP].values


@given(st.floats(0.001, 2), st.floats(0, 1), st.floats(0, 4))
@settings(max_examples=60, deadline=None)
def test_no_picture_gets_a_curve_that_turns_and_fog_stays_fog(middle, spread, lamps):
    rng = np.random.default_rng(0)
    pixels = np.float32(middle) * (1 - spread + 2 * spread * rng.random((40, 50, 1))).repeat(3, -1).astype(np.float32)
    pixels[:2] = lamps
    curve = through(by_histogram(pixels))
    values = curve(np.linspace(-0.2, 2.5, 500))
    assert np.diff(values).min() > 0 and np.isfinite(values).all()
    assert float(curve(np.array(0.3))) > 0.1  # what is no darker than that is no black


def test_noise_is_known_after_the_curve(raw):
    source = read_shot(raw)
    reading = first_reading(source)
    noisy = replace(reading, noise=replace(reading.noise, luminance=2.0, colour=2.0, levels=(0.0, 1.0),
                                           luminance_at=(2.0, 2.0), colour_at=(2.0, 2.0)))  # fmt: skip
    pipeline = Pipeline(source, noisy, resolve(PLAIN.set("develop.exposure", 0.0), source, noisy))
    after = pipeline.steps[-1].after.noise
    curve = through(reading.tones.curve)
    for level in (0.3, 0.6):
        grains = level + np.random.default_rng(1).standard_normal(20000) * 2 / 255
        seen = 255 * curve(grains).std()
        assert np.interp(float(curve(np.array(level))), after.levels, after.luminance_at) == pytest.approx(
            seen, rel=0.1
        )
