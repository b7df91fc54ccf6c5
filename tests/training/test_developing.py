"""Mosaics developed for training as other programs would."""

import numpy as np
import pytest

from crispgrain.core.colour.spaces import srgb_decode
from crispgrain.simulation.camera import BAYER, mosaic_of
from tests.conftest import photograph, psnr
from training import developing

RNG = np.random.default_rng(5)
GAINS = np.array([2.1, 1.0, 1.6], np.float32)


@pytest.mark.parametrize("share", [0, 1], ids=["OpenCV", "LibRaw"])
def test_every_method_gives_back_the_sensor_s_colours_unbalanced(monkeypatch, share):
    monkeypatch.setattr(developing, "BY_LIBRAW", share)
    sensor = srgb_decode(photograph("coffee")[:96, :128]) / GAINS
    mosaic = mosaic_of(sensor, BAYER["RGGB"])
    results = [developing.demosaic(mosaic, GAINS, RNG) for _ in range(12)]
    for result in results:
        assert result.shape == sensor.shape
        assert psnr(result * GAINS, sensor * GAINS) > 30
        assert np.abs((result - sensor).mean((0, 1))).max() < 0.002
    assert len({float(r.sum()) for r in results}) > 1  # not always the same method


def test_the_benchmarks_developer_is_a_stranger_to_training():
    """LibRaw's AHD, with which tests and benchmarks develop."""
    assert "AHD" not in developing.LIBRAW
