"""The mosaic net's result cleaned together with what looks alike, by the cells of one colour each."""

from dataclasses import replace

import numpy as np
import pytest

from crispgrain.core.files import RawSource, read_shot
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.networks.mosaic import mosaic_of
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect
from crispgrain.restoration.block_matching import BLOCK, GROUP, MARGIN, collaborative_filter, match_blocks
from crispgrain.simulation import camera
from tests.conftest import assert_same_in_tiles, encoded, photograph, photograph_as_raw, psnr, write_raw

pytestmark = pytest.mark.slow

RNG = np.random.default_rng(22)
MATCHED = Treatment().only([Stage.DENOISE]).set("denoise.model", "matched-mosaic")
BEST = MATCHED.set("denoise.effort", "best")
ALONE = MATCHED.set("denoise.model", "mosaic-net")


def reading(iso: int) -> Reading:
    a, b = camera.noise_at(iso)
    return Reading(Noise(5, 5, a=(a,) * 3, b=(b,) * 3))


def pipeline(source: RawSource, iso: int, treatment: Treatment = MATCHED, tile: int = 512) -> Pipeline:
    known = reading(iso)
    return Pipeline(source, known, resolve(treatment, source, known), tile=tile)


def treated(source: RawSource, iso: int, treatment: Treatment = MATCHED) -> np.ndarray:
    chain = pipeline(source, iso, treatment)
    return encoded(chain.region(chain.size.rect))


def test_blocks_are_sought_where_the_same_colours_are():
    places = match_blocks(RNG.random((40, 60), np.float32), 4, 2)
    for axis in (0, 1):
        assert (places[..., axis] % 2 == 0).all()
    assert len(np.unique(places[2, 3], axis=0)) == GROUP


def test_they_are_sought_as_far_as_asked():
    """A patch of noise comes again 18 px to the right."""
    pilot = RNG.random((BLOCK, 60), np.float32)
    pilot[:, 36:42] = pilot[:, 18:24]
    there = np.array([MARGIN, MARGIN + 36])
    for far, found in ((12, False), (18, True)):
        places = match_blocks(pilot, 0, 2, far)[0, 3]
        assert (places == there).all(axis=1).any() == found


def test_colours_that_no_cell_saw_are_put_together_like_those_that_were_seen():
    """The pilot shows every colour, paler than it is; the mosaic tells how much paler."""
    truth = photograph("astronaut")[:96, :120]
    pilot = truth.mean(axis=(0, 1)) + 0.8 * (truth - truth.mean(axis=(0, 1)))
    seen, conditioning = (mosaic_of(p)[..., None].astype(np.float32) for p in (truth, pilot))
    groups = match_blocks(pilot[..., 1], 0, 2).reshape(-1, GROUP, 2)
    result = collaborative_filter(seen, conditioning, np.full_like(seen, 0.002), groups, whole=pilot)
    for colour in range(3):
        assert np.square(result - truth)[..., colour].mean() < 0.3 * np.square(pilot - truth)[..., colour].mean()


@pytest.mark.parametrize("iso", [400, 25600])
def test_photographs_come_out_cleaner_than_from_the_network_alone(tmp_path, iso):
    gains = []
    for name in ("astronaut", "coffee", "rocket"):
        path, clean = photograph_as_raw(tmp_path / f"{name}.dng", name, iso)
        source, truth = read_shot(path), encoded(clean)
        alone, fast, best = (psnr(treated(source, iso, t), truth) for t in (ALONE, MATCHED, BEST))
        gains.append((fast - alone, best - alone))
    fast, best = np.mean(gains, axis=0)
    assert fast > 0.08
    assert best > fast + 0.05


def test_a_second_look_helps_where_noise_is_strong(tmp_path, monkeypatch):
    path, clean = photograph_as_raw(tmp_path / "coffee.dng", "coffee", 25600)
    source, truth = read_shot(path), encoded(clean)
    twice = psnr(treated(source, 25600, BEST), truth)
    monkeypatch.setattr("crispgrain.core.stages.denoise.matched_mosaic.MOST_AGAIN", 0)
    assert twice > psnr(treated(source, 25600, BEST), truth) + 0.03


@pytest.mark.parametrize("pattern", camera.BAYER)
def test_every_sensor_phase_gives_the_same_quality(tmp_path, clean, pattern):
    soft = camera.lens_softness(clean[:160, :200], 0.6)
    source = read_shot(write_raw(tmp_path / "p.dng", soft, 3200, camera.Camera(pattern=pattern)))
    reference = read_shot(write_raw(tmp_path / "r.dng", soft, 3200))
    got, expected = (psnr(treated(s, 3200), encoded(soft)) for s in (source, reference))
    assert got == pytest.approx(expected, abs=0.3)


@pytest.mark.parametrize(("effort", "iso"), [("fast", 6400), ("best", 25600)])
def test_tiles_and_patches_agree(tmp_path, clean, floats, effort, iso):
    source = read_shot(write_raw(tmp_path / "rim.dng", clean[:288], iso))
    small, large = (pipeline(source, iso, MATCHED.set("denoise.effort", effort), t) for t in (256, 1024))
    difference = assert_same_in_tiles(small, large, Rect(101, 467, 90, 75))  # across two tiles
    assert np.median(difference) < 2e-7  # the second look falls on the same cells of the network


@pytest.mark.parametrize("shape", [(2, 2), (2, 40), (6, 10), (34, 62)])
def test_small_and_odd_sizes(tmp_path, shape):
    whole = read_shot(write_raw(tmp_path / "p.dng", np.full((64, 64, 3), 0.3, np.float32), 1600))
    source = replace(whole, mosaic=whole.mosaic[: shape[0], : shape[1]].copy())  # LibRaw itself refuses the tiniest
    result = treated(source, 1600)
    assert result.shape == (*shape, 3)
    assert np.isfinite(result).all()


def test_an_even_area_is_nearly_free_of_noise(tmp_path):
    source = read_shot(write_raw(tmp_path / "p.dng", np.full((128, 128, 3), 0.2, np.float32), 6400))
    noise, alone = (treated(source, 6400, t)[2 * BLOCK :].std(axis=(0, 1)) for t in (MATCHED, ALONE))
    assert (noise < alone).all()
