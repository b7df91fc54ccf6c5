"""Crops for the blend net: what is in them, and that batches are cut from them as they are."""

import numpy as np
import pytest

torch = pytest.importorskip("torch", reason="torch is for training only")

from skimage import data  # noqa: E402

from tests.conftest import psnr  # noqa: E402
from training import blended  # noqa: E402
from training.networks import BlendNet, PhotoNet  # noqa: E402
from training.pool import CROP  # noqa: E402


@pytest.fixture(scope="module")
def crop():
    return blended._crop(data.astronaut()[:CROP, 100 : 100 + CROP], np.random.default_rng(11))  # white noise


def test_a_crop_holds_results_nearer_to_the_truth_than_the_picture(crop):
    picture, first, second, truth, conditions = np.split(crop.astype(np.float32), 5, axis=-1)
    assert np.abs(truth - data.astronaut()[:CROP, 100 : 100 + CROP] / 255).max() < 1e-3
    assert psnr(picture, truth) + 5 < psnr(first, truth) < psnr(second, truth)
    assert np.sqrt(np.square(picture - truth).mean()) == pytest.approx(conditions[..., 0].mean(), rel=0.1)


def test_batches_are_cut_from_the_bank(tmp_path, crop):
    (tmp_path / "bank").mkdir()
    np.save(tmp_path / "bank" / "1-000.npy", crop[None])
    draw = blended.BankBatches(tmp_path)
    (picture, first, second, conditions), truth, weight = draw(np.random.default_rng(0))
    assert picture.shape == first.shape == second.shape == truth.shape == (16, 3, 64, 64)
    assert conditions.shape == (16, 3, 32, 32)
    assert weight.mean() == pytest.approx(1)
    assert (picture - truth).square().mean() > 3 * (second - truth).square().mean()
    assert len({float(p.sum()) for p in truth}) > 8  # from many places


def test_an_empty_bank_says_what_to_do(tmp_path):
    with pytest.raises(FileNotFoundError, match="run train bank"):
        blended.BankBatches(tmp_path)(np.random.default_rng(0))


def test_the_blend_net_begins_as_the_mean_of_both_results_and_with_what_photo_net_sees():
    torch.manual_seed(0)
    photo, net = PhotoNet(), BlendNet()
    net.begin_like(photo.state_dict())
    picture, first, second = torch.rand(3, 1, 3, 16, 16)
    conditions = torch.rand(1, 3, 8, 8)
    mean = (first + second) / 2
    assert torch.allclose(net(picture, first, second, conditions), mean, atol=1e-6)
    for ours, trained in zip(net.body.tail.parameters(), photo.body.tail.parameters(), strict=True):
        ours.data[:12] = trained.data
    correction = mean - net(picture, first, second, conditions)
    assert torch.allclose(correction, picture - photo(picture, conditions), atol=1e-6)
