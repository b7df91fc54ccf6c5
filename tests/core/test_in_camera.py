"""What a camera does to its mosaic before it writes it."""

from __future__ import annotations

import numpy as np
import pytest

from crispgrain.simulation import in_camera

RNG = np.random.default_rng(4)
EVEN = np.full((64, 96), 0.3, np.float32)


def test_twelve_bits_leave_4096_values_at_most() -> None:
    ramp = np.linspace(0, 1, 100_000, dtype=np.float32).reshape(100, 1000)
    rounded = in_camera.with_bits(ramp, 12)
    assert len(np.unique(rounded)) == 4096
    assert np.abs(rounded - ramp).max() <= 0.5 / 4095 + 1e-6


def test_lossy_steps_add_a_twelfth_of_their_square_to_the_variance() -> None:
    """That of a uniform error (W. Bennett, "Spectra of quantized signals", Bell System Technical Journal 27, 1948)."""
    a, b = 4e-4, 1e-6
    noisy = (EVEN + RNG.normal(0, (a * 0.3 + b) ** 0.5, (400, 64, 96))).astype(np.float32).reshape(-1, 96)
    error = in_camera.compressed(noisy, a, b, 1.0) - noisy
    assert error.var() == pytest.approx((a * 0.3 + b) / 12, rel=0.05)


def test_shading_is_put_right_most_in_the_corners() -> None:
    gain = in_camera.shading(200, 300, 2.5)
    assert gain[100, 150] == pytest.approx(1, abs=1e-3)
    assert gain[0, 0] == pytest.approx(2.5, abs=0.02)
    assert gain[0, 150] < gain[0, 0]


def test_smoothing_mixes_no_colours() -> None:
    mosaic = EVEN.copy()
    mosaic[0::2, 0::2] = 0.9
    assert in_camera.smoothed(mosaic, 0.6) == pytest.approx(mosaic, abs=1e-6)
    noisy = (EVEN + RNG.normal(0, 0.01, EVEN.shape)).astype(np.float32)
    assert in_camera.smoothed(noisy, 0.6).std() < 0.7 * noisy.std()
