"""Noise cut off at black: what lifts a channel is taken off, and nothing else."""

import numpy as np
import pytest

from crispgrain.restoration import shadow_clipping
from crispgrain.restoration.shadow_clipping import without_bias

RNG = np.random.default_rng(21)
SIGMA = 0.02
RED = (0.6, 0.0, 0.0)


def picture(colour, cut=True, sigma=SIGMA) -> tuple[np.ndarray, np.ndarray]:
    """An even colour with noise, and its mean, which is what a good denoiser makes of it."""
    noisy = np.broadcast_to(np.array(colour), (128, 128, 3)) + RNG.normal(0, sigma, (128, 128, 3))
    if cut:
        noisy = np.maximum(noisy, 0)
    return noisy.astype(np.float32), np.broadcast_to(noisy.mean((0, 1)), noisy.shape).astype(np.float32)


def test_a_quarter_of_the_lift_of_white_noise_is_taken_off_an_empty_channel():
    noisy, mean = picture(RED)
    # Mean of a normal variable cut off at its own mean: sigma / sqrt(2 pi) (J. Tobin, Econometrica 26(1), 1958).
    assert mean[0, 0, 1] == pytest.approx(SIGMA / np.sqrt(2 * np.pi), rel=0.05)
    result = without_bias(noisy, mean)
    assert result[..., 1].mean() == pytest.approx(0.73 * mean[0, 0, 1], rel=0.05)
    assert np.abs(result[..., 0] - mean[..., 0]).max() < 1e-6


def test_noise_that_keeps_its_values_below_black_lifts_nothing():
    for green in (0.0, 0.5, 1, 2, 3):
        noisy, mean = picture((0.6, green * SIGMA, 0), cut=False)
        assert np.abs(without_bias(noisy, mean) - mean).mean() < 0.02 * SIGMA


@pytest.mark.parametrize("colour", [(0.6, 0.08, 0.1), (0.05, 0.03, 0.02), (0.0, 0.0, 0.0)])
def test_channels_well_above_black_and_shadows_are_left_alone(colour):
    noisy, mean = picture(colour)
    assert np.abs(without_bias(noisy, mean) - mean).max() < 1e-6


def test_leaves_that_shine_through_dark_ones_keep_their_dark_channels():
    """Of strong detail much is taken off with the noise; it must not be held for noise."""
    (dark, dark_mean), (bright, bright_mean) = picture((0.4, 0.02, 0.02)), picture((0.5, 0.3, 0.06))
    leaves = (np.add(*np.mgrid[:128, :128]) // 3 % 2)[..., None] > 0
    noisy, cleaned = np.where(leaves, bright, dark), np.where(leaves, bright_mean, dark_mean)
    flat = (dark_mean - without_bias(dark, dark_mean))[..., 2].mean()
    assert flat > 0.15 * SIGMA
    assert (cleaned - without_bias(noisy, cleaned))[..., 1:].mean() < 0.6 * flat


def test_nothing_is_taken_where_no_noise_was():
    _, mean = picture((0.6, 0.004, 0.0), sigma=0)
    assert np.array_equal(without_bias(mean, mean), mean)


def test_around_is_how_far_it_looks():
    noisy, mean = picture(RED)
    other = noisy.copy()
    other[:, : 64 - shadow_clipping.AROUND] = -0.1
    one, two = without_bias(noisy, mean), without_bias(other, mean)
    assert np.array_equal(one[:, 64:], two[:, 64:])
    assert not np.array_equal(one[:, 63], two[:, 63])
