"""Noise of a RAW whose shading was put right before it was written; the simulated camera knows by how much."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from skimage import data

from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from crispgrain.core.files import RawSource
from crispgrain.core.meter import measure, reading_from_json
from crispgrain.core.meter.corners import corner_gain
from crispgrain.core.meter.suspects import suspects_of
from crispgrain.core.meter.words import noise_words
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.radial_gain import radial_gain
from crispgrain.simulation import camera
from crispgrain.simulation.in_camera import shading
from tests.conftest import encoded, psnr

USED = camera.FIELD_TWO
PLAIN = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")
DENOISED = PLAIN.set("denoise.on", True)


def truth(name: str) -> np.ndarray:
    """A photograph of scikit-image, four times side by side and mirrored: linear, in the working space."""
    picture = np.pad(getattr(data, name)(), ((0, 200), (0, 300), (0, 0)), mode="symmetric").astype(np.float32)
    height, width = (n // 2 * 2 for n in picture.shape[:2])
    return apply_matrix(srgb_decode(picture[:height, :width] / 255), SRGB_TO_WORKING)


def put_right(clean: np.ndarray, iso: int, corner: float, pattern: str = "RGGB") -> RawSource:
    """What a camera writes that lost light in the corners and multiplied it again."""
    which, span = replace(USED, pattern=pattern), USED.white - USED.black
    gain = shading(*clean.shape[:2], corner)
    signal = (camera.expose(clean / gain[..., None], iso, 5, which).astype(np.float32) - USED.black) / span * gain
    values = np.clip(np.rint(signal * span + USED.black), 0, USED.white).astype(np.uint16)
    cell = camera.PATTERNS[pattern]
    return RawSource(
        Path("x.dng"), values, cell, np.full(cell.shape, USED.black, np.float32), float(USED.white),
        np.array(USED.balance, np.float32), USED.to_working,
    )  # fmt: skip


def result(source: RawSource, treatment: Treatment, reading) -> np.ndarray:
    pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
    return pipeline.region(pipeline.size.rect)


def test_the_gain_is_that_of_the_simulated_camera():
    size = Size(100, 140)
    np.testing.assert_allclose(radial_gain(size.rect, size, 2.5), shading(100, 140, 2.5), rtol=1e-6)
    part = Rect(20, 30, 40, 50)
    np.testing.assert_array_equal(radial_gain(part, size, 2.5), radial_gain(size.rect, size, 2.5)[part.slices])


@pytest.mark.slow
@pytest.mark.parametrize("pattern", ["RGGB", "six by six"])
@pytest.mark.parametrize(("iso", "corner"), [(1600, 1.0), (1600, 2.5), (12800, 1.0), (12800, 1.6), (12800, 2.5)])
def test_the_gain_is_found_within_a_fifth_and_the_noise_is_that_of_the_middle(iso, corner, pattern):
    source = put_right(truth("coffee"), iso, corner, pattern)
    assert corner_gain(source) == pytest.approx(corner, rel=0.2)
    noise = measure(source).noise
    a, b = camera.noise_at(iso)
    assert np.sqrt(noise.a[1] * 0.18 + noise.b[1]) == pytest.approx(np.sqrt(a * 0.18 + b), rel=0.2)


@pytest.mark.parametrize("name", ["astronaut", "chelsea", "coffee", "rocket"])
@pytest.mark.parametrize("iso", [400, 3200])
def test_noise_that_is_alike_everywhere_is_left_alone(name, iso):
    assert corner_gain(put_right(truth(name), iso, 1.0)) == 1.0


@pytest.mark.slow
def test_denoise_is_nearly_as_good_as_if_shading_were_put_right_afterwards():
    """Beside the same mosaic taken for one with even noise, and beside light put right after Denoise."""
    clean = truth("coffee")
    source = put_right(clean, 12800, 2.5)
    reading = measure(source)
    even = replace(reading, noise=replace(reading.noise, corner=1.0))
    told = psnr(encoded(result(source, DENOISED, reading)), encoded(clean))
    assert told > psnr(encoded(result(source, DENOISED, even)), encoded(clean)) + 0.3
    dark = put_right(clean / shading(*clean.shape[:2], 2.5)[..., None], 12800, 1.0)
    after = result(dark, DENOISED, measure(dark)) * shading(*clean.shape[:2], 2.5)[..., None]
    assert told > psnr(encoded(after), encoded(clean)) - 0.3


@pytest.mark.slow
@pytest.mark.parametrize("model", ["mosaic-net", "mosaic-dct", "matched-mosaic"])
def test_brightness_stays_and_tiles_make_no_difference(model):
    source = put_right(np.full((320, 400, 3), 0.3, np.float32), 800, 2.5)
    reading = measure(source)
    assert reading.noise.corner > 2
    treatment = DENOISED.set("denoise.model", model)
    resolved = resolve(treatment, source, reading)
    assert resolved[Stage.DENOISE].model.id == model
    small, large = (Pipeline(source, reading, resolved, tile=tile) for tile in (160, 960))
    whole = large.region(large.size.rect)
    assert np.abs(small.region(small.size.rect) - whole).max() < 1e-2
    for y in (np.s_[:40], np.s_[-40:], np.s_[140:180]):
        for x in (np.s_[:40], np.s_[-40:], np.s_[180:220]):
            assert whole[y, x].mean() == pytest.approx(0.3, rel=0.03)


def test_a_picture_from_afar_and_a_kept_reading_know_it_too():
    source = put_right(np.full((320, 400, 3), 0.3, np.float32), 3200, 2.5)
    reading = measure(source)
    pipeline = Pipeline(source, reading, resolve(DENOISED, source, reading)).reduced(2)
    assert pipeline.reading.noise.corner == reading.noise.corner
    small = pipeline.region(pipeline.size.rect)
    assert small[:20, :20].mean() == pytest.approx(0.3, rel=0.03)
    assert reading_from_json(reading.as_json()) == reading


@pytest.mark.slow
def test_stronger_noise_in_the_corners_is_said_and_makes_no_dots():
    source = put_right(truth("coffee"), 3200, 2.5)
    noise = measure(source).noise
    said = f"up to {noise.corner:.1f} times as strong in the corners, which the camera has brightened"
    assert said in noise_words(noise)
    assert not any("corners" in words for words in noise_words(replace(noise, corner=1.0)))
    places = len(suspects_of(source, noise).places), len(suspects_of(source, replace(noise, corner=1.0)).places)
    assert places[0] < places[1]
