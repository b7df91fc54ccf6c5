"""Small pictures that went through much, for training the networks that restore while they enlarge."""

import numpy as np
import pytest
from skimage import data

from crispgrain.geometry import Size
from tests.conftest import psnr
from training import second_order
from training.second_order import RIM, SMALL, draw_small

EDGE = SMALL + 2 * RIM


def drawn(factor: int, count: int) -> list[tuple[np.ndarray, np.ndarray]]:
    rng = np.random.default_rng(5)
    patch = data.astronaut()[20 : 20 + EDGE * factor, 180 : 180 + EDGE * factor]
    return [draw_small(patch, factor, rng) for _ in range(count)]


def averaged(truth: np.ndarray, factor: int) -> np.ndarray:
    size = Size(truth.shape[0] // factor, truth.shape[1] // factor)
    return truth.reshape(size.height, factor, size.width, factor, 3).mean((1, 3))


@pytest.mark.parametrize("factor", [1, 2, 4])
def test_a_pair_shows_the_same_place(factor):
    nearer = []
    for small, truth in drawn(factor, 24):
        assert small.shape == (SMALL, SMALL, 3)
        assert truth.shape == (SMALL * factor, SMALL * factor, 3)
        assert 0 <= small.min() <= small.max() <= 1
        there = averaged(truth, factor)
        nearer.append(psnr(small, there) > max(psnr(np.roll(small, 1, axis), there) for axis in (0, 1)))
    assert np.mean(nearer) > 0.95  # a grid that is off by a pixel would turn all of them round


def test_they_went_through_much_and_some_through_little(monkeypatch):
    monkeypatch.setattr(second_order, "MILD", 0)
    hard = [psnr(small, averaged(truth, 4)) for small, truth in drawn(4, 40)]
    monkeypatch.setattr(second_order, "MILD", 1)
    mild = [psnr(small, averaged(truth, 4)) for small, truth in drawn(4, 40)]
    assert np.median(mild) > np.median(hard) + 6
    assert np.ptp(hard) > 8  # not all alike


def test_the_place_of_the_block_grid_differs(monkeypatch):
    """JPEG of a lone strong compression: where the steps between columns are largest, modulo 8."""
    monkeypatch.setattr(second_order, "MILD", 0)
    monkeypatch.setattr(second_order, "SECOND", 0)
    monkeypatch.setattr(second_order, "QUALITIES", (22, 23))
    monkeypatch.setattr(second_order, "NOISIEST", 0)
    phases = set()
    for small, _ in drawn(4, 30):
        steps = np.abs(np.diff(small.mean(-1), 2, axis=1)).mean(0)
        phases.add(int(np.argmax([steps[k::8].mean() for k in range(8)])))
    assert len(phases) >= 5
