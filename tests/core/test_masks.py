"""Operations that show in a part of the picture only."""

import numpy as np
import pytest

from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.frame import Frame
from crispgrain.core.masks import Ground, LinearGradient, blended
from crispgrain.core.meter import Noise, Reading, measure
from crispgrain.core.model import Stage
from crispgrain.core.operation import Operation
from crispgrain.core.render.overview import overview
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size
from tests.conftest import photograph

PLAIN = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")
READING = Reading(Noise.even(12))
UPPER = LinearGradient((0.5, 0.4), (0.5, 0.6))  # from 40 % to 60 % of the height
TOP, BOTTOM = np.s_[:102], np.s_[154:]  # of 256 rows


@pytest.fixture(scope="module")
def picture(tmp_path_factory) -> PictureSource:
    noisy = photograph("astronaut") + np.random.default_rng(1).normal(0, 12 / 255, (256, 256, 3))
    return PictureSource(tmp_path_factory.mktemp("x") / "x.png", noisy.astype(np.float32), icc.profile("srgb"))


def whole(source, treatment: Treatment, reading: Reading = READING, tile: int = 96) -> np.ndarray:
    pipeline = Pipeline(source, reading, resolve(treatment, source, reading), tile=tile)
    return pipeline.region(pipeline.size.rect)


def ground(size: Size) -> Ground:
    return Ground.of(PictureSource("x.png", np.zeros((size.height, size.width, 3), np.uint8), icc.profile("srgb")))


def test_a_gradient_is_whole_on_one_side_and_nothing_on_the_other():
    values = UPPER.values(Frame(Size(100, 50), Noise()), ground(Size(100, 50)), Rect(0, 0, 100, 50))
    assert (values[:40] == 1).all() and (values[60:] == 0).all()
    assert (np.diff(values[:, 7]) <= 0).all()
    assert values[50, 0] + values[49, 0] == pytest.approx(1, abs=1e-6)
    assert (values == values[:, :1]).all()


def test_a_gradient_stays_on_its_subject_in_another_frame():
    slanted = LinearGradient((0.1, 0.2), (0.7, 0.9))
    source = Size(100, 200)
    whole_frame = Frame(source, Noise())
    near = whole_frame.sized(Size(200, 400))
    a = slanted.values(whole_frame, ground(source), Rect(20, 30, 10, 10))
    b = slanted.values(near, ground(source), Rect(40, 60, 20, 20)).reshape(10, 2, 10, 2).mean((1, 3))
    np.testing.assert_allclose(a, b, atol=1e-3)


def test_mixing_is_exact_at_both_ends():
    rng = np.random.default_rng(2)
    a, b = rng.random((2, 5, 5, 3), np.float32)
    np.testing.assert_array_equal(blended(a, b, np.zeros((5, 5), np.float32)), a)
    np.testing.assert_array_equal(blended(a, b, np.ones((5, 5), np.float32)), b)


def masked(treatment: Treatment, stage: Stage, mask: LinearGradient) -> Treatment:
    own = treatment[stage]
    return treatment.put(Operation(own.id, stage, own.on, own.model, own.values, mask))


@pytest.mark.parametrize("model", ["wavelet", "sliding-dct", "photo-net"])
def test_denoise_behind_a_gradient_leaves_the_other_half_alone(model, picture):
    everywhere = PLAIN.set("denoise.on", True).set("denoise.model", model)
    mixed = whole(picture, masked(everywhere, Stage.DENOISE, UPPER))
    full, off = whole(picture, everywhere), whole(picture, PLAIN)
    np.testing.assert_array_equal(mixed[TOP], full[TOP])
    np.testing.assert_array_equal(mixed[BOTTOM], off[BOTTOM])
    between = mixed[110:146]
    assert not np.array_equal(between, full[110:146]) and not np.array_equal(between, off[110:146])


@pytest.mark.slow
@pytest.mark.parametrize("model", ["mosaic-net", "mosaic-dct"])
def test_so_does_a_model_on_the_mosaic(model, raw_file):
    """Which is mixed where it has colours: with the plain development."""
    source = read_shot(raw_file)
    reading = measure(source)
    everywhere = PLAIN.set("denoise.on", True).set("denoise.model", model)
    mixed = whole(source, masked(everywhere, Stage.DENOISE, UPPER), reading, 384)
    full, off = whole(source, everywhere, reading, 384), whole(source, PLAIN, reading, 384)
    rows = source.size.height
    np.testing.assert_array_equal(mixed[: int(0.39 * rows)], full[: int(0.39 * rows)])
    np.testing.assert_array_equal(mixed[int(0.61 * rows) :], off[int(0.61 * rows) :])


def test_two_zones_of_exposure_and_the_rest_as_it_was(picture):
    treatment, sky = PLAIN.with_zone(Stage.DEVELOP, UPPER)
    treatment, ground = treatment.with_zone(Stage.DEVELOP, LinearGradient((0.5, 0.9), (0.5, 0.8)))
    treatment = treatment.set(f"{sky}.exposure", -1.0).set(f"{ground}.exposure", 1.0)
    result, plain = whole(picture, treatment), whole(picture, PLAIN)
    np.testing.assert_array_equal(result[TOP], plain[TOP] * np.float32(0.5))
    np.testing.assert_array_equal(result[154:204], plain[154:204])
    np.testing.assert_array_equal(result[231:], plain[231:] * np.float32(2))
    np.testing.assert_array_equal(result, whole(picture, treatment, tile=512))
    off = treatment.set(f"{sky}.on", False).set(f"{ground}.on", False)
    np.testing.assert_array_equal(whole(picture, off), plain)


def test_a_zone_keeps_its_place_under_crop_and_size(picture):
    treatment, sky = PLAIN.with_zone(Stage.DEVELOP, UPPER)
    treatment = treatment.set(f"{sky}.exposure", -1.0)
    full = whole(picture, treatment)
    part = whole(picture, treatment.set("crop.top", 25.0).set("crop.left", 50.0))
    np.testing.assert_array_equal(part, full[64:, 128:])


def test_a_zone_of_a_model_on_the_mosaic_is_replaced_and_that_is_said(raw_file):
    source = read_shot(raw_file)
    reading = measure(source)
    treatment, _zone = PLAIN.with_zone(Stage.DENOISE, UPPER, "mosaic-net")
    (operation,) = resolve(treatment, source, reading).beside
    assert operation.model.id == "photo-net"
    assert "Photo net is used" in operation.remarks[0]


def test_the_first_look_has_the_light_of_its_zones(picture):
    treatment, sky = PLAIN.with_zone(Stage.DEVELOP, UPPER)
    treatment = treatment.set(f"{sky}.exposure", -1.0)
    first = overview(picture, resolve(treatment, picture, READING))
    np.testing.assert_allclose(first, whole(picture, treatment), atol=1e-6)
