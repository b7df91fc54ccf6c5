"""Finished pictures for training: what is done to them, and the conditions that say so."""

import numpy as np
import pytest
from skimage import data

from tests.conftest import psnr
from training import finished
from training.finished import Mix, compress, draw_finished, metered

pytestmark = pytest.mark.slow

RNG = np.random.default_rng(8)


def smooth_patch(edge: int = 192) -> np.ndarray:
    """Grey with a gentle ramp, 8 bit."""
    ramp = np.linspace(90, 160, edge)
    return np.round(np.broadcast_to(ramp[None, :, None], (edge, edge, 3))).astype(np.uint8)


def only(kind: str) -> Mix:
    """Nothing but pictures of one kind, told their noise as it is."""
    return Mix(chance=tuple(float(k == kind) for k in finished.KINDS), wrong=0)


@pytest.mark.parametrize("kind", finished.KINDS)
def test_every_kind_stays_near_its_truth_in_shape_range_and_colour(kind):
    mix = only(kind)
    shifts = []
    for _ in range(12):
        sample = draw_finished(smooth_patch(), RNG, mix)
        assert sample.picture.shape == sample.truth.shape == sample.conditions.shape == (192, 192, 3)
        assert np.isfinite(sample.picture).all()
        assert sample.conditions.min() >= 0
        shifts.append(np.abs(sample.picture.mean((0, 1)) - sample.truth.mean((0, 1))).max())
    # Strong noise cut off at black and white shifts the mean a little; a wrong matrix or pattern would shift it a lot.
    assert np.median(shifts) < 0.02


@pytest.mark.parametrize("sigma", [5, 25])
def test_metered_noise_is_the_noise_put_in_even_on_texture(sigma):
    truth = data.chelsea()[60:252, 100:292].astype(np.float32) / 255
    noisy = truth + RNG.normal(0, sigma / 255, truth.shape).astype(np.float32)
    noise = metered(noisy, truth)
    assert noise.luminance == pytest.approx(sigma, rel=0.1)
    assert noise.colour == pytest.approx(sigma, rel=0.1)


def test_compression_costs_more_at_lower_quality():
    truth = data.astronaut()[:192, :192].astype(np.float32) / 255
    results = [psnr(compress(truth, q, RNG), truth) for q in (95, 60, 20)]
    assert results == sorted(results, reverse=True)
    assert results[0] > 30


def test_the_compression_plane_follows_the_quality():
    planes = {float(draw_finished(smooth_patch(), RNG, only("compressed")).conditions[0, 0, 2]) for _ in range(30)}
    assert min(planes) == 0  # some are left uncompressed
    assert 0.5 < max(planes) <= 0.9


def test_noise_lifts_the_empty_channels_of_vivid_colours(monkeypatch):
    monkeypatch.setattr(finished, "VIVID", 1)
    brick = np.full((192, 192, 3), (150, 40, 30), np.uint8)
    samples = [draw_finished(brick, RNG, only("camera")) for _ in range(20)]
    empty = [s for s in samples if s.truth[..., 1:].max() == 0]
    assert len(empty) > 5
    assert min(s.picture[..., 1:].mean() for s in empty) >= 0
    assert max(s.picture[..., 1:].mean() for s in empty) > 4 / 255  # whole steps too much on the mean of both
    assert all(s.truth[..., 0].min() > 150 / 255 for s in samples)


def test_most_pictures_of_cameras_are_compressed_little():
    planes = [float(draw_finished(smooth_patch(), RNG, only("camera")).conditions[0, 0, 2]) for _ in range(80)]
    compressed = [p for p in planes if p > 0]
    assert np.mean([p <= 0.35 for p in compressed]) > 0.6  # of any quality alike, two in five would be
    assert max(compressed) > 0.5  # but some were saved again
