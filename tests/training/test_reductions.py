"""Reduced pictures for training the detail nets."""

import cv2
import numpy as np
import pytest
from skimage import data

from tests.conftest import psnr
from training.reductions import RIM, draw_pair, reduce, shrink

RNG = np.random.default_rng(4)


@pytest.mark.parametrize("factor", [2, 4])
def test_a_pair_shows_the_same_place(factor):
    patch = data.coffee()[: 40 * factor, : 40 * factor]
    for _ in range(8):
        small, truth = draw_pair(patch, factor, RNG)
        assert truth.shape == ((40 - 2 * RIM) * factor, (40 - 2 * RIM) * factor, 3)
        assert small.shape == (40 - 2 * RIM, 40 - 2 * RIM, 3)
        blocks = truth.reshape(32, factor, 32, factor, 3).mean((1, 3))
        assert psnr(small, blocks) > 26  # shifted by a pixel it would be far lower
        assert psnr(np.roll(small, 1, 0), blocks) < psnr(small, blocks) - 2


def test_reducing_keeps_the_mean_colour():
    truth = data.astronaut()[:128, :128].astype(np.float32) / 255
    for _ in range(10):
        assert reduce(truth, 2, RNG).mean((0, 1)) == pytest.approx(truth.mean((0, 1)), abs=0.01)


def test_a_picture_made_smaller_is_the_whole_picture_in_sizes_of_all_kinds():
    picture = data.astronaut()[:400]
    sides = []
    for _ in range(40):
        small = shrink(picture, 90, 300, RNG)
        height, width = small.shape[:2]
        sides.append(height)
        assert small.dtype == np.uint8 and width == pytest.approx(512 / 400 * height, abs=1)
        assert psnr(small / 255, cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA) / 255) > 27
    assert 90 <= min(sides) < 110 and 250 < max(sides) <= 300
    assert 130 < np.median(sides) < 200  # the geometric middle of both ends is 164
    assert min(shrink(picture, 90, 600, RNG).shape[:2]) <= 400  # never larger
