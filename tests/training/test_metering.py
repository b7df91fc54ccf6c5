"""Pictures of known noise, for training the network that meters it."""

import numpy as np
import pytest
from skimage import data

torch = pytest.importorskip("torch")

from crispgrain.core.colour.spaces import OPPONENT, apply_matrix  # noqa: E402
from crispgrain.core.networks.noise import CELL, LEAST_SIGMA  # noqa: E402
from training import finished, metering  # noqa: E402
from training.networks import NoiseNet  # noqa: E402

PATCH = data.astronaut()[200:392, 100:292]


def drawn(count: int) -> list[finished.Finished]:
    rng = np.random.default_rng(4)
    return [metering.draw_metered(PATCH, rng) for _ in range(count)]


def test_pictures_are_as_files_hold_them():
    pictures = [d.picture for d in drawn(12)]
    assert all(0 <= p.min() <= p.max() <= 1 for p in pictures)
    whole = [np.abs(255 * p - np.round(255 * p)).max() < 1e-3 for p in pictures]
    assert 2 <= sum(whole) < 12


def test_what_is_asked_is_the_noise_that_was_added(monkeypatch):
    """White noise: the mean of the cells against the difference of picture and truth."""
    monkeypatch.setattr(metering, "CHANCE", (1, 0, 0))
    clean = [d for d in drawn(16) if not d.conditions[..., 2].any()]  # compression takes part of it off
    assert len(clean) > 6
    for one in clean:
        planes = [torch.from_numpy(v).permute(2, 0, 1)[None] for v in (one.picture, one.truth, one.conditions)]
        (picture,), target, _ = metering.metering(*planes)
        assert target.shape == (1, 2, 192 // CELL, 192 // CELL)
        told = float((target.exp() - LEAST_SIGMA)[0, 0].mean())
        error = apply_matrix(one.picture - one.truth, OPPONENT)[..., 0]
        assert told == pytest.approx(255 * error.std(), rel=0.35, abs=0.6)
        assert picture.shape[-1] == 192


def test_a_wrong_answer_costs_less_where_it_is_called_unsure():
    target = torch.zeros(1, 2, 1, 1)
    sure, unsure, right = (
        torch.tensor([v, v, w, w]).reshape(1, 4, 1, 1) for v, w in ((1.0, -3.0), (1.0, 0.0), (0.0, -3.0))
    )
    cost = [float(metering.laplacian(output, target).sum()) for output in (right, unsure, sure)]
    assert cost == sorted(cost)


def test_the_network_gives_an_answer_for_each_cell():
    assert NoiseNet()(torch.rand(2, 3, 96, 64)).shape == (2, 4, 96 // CELL, 64 // CELL)
