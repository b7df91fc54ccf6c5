"""Blocks that look alike: found where they are, and cleaned together."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from skimage import data

from crispgrain.cancel import Cancelled, CancelToken, cancelled_by
from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import OPPONENT, apply_matrix
from crispgrain.core.files import PictureSource
from crispgrain.core.meter import Compression, Noise, Reading
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect
from crispgrain.restoration.block_matching import (  # fmt: skip
    BLOCK,
    GROUP,
    SEARCH,
    chessboard,
    collaborative_filter,
    match_blocks,
    nearest_blocks,
)
from tests.conftest import assert_same_in_tiles, encoded, photograph, psnr

pytestmark = pytest.mark.slow

RNG = np.random.default_rng(21)
MATCHED = Treatment().only([]).set("denoise.on", True).set("denoise.model", "matched-blocks")


def pipeline(values: np.ndarray, sigma: float, treatment: Treatment = MATCHED, tile: int = 512) -> Pipeline:
    source = PictureSource(Path("x.png"), values.astype(np.float32), icc.profile("srgb"))
    reading = Reading(Noise.even(sigma))
    return Pipeline(source, reading, resolve(treatment, source, reading), tile=tile)


def treated(values: np.ndarray, sigma: float, treatment: Treatment = MATCHED) -> np.ndarray:
    chain = pipeline(values, sigma, treatment)
    return encoded(chain.region(chain.size.rect))


def test_the_most_alike_are_found_where_they_are():
    luma = RNG.integers(0, 256, (100, 100)).astype(np.uint8)
    row, column = 44, 40
    copies = [(-9, 5), (12, -12), (0, 11)]
    for down, right in copies:
        luma[row + down :, column + right :][:BLOCK, :BLOCK] = luma[row:, column:][:BLOCK, :BLOCK]
    found = nearest_blocks(luma, np.array([row]), np.array([column]))[0, 0]
    assert len({tuple(f) for f in found.tolist()}) == GROUP
    assert {tuple(f) for f in found.tolist()} >= {(row, column), *((row + d, column + r) for d, r in copies)}
    assert np.abs(found - (row, column)).max() <= SEARCH


def astronaut() -> np.ndarray:
    return apply_matrix((data.astronaut()[:96, 100:220] / 255).astype(np.float32), OPPONENT)


def lightness(opponent: np.ndarray) -> np.ndarray:
    return opponent[..., 0] * np.float32(3**-0.5)


def groups(pilot: np.ndarray) -> np.ndarray:
    return match_blocks(lightness(pilot)).reshape(-1, GROUP, 2)


@pytest.mark.parametrize("sigma", [0.1, 0.002])
def test_a_perfect_pilot_keeps_the_picture_and_takes_the_noise(sigma):
    """Contrast 500 times as strong as the noise must not get lost in rounding either."""
    truth = astronaut()
    noise = RNG.normal(0, sigma, truth.shape).astype(np.float32)
    cleaned = collaborative_filter(truth + noise, truth, np.full_like(truth, sigma), groups(truth))
    assert np.square(cleaned - truth).mean() < (0.05 if sigma > 0.01 else 0.5) * np.square(noise).mean()


def test_without_noise_nothing_changes_by_a_step_of_8_bits():
    truth = astronaut()
    pilot = truth + RNG.normal(0, 0.01, truth.shape).astype(np.float32)
    assert np.abs(collaborative_filter(truth, truth, np.zeros_like(truth), groups(truth)) - truth).max() < 0.5 / 255
    of_pilot = collaborative_filter(truth, pilot, np.zeros_like(truth), groups(pilot), mean_weight=1)
    assert np.square(of_pilot - truth).mean() < 0.5 * np.square(pilot - truth).mean()


def test_a_group_s_mean_is_the_noisy_one_s_as_far_as_it_is_heeded():
    even, places = np.zeros((48, 48, 3), np.float32), match_blocks(np.zeros((48, 48), np.float32))
    for mean_weight in (0, 0.3, 1):
        cleaned = collaborative_filter(even + 0.5, even, even + 0.1, places.reshape(-1, GROUP, 2), mean_weight)
        assert cleaned == pytest.approx(0.5 * mean_weight, abs=1e-6)


def test_half_of_the_groups_are_a_chessboard_and_the_rest_stays_as_in_the_pilot():
    places = match_blocks(lightness(astronaut()))
    half = chessboard(places)
    rows, columns = places.shape[:2]
    assert len(half) == (rows * columns + 1) // 2
    assert np.array_equal(half[1], places[0, 2])
    assert not (half == places[0, 1]).all(axis=(1, 2)).any()
    pilot = RNG.normal(0, 1, (96, 120, 3)).astype(np.float32)
    few = places[:1, :1].reshape(1, GROUP, 2)
    cleaned = collaborative_filter(pilot + 1, pilot, np.ones_like(pilot), few, mean_weight=1)
    assert np.array_equal(cleaned[60:], pilot[60:])
    assert not np.array_equal(cleaned[:30], pilot[:30])


def test_repeated_texture_comes_out_better_than_from_the_network_alone():
    """A fine weave; the gain on photographs is in docs/benchmarks.md."""
    y, x = np.mgrid[:160, :160]
    weave = 0.5 + 0.2 * np.sin(2 * np.pi * (x + 2 * y) / 5.3) * np.sin(2 * np.pi * (2 * x - y) / 7.1)
    truth = np.stack([weave, 0.9 * weave, 0.8 * weave], axis=-1)
    noisy = truth + RNG.normal(0, 25 / 255, truth.shape)
    alone = psnr(treated(noisy, 25, MATCHED.set("denoise.model", "photo-net")), truth)
    assert psnr(treated(noisy, 25), truth) > alone + 0.5


@pytest.mark.parametrize(("sigma", "least"), [(5, 0.5), (25, 0.3), (50, 0.0)])
def test_white_noise_comes_off_photographs_better_than_by_the_network_alone(sigma, least):
    gains = []
    for name in ("astronaut", "coffee", "rocket"):
        truth = getattr(data, name)()[60:220, 100:260] / 255
        noisy = truth + RNG.normal(0, sigma / 255, truth.shape)
        alone = treated(noisy, sigma, MATCHED.set("denoise.model", "photo-net"))
        gains.append(psnr(treated(noisy, sigma), truth) - psnr(alone, truth))
    assert np.mean(gains) > least


def test_best_effort_is_better():
    truth = data.coffee()[60:220, 100:260] / 255
    noisy = truth + RNG.normal(0, 35 / 255, truth.shape)
    assert psnr(treated(noisy, 35, MATCHED.set("denoise.effort", "best")), truth) > psnr(treated(noisy, 35), truth)


@pytest.mark.parametrize("effort", ["fast", "best"])
def test_tiles_and_patches_agree(effort, floats):
    noisy = data.coffee()[:288] / 255 + RNG.normal(0, 0.05, (288, 600, 3))
    small, large = (pipeline(noisy, 13, MATCHED.set("denoise.effort", effort), t) for t in (256, 1024))
    difference = assert_same_in_tiles(small, large, Rect(101, 467, 90, 75))  # across two tiles
    assert difference.max() < 0.02


@pytest.mark.parametrize("shape", [(1, 1), (1, 40), (3, 2), (37, 53)])
def test_small_and_odd_pictures(shape):
    noisy = 0.5 + RNG.normal(0, 0.05, (*shape, 3))
    result = treated(noisy, 0.05 * 255)
    assert result.shape == noisy.shape
    assert np.isfinite(result).all()
    if noisy.size > 100:  # of a few pixels, nobody can say what is noise
        assert np.abs(result - 0.5).mean() < np.abs(noisy - 0.5).mean()


def test_an_even_area_is_nearly_free_of_noise():
    result = treated(0.5 + RNG.normal(0, 0.1, (128, 128, 3)), 25.5)
    assert result.std() < 0.01


def test_it_stops_when_nobody_wants_the_answer_any_more():
    cancel = CancelToken()
    cancel.cancel()
    planes = np.zeros((8 * BLOCK, 8 * BLOCK, 3), np.float32)
    places = groups(planes)
    with cancelled_by(cancel):
        with pytest.raises(Cancelled):
            match_blocks(planes[..., 0])
        with pytest.raises(Cancelled):
            collaborative_filter(planes, planes, planes + 1, places)


def remarks(sigma: float, colour: float, **reading: object) -> list[str]:
    source = PictureSource(Path("grey.png"), np.zeros((8, 8, 3), np.float32), icc.profile("srgb"))
    return resolve(MATCHED, source, Reading(Noise.even(sigma, colour), **reading)).remarks


def test_it_says_where_the_noise_is_not_white():
    assert remarks(15, 15) == remarks(15, 15, jpeg=Compression(95)) == []
    for said in (remarks(15, 2), remarks(15, 2, jpeg=Compression(98)), remarks(5, 5, jpeg=Compression(75))):
        assert "Photo net" in said[0]
    assert "Mosaic net" in remarks(15, 15, raw=True)[0]


@pytest.mark.parametrize(("sampling", "warned"), [("4:2:0", True), ("4:4:4", False)])
def test_what_it_says_of_a_compressed_shot_is_true(tmp_path, sampling, warned):
    truth = photograph("astronaut")
    noisy = np.clip(truth + np.random.default_rng(5).normal(0, 15 / 255, truth.shape), 0, 1)
    Image.fromarray(np.round(noisy * 255).astype(np.uint8)).save(
        tmp_path / "shot.jpg", quality=95, subsampling=sampling
    )
    shot = open_shot(tmp_path / "shot.jpg")
    results = {}
    for model in ("matched-blocks", "photo-net"):
        made = shot.pipeline(MATCHED.set("denoise.model", model))
        results[model] = psnr(encoded(made.region(made.size.rect)), truth)
        assert bool(made.resolved.remarks) == (warned and model == "matched-blocks")
    assert (results["photo-net"] > results["matched-blocks"]) == warned
