"""Shaken pictures for training, and the path that follows from what was seen and what was there."""

import numpy as np
import pytest
from skimage import data

torch = pytest.importorskip("torch")

from training import shaken  # noqa: E402


def pairs(count: int) -> list[tuple[np.ndarray, np.ndarray, np.ndarray]]:
    rng = np.random.default_rng(2)
    edge = shaken.EDGE + 2 * shaken.RIM
    return [shaken.draw_shaken(data.astronaut()[:edge, 130 : 130 + edge], rng) for _ in range(count)]


def planes(*pictures: np.ndarray) -> list[torch.Tensor]:
    return [torch.from_numpy(p)[None, None] for p in pictures]


def test_paths_are_whole_centred_and_of_many_lengths():
    rng = np.random.default_rng(1)
    paths = [shaken.draw_path(rng) for _ in range(40)]
    places = np.arange(shaken.PATHS) - shaken.PATHS // 2
    for path in paths:
        assert path.shape == (shaken.PATHS, shaken.PATHS)
        assert path.sum() == pytest.approx(1, abs=1e-4)
        assert path.min() >= 0
        assert max(abs(path.sum(0) @ places), abs(path.sum(1) @ places)) < 1
    spread = [np.sqrt(path.sum(0) @ places**2 + path.sum(1) @ places**2) for path in paths]
    assert max(spread) > 3 * min(spread)


def test_the_path_is_found_from_the_truth_and_not_from_what_was_seen(monkeypatch):
    """Least squares in the frequency domain: right with the true picture, wrong with the shaken one."""
    monkeypatch.setattr(shaken, "NOISIEST", 0.002)
    right, wrong = [], []
    for seen, sharp, path in pairs(8):
        seen_, sharp_, path_ = planes(seen, sharp, path)
        for picture, errors in ((sharp_, right), (seen_, wrong)):
            loss = shaken.path_and_picture(shaken.encoded_luminance(picture), (seen_, sharp_, path_))
            assert loss.shape == (1, 1, 1, 1)
            errors.append(float(loss))
    assert np.median(right) < 0.03
    assert np.median(wrong) > 3 * np.median(right)


def test_what_leads_to_the_path_is_learnt(monkeypatch):
    """The gradient of the loss points from the shaken picture towards the true one."""
    monkeypatch.setattr(shaken, "NOISIEST", 0.002)
    (case,) = pairs(1)
    seen, sharp, path = planes(*case)
    start, end = shaken.encoded_luminance(seen), shaken.encoded_luminance(sharp)
    output = start.clone().requires_grad_()
    shaken.path_and_picture(output, (seen, sharp, path)).sum().backward()
    assert float((output.grad * (end - start)).sum()) < 0
