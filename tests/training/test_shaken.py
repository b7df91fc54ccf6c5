"""Shaken pictures for training: paths, what is shown and told, and where the network begins."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage
from skimage import data

torch = pytest.importorskip("torch")

from tests.conftest import psnr  # noqa: E402
from training import export, shaken  # noqa: E402
from training.__main__ import MODELS  # noqa: E402
from training.loop import alike, take_weights  # noqa: E402
from training.networks import PhotoNet, ShakeNet  # noqa: E402

PATCH = data.astronaut()[:240, :240]


def test_a_path_only_spreads_light_about_its_middle():
    rng = np.random.default_rng(1)
    for _ in range(20):
        path = shaken.draw_path(rng)
        assert path.min() >= 0 and path.sum() == pytest.approx(1, abs=1e-4)
        assert np.abs(np.array(ndimage.center_of_mass(path)) - len(path) // 2).max() <= 0.51


@pytest.mark.slow
def test_along_the_true_path_most_comes_back(monkeypatch):
    for name, value in {"KNOWN": 1.0, "CLIPPED": 0.0, "NOISE": (0.002, 0.0021), "USUAL": 0.01, "MOST": 0.01}.items():
        monkeypatch.setattr(shaken, name, value)
    drawn = [shaken.draw_shaken(PATCH, np.random.default_rng(n)) for n in range(4)]
    inner = np.s_[40:-40, 40:-40]
    gained = [psnr(d.start[inner], d.truth[inner]) - psnr(d.seen[inner], d.truth[inner]) for d in drawn]
    assert min(gained) > 1 and np.mean(gained) > 3
    monkeypatch.setattr(shaken, "KNOWN", 0.0)
    found = shaken.draw_shaken(PATCH, np.random.default_rng(0))
    assert psnr(found.start[inner], found.truth[inner]) < psnr(drawn[0].start[inner], drawn[0].truth[inner])


@pytest.mark.slow
def test_pictures_are_made_and_cut_alike(tmp_path, monkeypatch):
    monkeypatch.setattr(shaken, "PATCH", 180)
    (tmp_path / "train").mkdir()
    np.save(tmp_path / "train" / "one-2.npy", PATCH)
    shaken.make(tmp_path, 0, seed=3)
    batches = shaken.ShakenBatches(tmp_path)
    (shown, conditions), truth, weight = batches(np.random.default_rng(2))
    assert shown.shape == (shaken.BATCH, 6, shaken.EDGE, shaken.EDGE)
    assert conditions.shape == (shaken.BATCH, 3, shaken.EDGE // 2, shaken.EDGE // 2)
    assert weight.mean() == pytest.approx(1, abs=1e-5)
    for left, seen, wanted in zip(shown[:, :3], shown[:, 3:], truth, strict=True):
        for picture in (left, seen):
            assert np.corrcoef(picture.ravel(), wanted.ravel())[0, 1] > 0.8
            assert np.corrcoef(picture.ravel(), wanted.flip(2).ravel())[0, 1] < 0.7


def test_pictures_have_to_be_made_first(tmp_path):
    with pytest.raises(FileNotFoundError, match="train shaken"):
        shaken.ShakenBatches(tmp_path)


def test_the_network_begins_as_the_photo_net_and_heeds_the_second_picture_not_at_all():
    photo, shake = PhotoNet(), ShakeNet()
    shipped = export.shipped_weights(MODELS / "photo-net.onnx")
    take_weights(photo, alike(photo, shipped))
    take_weights(shake, alike(shake, shipped))
    picture, other, conditions = (torch.rand(1, c, n, n) for c, n in ((3, 64), (3, 64), (3, 32)))
    with torch.no_grad():
        expected = photo(picture, conditions)
        assert torch.allclose(shake(torch.cat([picture, other], 1), conditions), expected, atol=1e-5)
        shake.body.head.weight[:, 15:] += 0.1
        assert not torch.allclose(shake(torch.cat([picture, other], 1), conditions), expected, atol=1e-3)
