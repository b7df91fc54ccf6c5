"""The network for sensors whose colours repeat every 6 x 6 pixels."""

from __future__ import annotations

import numpy as np
import pytest

torch = pytest.importorskip("torch")

from crispgrain.simulation.camera import SIX_BY_SIX, mosaic_of  # noqa: E402
from training.mosaic import measured  # noqa: E402
from training.networks import SixBySixNet  # noqa: E402
from training.sensor import draw_sample  # noqa: E402

RNG = np.random.default_rng(6)


@pytest.fixture
def uncorrected():
    """The network before it has learnt to correct anything."""
    network = SixBySixNet()
    torch.nn.init.zeros_(network.body.tail.weight)
    torch.nn.init.zeros_(network.body.tail.bias)
    return network


def seen(network, picture: np.ndarray) -> np.ndarray:
    mosaic = torch.from_numpy(mosaic_of(picture, SIX_BY_SIX))[None, None]
    _, _, rows, columns = mosaic.shape
    with torch.no_grad():
        told = measured(SIX_BY_SIX, max(rows, columns))[..., :rows, :columns]
        found = network(mosaic, torch.zeros(1, 1, rows // 2, columns // 2), told)
    return found[0].permute(1, 2, 0).numpy()


def test_an_even_colour_is_interpolated_exactly(uncorrected):
    colour = np.array([0.7, 0.4, 0.1], np.float32)
    picture = np.broadcast_to(colour, (48, 72, 3)).copy()
    assert np.abs(seen(uncorrected, picture) - picture).max() < 1e-5


def test_no_colour_is_taken_for_another(uncorrected):
    """Only red is lit: all of it is seen, and none in the other colours."""
    picture = np.zeros((48, 48, 3), np.float32)
    picture[..., 0] = 1
    found = seen(uncorrected, picture)
    assert found[..., 0].min() > 0.999
    assert np.abs(found[..., 1:]).max() == 0


def test_a_sample_is_of_the_pattern_and_has_no_unequal_greens():
    patch = np.full((96, 96, 3), (200, 90, 40), np.uint8)
    for _ in range(20):
        sample = draw_sample(patch, RNG, SIX_BY_SIX)
        red, green = (np.tile(c == SIX_BY_SIX, (16, 16)) for c in (0, 1))
        assert np.median(sample.mosaic[red]) == pytest.approx(
            np.median(sample.target[..., 0]), abs=3 * sample.sigma + 0.03
        )
        assert sample.mosaic[green].shape == (96 * 96 * 20 // 36,)
