"""Sensors whose colours repeat every 6 x 6 pixels, from the file to the picture; the simulated camera has the truth."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import exiv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from benchmarks import methods
from crispgrain.core.files import RawSource, read_shot
from crispgrain.core.files.preview import sensor_colours
from crispgrain.core.files.reduce import noise_left, reduced
from crispgrain.core.masks import Ground
from crispgrain.core.meter import measure
from crispgrain.core.model import Stage
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import Shot, open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect
from crispgrain.restoration import cells, defect_pixels
from crispgrain.restoration.cells import SIX_BY_SIX, moved, repeated
from crispgrain.restoration.demosaic import directional, linear
from crispgrain.simulation import camera
from tests.conftest import encoded, photograph_as_raw, psnr, write_raw

SIX = camera.Camera(pattern="six by six")
PLAIN = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")
DENOISED = PLAIN.set("denoise.on", True)


@pytest.fixture(scope="module")
def shot(tmp_path_factory: pytest.TempPathFactory, clean) -> Shot:
    return open_shot(write_raw(tmp_path_factory.mktemp("six") / "six.dng", clean, 1600, SIX))


def source_of(mosaic: np.ndarray, pattern: np.ndarray = SIX_BY_SIX) -> RawSource:
    return RawSource(
        Path("x.dng"), mosaic, pattern, np.zeros(pattern.shape, np.float32), 1.0, np.ones(3, np.float32),
        np.eye(3, dtype=np.float32),
    )  # fmt: skip


def seen_of(colours: np.ndarray, pattern: np.ndarray = SIX_BY_SIX) -> np.ndarray:
    return camera.mosaic_of(colours.astype(np.float32), pattern)


def result(shot: Shot, treatment: Treatment) -> np.ndarray:
    pipeline = shot.pipeline(treatment)
    return pipeline.region(pipeline.size.rect)


@given(st.integers(0, 5), st.integers(0, 5), st.integers(6, 40), st.integers(6, 40), st.integers(0, 25))
def test_mirrored_surroundings_keep_every_colour_in_its_place(down, right, height, width, far):
    pattern = moved(SIX_BY_SIX, down, right)
    grown = repeated(pattern, height, width)[cells.mirrored(pattern, (height, width), (far, far), (far, far))]
    expected = repeated(moved(pattern, -far, -far), height + 2 * far, width + 2 * far)
    np.testing.assert_array_equal(grown, expected)


def test_the_surroundings_of_bayer_s_cells_are_those_of_a_mirror():
    mosaic = np.arange(48).reshape(6, 8)
    grown = mosaic[cells.mirrored(cells.RGGB, mosaic.shape, (3, 9), (2, 5))]
    np.testing.assert_array_equal(grown, np.pad(mosaic, ((3, 9), (2, 5)), mode="reflect"))


@pytest.mark.parametrize("turns", range(4))
def test_however_the_cell_is_turned_or_begun_it_is_known(turns):
    for down, right in np.ndindex(6, 6):
        pattern = moved(np.rot90(SIX_BY_SIX, turns), down, right)
        begun, before = cells.known(pattern)
        np.testing.assert_array_equal(moved(begun, *before), pattern)


@pytest.mark.parametrize("masked", [(0, 0), (2, 4), (6, 12)])
@pytest.mark.parametrize("orientation", [1, 3, 6, 8])
def test_every_pixel_keeps_its_colour_however_the_camera_was_held(tmp_path, masked, orientation):
    """A field of one red: red pixels are bright, whatever the orientation and the rows and columns left out."""
    red = np.zeros((128, 202, 3), np.float32)
    red[..., 0] = 0.5
    path = write_raw(tmp_path / "red.dng", red, 100, replace(SIX, masked=masked))
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    image.exifData()["Exif.Image.Orientation"] = exiv2.UShortValue(orientation)
    image.writeMetadata()
    source = read_shot(path)
    assert isinstance(source, RawSource)
    assert not source.bayer
    values = source.region(source.size.rect)
    colours = repeated(source.pattern, *values.shape)
    assert values[colours == 0].min() > 2 * values[colours != 0].max()
    part = source.part(Rect(31, 23, 60, 70))
    inner = part.region(part.size.rect)
    assert inner[repeated(part.pattern, 60, 70) == 0].min() > 2 * values[colours != 0].max()


@pytest.mark.parametrize("start", [(0, 0), (1, 0), (4, 3), (5, 5)])
def test_black_goes_by_the_place_in_the_cell(start):
    black = np.arange(36, dtype=np.float32).reshape(6, 6)
    source = replace(source_of(repeated(black, 30, 42)), black=black, white=100.0)
    rect = Rect(*start, 17, 20)
    assert not source.region(rect).any()
    assert not source.part(rect).region(Rect(0, 0, 17, 20)).any()


@pytest.mark.parametrize("iso", [1600, 12800])
def test_noise_is_metered_within_15_percent(tmp_path, iso):
    """Without what the file says of it; on a photograph."""
    path, clean = photograph_as_raw(tmp_path / "x.dng", "astronaut", iso)
    write_raw(path, np.tile(clean, (2, 2, 1)), iso, SIX)
    noise = measure(replace(read_shot(path), noise_profile=None)).noise
    a, b = camera.noise_at(iso)
    metered, true = (np.sqrt(line[0] * 0.18 + line[1]) for line in ((noise.a[1], noise.b[1]), (a, b)))
    assert metered == pytest.approx(true, rel=0.15)


@pytest.mark.parametrize("method", [linear, directional])
@pytest.mark.parametrize("start", [(0, 0), (1, 2), (5, 3)])
def test_demosaicing_gives_an_even_colour_exactly(method, start):
    colour = np.array([0.6, 0.4, 0.1])
    pattern = moved(SIX_BY_SIX, *start)
    mosaic = seen_of(np.broadcast_to(colour, (60, 54, 3)), pattern)
    assert np.abs(method(mosaic, pattern) - colour).max() < 1e-5


def test_demosaicing_is_better_than_libraw_s(tmp_path, clean):
    """Beside LibRaw's own interpolation for such sensors, on the demo's scene with next to no noise."""
    soft = camera.lens_softness(np.tile(clean, (2, 1, 1)), 0.5)
    path = write_raw(tmp_path / "x.dng", soft, 100, SIX)
    ours = encoded(result(open_shot(path), PLAIN))
    assert near(ours, soft) > near(methods.libraw(str(path), "AHD"), soft)


@pytest.mark.slow
def test_the_network_leaves_less_noise_than_libraw_and_the_photo_net(tmp_path):
    _, clean = photograph_as_raw(tmp_path / "x.dng", "chelsea", 3200)
    clean = np.tile(clean, (3, 3, 1))
    path = write_raw(tmp_path / "x.dng", clean, 3200, SIX)
    ours = encoded(result(open_shot(path), DENOISED))
    photo_net = {"denoise.on": True, "denoise.model": "photo-net"}
    assert near(ours, clean) > near(methods.libraw_then_ours(str(path), "AHD", photo_net), clean) + 0.5


def near(picture: np.ndarray, clean: np.ndarray) -> float:
    """PSNR in dB, without the edges."""
    inner = np.s_[32:-32, 32:-32]
    return psnr(picture[inner], encoded(clean)[inner])


@pytest.mark.parametrize("start", [(1, 0), (0, 1), (3, 3), (5, 2)])
def test_the_network_makes_the_same_wherever_the_cell_begins(shot, start):
    down, right = start
    rect = Rect(down, right, 200, 240)
    part = Shot(shot.source.part(rect, ("part", start)), shot.reading)
    inner = np.s_[60:-60, 60:-60]
    whole = encoded(result(shot, DENOISED))[rect.slices]
    assert psnr(encoded(result(part, DENOISED))[inner], whole[inner]) > 45


def test_strength_none_leaves_the_noise(shot):
    """Nothing taken off: what comes out is as noisy as the demosaiced mosaic."""
    kept = result(shot, DENOISED.set("denoise.luminance", 0.0).set("denoise.colour", 0.0))
    cleaned, noisy = result(shot, DENOISED), result(shot, PLAIN)
    taken, left = (np.std(x - cleaned) for x in (noisy, kept))
    assert left > 0.5 * taken  # by a smoother interpolation


@pytest.mark.usefixtures("floats")
@pytest.mark.parametrize("treatment", [PLAIN, PLAIN.set("develop.model", "linear"), DENOISED], ids=["d", "l", "net"])
def test_tiles_make_no_difference(shot, treatment):
    small, large = shot.pipeline(treatment, tile=160), shot.pipeline(treatment, tile=960)
    part = Rect(60, 90, 300, 400)
    whole = large.region(large.size.rect)
    for other in (small.region(small.size.rect), small.untiled(part)):
        expected = whole if other.shape == whole.shape else whole[part.slices]
        assert np.abs(other - expected).max() <= max(step.model.tolerance for step in large.steps)


@pytest.mark.slow
def test_best_effort_is_better_than_fast(tmp_path, clean):
    shot = open_shot(write_raw(tmp_path / "x.dng", clean, 6400, SIX))
    fast, best = (
        psnr(encoded(result(shot, DENOISED.set("denoise.effort", e))), encoded(clean)) for e in ("fast", "best")
    )
    assert best > fast


def test_models_of_bayer_s_cells_say_why_another_is_taken(shot):
    for model, name in (("mosaic-dct", "Mosaic cosine"), ("matched-mosaic", "Matched mosaic")):
        resolved = resolve(DENOISED.set("denoise.model", model), shot.source, shot.reading)
        assert resolved[Stage.DENOISE].model.id == "mosaic-net"
        said = f"{name} needs a Bayer sensor's mosaic. Mosaic net is used for this shot."
        assert said in resolved[Stage.DENOISE].remarks


def test_a_hot_pixel_is_found_and_filled_at_every_place_of_the_cell(shot):
    noise, colour = shot.reading.noise, np.array([0.3, 0.2, 0.1])
    lines = list(zip(noise.a, noise.b, strict=True))
    for y, x in np.ndindex(6, 6):
        mosaic = seen_of(np.broadcast_to(colour, (60, 60, 3)))
        mosaic[24 + y, 30 + x] = 0.9
        where = defect_pixels.found(mosaic, lines, pattern=SIX_BY_SIX)
        assert np.argwhere(where).tolist() == [[24 + y, 30 + x]]
        even = seen_of(np.broadcast_to(colour, (60, 60, 3)))
        np.testing.assert_allclose(defect_pixels.filled(mosaic, where, SIX_BY_SIX), even)


def test_a_small_picture_has_the_means_of_each_colour():
    colours = np.random.default_rng(1).random((12, 16, 3), np.float32)
    blocks = np.repeat(np.repeat(colours, 3, 0), 3, 1)
    np.testing.assert_allclose(sensor_colours(source_of(seen_of(blocks)), 100), colours, atol=1e-6)
    odd = source_of(seen_of(blocks[:35, :47]))
    np.testing.assert_allclose(sensor_colours(odd, 100)[:11, :15], colours[:11, :15], atol=1e-6)


@pytest.mark.parametrize("factor", [2, 3, 5])
def test_a_reduced_mosaic_has_bayer_s_cells_and_as_little_noise_as_is_reckoned(factor):
    colour = np.array([0.6, 0.4, 0.1])
    small = reduced(source_of(seen_of(np.broadcast_to(colour, (300, 410, 3)))), factor)
    assert small.bayer
    even = camera.mosaic_of(np.broadcast_to(colour.astype(np.float32), (*small.mosaic.shape, 3)), small.pattern)
    np.testing.assert_allclose(small.mosaic, even, atol=1e-5)
    noise = np.random.default_rng(2).standard_normal((900, 1200)).astype(np.float32)
    left = reduced(source_of(noise), factor).mosaic.var()
    assert left == pytest.approx(noise_left(factor, SIX_BY_SIX), rel=0.05)


@pytest.mark.slow
@pytest.mark.parametrize("factor", [2, 4])
def test_the_view_from_afar_looks_as_the_whole_reduced(shot, factor):
    pipeline = shot.pipeline(DENOISED)
    small = pipeline.reduced(factor)
    seen, full = small.region(small.size.rect), pipeline.region(pipeline.size.rect)
    height, width = (n // factor for n in full.shape[:2])
    means = full[: height * factor, : width * factor].reshape(height, factor, width, factor, 3).mean((1, 3))
    assert psnr(encoded(seen[:height, :width]), encoded(means)) > 33


def test_masks_see_an_even_colour_as_even():
    even = source_of(seen_of(np.broadcast_to([0.6, 0.4, 0.1], (96, 126, 3))))
    luma = Ground.of(even).luma(Rect(20, 30, 40, 50))
    assert luma.max() - luma.min() < 1e-4


def test_fringes_are_undone_with_the_shape_where_colours_cannot_be_moved_in_the_mosaic(shot):
    given_by = Treatment().set("lens.on", True).set("lens.by", "own").set("lens.red_size", 2.0)
    resolved = resolve(given_by, shot.source, shot.reading)
    assert "fringes" not in [o.id for o in resolved.beside]
    assert next(o for o in resolved.beside if o.id == "lens").values["red"]
