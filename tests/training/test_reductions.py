"""Reduced pictures for training the detail nets."""

import numpy as np
import pytest
from skimage import data

from tests.conftest import psnr
from training.reductions import RIM, draw_pair, reduce

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
