"""Blurred pictures for training: kernels, what the network is told, and that a sharp one is among them."""

import numpy as np
import pytest
from scipy import stats
from skimage import data

from crispgrain.restoration.point_spread import aperture, gaussian, line
from tests.conftest import psnr
from training import blurred

RNG = np.random.default_rng(4)
PATCH = data.astronaut()[:192, :192]


@pytest.mark.parametrize(
    ("kernel", "sigma"),
    [(gaussian(1.3), 1.3), (aperture(3.0), 1.5), (line(8, 0), 8 / 24**0.5), (line(8, 60), 8 / 24**0.5)],
)
def test_the_size_of_a_blur_is_its_sigma(kernel, sigma):
    """A disc of radius r has variance r^2 / 4 each way, a line of length n a mean of n^2 / 24: elementary integrals."""
    assert blurred.size(kernel) == pytest.approx(sigma, rel=0.08)


@pytest.mark.parametrize("kind", blurred.KINDS)
def test_a_kernel_only_spreads_light(monkeypatch, kind):
    monkeypatch.setattr(blurred, "CHANCE", [float(k == kind) for k in blurred.KINDS])
    for _ in range(10):
        kernel = blurred.draw_kernel(RNG)
        assert kernel.min() >= 0
        assert kernel.sum() == pytest.approx(1, abs=1e-3)
        places = np.arange(len(kernel)) - len(kernel) // 2
        assert abs(kernel.sum(axis=0) @ places) < 0.05  # nothing is shifted
        assert (blurred.size(kernel) == 0) == (kind == "sharp")


def test_the_network_is_told_of_the_blur_it_sees(monkeypatch):
    monkeypatch.setattr(blurred, "STRONGEST", 0.0)
    samples = [blurred.draw_blurred(PATCH, RNG) for _ in range(24)]
    told = np.array([s.conditions[0, 0, 1] for s in samples])
    lost = np.array([psnr(s.picture, s.truth) for s in samples])
    assert told.max() <= 1
    assert stats.spearmanr(told, lost).statistic < -0.6
    assert all(s.picture.shape == s.truth.shape == s.conditions.shape for s in samples)


def test_truths_are_of_different_crispness():
    steepest = [np.abs(np.diff(blurred.draw_blurred(PATCH, RNG).truth, axis=1)).max() for _ in range(24)]
    asit = np.abs(np.diff(PATCH / 255, axis=1)).max()
    whole = np.isclose(steepest, asit, atol=0.01)
    assert 4 <= whole.sum() <= 20
    assert min(steepest) < 0.8 * asit
