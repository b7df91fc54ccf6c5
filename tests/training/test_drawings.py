"""Made-up pictures for training, and the patches drawn from all pictures."""

import cv2
import numpy as np
import pytest

from training import drawings
from training.photographs import PatchSampler, _store, detail, pick, stored


@pytest.fixture(autouse=True)
def small(monkeypatch):
    monkeypatch.setattr(drawings, "EDGE", 96)


def test_a_drawing_is_the_same_for_the_same_seed_only():
    first, again, other = drawings.draw(3), drawings.draw(3), drawings.draw(4)
    assert first.shape == (96, 96, 3)
    assert first.dtype == np.uint8
    assert np.array_equal(first, again)
    assert not np.array_equal(first, other)


def test_drawings_have_strong_colours_dark_places_and_fine_detail():
    pictures = np.stack([drawings.draw(seed) for seed in range(6)]).astype(float)
    assert np.quantile(np.ptp(pictures, axis=-1), 0.9) > 80
    assert pictures.min() < 20
    assert np.abs(np.diff(pictures, axis=2)).max() > 60


@pytest.mark.parametrize(
    "layer", [drawings._filled, drawings._lines, drawings._letters, drawings._fabric, drawings._lamp]
)
def test_every_kind_of_shape_covers_something_and_nothing_beyond(layer):
    rng = np.random.default_rng(2)
    masks = [layer(192, rng) for _ in range(8)]
    assert all(m.shape == (192, 192) and m.min() >= 0 and m.max() <= 1 + 1e-5 for m in masks)
    assert max(m.max() for m in masks) > 0.5
    assert min(m.mean() for m in masks) < 0.9


def test_some_patches_have_their_colours_exchanged():
    picture = np.zeros((64, 64, 3), np.uint8)
    picture[..., 0] = np.arange(64) * 4  # red only
    sampler = PatchSampler([picture], 32, np.random.default_rng(1))
    channels = [int(sampler().reshape(-1, 3).max(axis=0).argmax()) for _ in range(200)]
    assert 0.7 < np.mean([c == 0 for c in channels]) < 0.95
    assert {1, 2} <= set(channels)


def test_patches_with_detail_are_likelier_but_flat_ones_do_occur():
    rng = np.random.default_rng(4)
    flat = np.full((32, 32, 3), 120, np.uint8)
    fine = rng.integers(100, 140, (32, 32, 3)).astype(np.uint8)
    assert detail(flat) == 0
    # The mean difference of two even draws from n values is (n^2 - 1) / 3n; rows and columns are added.
    assert detail(fine) == pytest.approx(2 * (40**2 - 1) / (3 * 40), rel=0.1)
    taken = np.bincount([pick([flat, fine, flat], rng) for _ in range(2000)], minlength=3) / 2000
    assert taken[1] > 0.9
    assert taken[0] > 0
    assert taken[2] > 0


def test_photographs_are_stored_shrunk_as_far_as_they_are_large_enough(tmp_path):
    picture = np.random.default_rng(3).integers(0, 256, (800, 1000, 3), np.uint8)
    _store(cv2.imencode(".png", picture[..., ::-1])[1].tobytes(), "wall", tmp_path)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["wall-2.npy", "wall-3.npy"]
    means = picture.reshape(400, 2, 500, 2, 3).mean(axis=(1, 3))
    assert np.abs(np.load(tmp_path / "wall-2.npy") - means).max() <= 1
    with pytest.raises(ValueError, match="wall"):
        _store(b"no picture", "wall", tmp_path)


def test_photographs_that_were_not_fetched_are_missed_and_not_left_out_in_silence(tmp_path):
    with pytest.raises(FileNotFoundError, match="train data"):
        stored(tmp_path)
