"""Training samples: right ranges, right noise, and nothing of what is reserved for tests."""

import numpy as np
import pytest

from crispgrain.restoration import anscombe
from training.photographs import PHOTOGRAPHS, RESERVED, PatchSampler, load
from training.sensor import LINEAR, Processing, draw_noise, draw_sample

RNG = np.random.default_rng(1)


def test_reserved_photographs_are_not_trained_on():
    assert not set(PHOTOGRAPHS) & set(RESERVED)
    names = " ".join(PHOTOGRAPHS)
    assert not any(n in names for n in ("life_by", "Garden", "EveningGlow", "OneStandsOut"))


def test_unprocessing_keeps_grey_grey_under_white_balance_and_stays_in_range():
    patch = np.full((8, 8, 3), 128, np.uint8)
    for _ in range(20):
        sensor = Processing.draw(RNG).to_sensor(LINEAR[patch])
        assert sensor.min() >= 0
        assert sensor.max() <= 1
        assert sensor[..., 1].max() >= sensor[..., 0].max()  # green is never the weakest under daylight gains


def test_noise_covers_the_range_of_real_cameras():
    a, b = np.array([draw_noise(RNG) for _ in range(4000)]).T
    assert a.min() < 1.3e-5
    assert a.max() > 2e-2
    assert np.all(b > 0)
    assert np.mean(a <= 1e-6) == pytest.approx(0.1, abs=0.02)


def test_the_noise_of_a_sample_is_what_its_plane_says():
    patch = np.full((64, 64, 3), 140, np.uint8)
    ratios = []
    for _ in range(60):
        sample = draw_sample(patch, RNG)
        if 5e-3 < sample.sigma < 0.1:
            for y, x, c in ((0, 0, 0), (0, 1, 1), (1, 1, 2)):
                error = sample.mosaic[y::2, x::2] - sample.target[y::2, x::2, c]
                ratios.append(error.std() / sample.sigma)
    assert np.median(ratios) == pytest.approx(1, abs=0.06)


def test_black_and_white_are_0_and_1_in_the_stabilised_domain():
    a, b = 1e-3, 1e-5
    low, span = anscombe.ends(a, b)
    ends = (anscombe.forward(np.array([0, 1], np.float32), a, b) - low) / span
    assert ends == pytest.approx([0, 1], abs=1e-6)


def test_patches_have_their_size_and_prefer_structure():
    flat, busy = np.zeros((100, 100, 3), np.uint8), RNG.integers(0, 255, (100, 100, 3)).astype(np.uint8)
    sampler = PatchSampler([flat, busy], 32, RNG)
    patches = [sampler() for _ in range(400)]
    assert all(p.shape == (32, 32, 3) for p in patches)
    # One in five is taken as it comes, and half of those are flat; of the others hardly any.
    assert np.mean([p.std() > 8 for p in patches]) == pytest.approx(0.9, abs=0.05)


def test_no_photographs_says_what_to_run(tmp_path):
    with pytest.raises(FileNotFoundError, match=r"run train data"):
        load(tmp_path)
