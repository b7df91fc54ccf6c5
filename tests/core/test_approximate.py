"""What is shown from far away: a treatment on a reduced shot, which must look like the whole one reduced."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from crispgrain.core.files import RawSource
from crispgrain.core.files.reduce import noise_left, reduced
from crispgrain.core.meter import Blur, Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.render import approximate
from crispgrain.core.render.approximate import factor_for, reduce_shot
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import Approximate, Halo, Residual, Result, view_at
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import Shot, open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.restoration.point_spread import as_text, from_text, line
from tests.conftest import encoded, psnr, save_noisy_jpeg

DENOISED = Treatment().only([Stage.DENOISE])


@pytest.fixture(scope="module")
def raw_shot(raw_file) -> Shot:
    return open_shot(raw_file)


@pytest.fixture(scope="module")
def jpeg_shot(tmp_path_factory, clean8) -> Shot:
    return open_shot(save_noisy_jpeg(tmp_path_factory.mktemp("jpeg") / "noisy.jpg", clean8))


def whole(pipeline: Pipeline) -> np.ndarray:
    return pipeline.region(pipeline.size.rect)


def nearness(shot: Shot, treatment: Treatment, factor: int) -> float:
    """PSNR of the approximation against the whole result averaged down."""
    full = whole(shot.pipeline(treatment))
    height, width = (n // factor for n in full.shape[:2])
    exact = cv2.resize(full[: height * factor, : width * factor], (width, height), interpolation=cv2.INTER_AREA)
    near = whole(shot.pipeline(treatment).reduced(factor))[:height, :width]
    return psnr(encoded(near)[4:-4, 4:-4], encoded(exact)[4:-4, 4:-4])


@pytest.mark.slow
@pytest.mark.parametrize("factor", [2, 3, 4])
def test_a_raw_looks_as_it_will_and_its_noise_is_reckoned_with(raw_shot, factor, monkeypatch):
    near = nearness(raw_shot, DENOISED, factor)
    assert near > 33
    monkeypatch.setattr(approximate, "noise_left", lambda *of: 1.0)
    assert near > nearness(raw_shot, DENOISED, factor) + 0.5


@pytest.mark.parametrize("factor", [2, 5])
def test_a_finished_picture_looks_as_it_will(jpeg_shot, factor):
    assert nearness(jpeg_shot, DENOISED, factor) > 35


def test_noise_left_is_what_is_left(raw_shot):
    source = raw_shot.source
    assert isinstance(source, RawSource)
    flat = 3000 + np.random.default_rng(2).normal(0, 100, (900, 1200)).astype(np.float32)
    for factor in (2, 3, 5):
        small = reduced(replace(source, mosaic=flat), factor)
        assert small.mosaic.var() == pytest.approx(100**2 * noise_left(factor), rel=0.05)
        assert small.mosaic.mean() == pytest.approx(3000, abs=2)


@pytest.mark.parametrize("factor", [3, 4])
def test_a_reduced_mosaic_keeps_the_place_of_every_colour(raw_shot, factor):
    """A ramp stays the same ramp in all colours: an offset by half a cell would show as a step."""
    ramp = np.add.outer(np.arange(480.0), 2 * np.arange(640.0)).astype(np.float32)
    small = reduced(replace(raw_shot.source, mosaic=ramp), factor).mosaic
    rows, columns = (factor * (np.arange(n) + 0.5) - 0.5 for n in small.shape)
    expected = np.add.outer(rows, 2 * columns)
    # A colour's cells lie up to half a pixel of the large mosaic off, and are shared where the factor is odd; the
    # wrong half of a cell would be off by half a pixel of the small one: 4.5 here.
    assert np.abs(small - expected)[4:-4, 4:-4].max() <= 2.2


def test_from_half_the_size_on_nothing_is_approximate(jpeg_shot):
    result = Result(jpeg_shot.pipeline(DENOISED))
    assert [factor_for(s) for s in (1.0, 0.5, 0.49, 0.25, 0.2, 0.142)] == [1, 1, 2, 4, 5, 7]
    assert view_at(result, 0.5) is result
    assert isinstance(view_at(result, 0.49), Approximate)


@pytest.mark.parametrize("scale", [0.45, 0.3, 0.11])
@pytest.mark.parametrize("enlarge", [None, 1.7, 4.0, 0.6])
def test_every_tile_of_a_view_can_be_shown_at_any_size(jpeg_shot, scale, enlarge):
    treatment = DENOISED.set("denoise.model", "wavelet")
    if enlarge:
        treatment = treatment.set("enlarge.on", True).set("enlarge.factor", enlarge)
    view = view_at(Result(jpeg_shot.pipeline(treatment, tile=64)), scale)
    rows, columns = (-(-n // view.tile) for n in (view.size.height, view.size.width))
    shapes = [[view.display(r, c).shape for c in range(columns)] for r in range(rows)]
    height, width = sum(line[0][0] for line in shapes), sum(shape[1] for shape in shapes[0])
    assert height == pytest.approx(view.size.height / view.factor, abs=2)
    assert width == pytest.approx(view.size.width / view.factor, abs=2)


def test_residual_and_halo_can_be_looked_at_from_far_away(jpeg_shot):
    before, after = (jpeg_shot.pipeline(t) for t in (Treatment().only([]), DENOISED))
    for view in (Residual(before, after), Halo(before, after)):
        assert view_at(view, 0.25).display(0, 0).shape[2] == 3


def reduced_stages(treatment: Treatment, shot: Shot, factor: int, reading: Reading | None = None):
    reading = reading or shot.reading
    pipeline = Pipeline(shot.source, reading, resolve(treatment, shot.source, reading))
    return pipeline.reduced(factor).resolved


def test_settings_in_pixels_shrink_and_what_cannot_be_seen_is_left_out(jpeg_shot):
    soft = Treatment().set("sharpen.on", True).set("sharpen.model", "defocus").set("finish.on", True)
    stages = reduced_stages(soft.set("sharpen.radius", 6.0).set("sharpen.effort", "best"), jpeg_shot, 3)
    assert stages[Stage.SHARPEN].values["radius"] == pytest.approx(2.0)
    assert stages[Stage.SHARPEN].values["effort"] == "fast"
    assert stages[Stage.SHARPEN].on
    assert (stages[Stage.FINISH].values["amount"], stages[Stage.FINISH].values["medium"]) == (0, "none")
    assert not reduced_stages(soft.set("sharpen.radius", 1.2), jpeg_shot, 3)[Stage.SHARPEN].on


def test_slow_models_have_quick_substitutes(raw_shot):
    stages = reduced_stages(DENOISED.set("denoise.model", "matched-mosaic"), raw_shot, 4)
    assert stages[Stage.DENOISE].model.id == "mosaic-net"


def test_a_blur_path_shrinks_with_the_shot(jpeg_shot):
    path = line(16, 0)
    shake = Treatment().set("sharpen.on", True).set("sharpen.model", "shake").set("sharpen.path", as_text(path))
    small = from_text(str(reduced_stages(shake, jpeg_shot, 4)[Stage.SHARPEN].values["path"]))
    across = np.flatnonzero(small.sum(axis=0) > 0.05)
    assert 3 <= np.ptp(across) + 1 <= 6
    assert small.sum(axis=1).argmax() == len(small) // 2


def test_a_shot_not_measured_yet_can_be_looked_at(raw_shot):
    developed = Treatment().only([Stage.DEVELOP])
    plain = Pipeline(raw_shot.source, Reading(), resolve(developed, raw_shot.source, Reading()))
    assert whole(plain.reduced(3)).shape == (128, 172, 3)


def test_what_enlarge_would_do_for_other_stages_is_done_by_them(jpeg_shot):
    worn = replace(jpeg_shot.reading, blur=Blur("soft lens", 3.0, 3.0))
    treatment = Treatment().set("enlarge.on", True).set("enlarge.model", "restore-net")
    assert not resolve(treatment, jpeg_shot.source, worn)[Stage.DENOISE].on
    stages = reduced_stages(treatment, jpeg_shot, 2, worn)
    assert stages[Stage.DENOISE].on
    assert stages[Stage.SHARPEN].on


def test_a_reduced_shot_is_made_once(jpeg_shot, monkeypatch):
    made = []
    monkeypatch.setattr("crispgrain.core.render.pipeline.reduce_shot", lambda *a: made.append(a) or reduce_shot(*a))
    cache = TileCache()
    for strength in (50, 100):
        whole(jpeg_shot.pipeline(DENOISED.set("denoise.luminance", strength), cache).reduced(3))
    assert len(made) == 1


def test_a_view_all_round_stays_one(jpeg_shot):
    source = replace(jpeg_shot.source, stored=jpeg_shot.source.stored[:252, :504])
    assert source.wraps
    assert reduced(source, 5).wraps


def test_the_reading_is_that_of_the_reduced_shot(raw_shot, jpeg_shot):
    raw = reduce_shot(raw_shot.source, raw_shot.reading, 4).reading.noise
    assert raw.a[1] == pytest.approx(raw_shot.reading.noise.a[1] * noise_left(4))
    jpeg = reduce_shot(jpeg_shot.source, replace(jpeg_shot.reading, blur=Blur(), noise=Noise.even(50)), 3).reading.noise
    assert 2 < jpeg.luminance < 8  # measured: of white noise of 12 a third and a little
