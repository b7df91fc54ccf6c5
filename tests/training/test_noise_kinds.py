"""Pictures of known noise for training: what they are told to be, and in what form the network sees them."""

import numpy as np
import pytest
from skimage import data

from crispgrain.core.meter.noise_net import CELL, LEVELS, PLANES, as_input
from training import noise_kinds
from training.finished import Mix

PATCH = data.chelsea()[60:252, 100:292]


def test_levels_lie_around_the_noise_of_a_cell_and_keep_its_mean():
    sigma = np.full((2 * CELL, 3 * CELL, 3), 3.0, np.float32) / 255
    sigma[:CELL, :CELL, 0] = 100 / 255  # more than the last level
    sigma[:, :, 1] = 0
    shares = noise_kinds.levels_of(sigma).reshape(2, len(LEVELS), 2, 3)
    assert shares.sum(axis=1) == pytest.approx(np.ones((2, 2, 3)))
    assert shares[0, -1, 0, 0] == 1
    assert (shares[1, 0] == 1).all()
    assert np.exp2(np.log2(LEVELS) @ shares[0, :, 1, 2]) == pytest.approx(3, rel=1e-4)


def test_white_noise_drawn_is_of_the_level_told(monkeypatch):
    """The median of what is told, against the noise that was added, where nothing compressed or cut it off."""
    monkeypatch.setattr(noise_kinds, "MIX", Mix(chance=(1, 0, 0), weaker=4, wrong=0))
    for later in ("SMOOTHED", "RESIZED", "GRAINY", "COLOUR_OFF"):
        monkeypatch.setattr(noise_kinds, later, 0)
    rng, ratios = np.random.default_rng(4), []
    while len(ratios) < 8:
        crop = noise_kinds.draw_crop(PATCH, rng)
        error = crop.picture - crop.truth
        if crop.conditions[0, 0, 2] > 0 or not 1 < 255 * crop.conditions[..., 0].mean() < 10:
            continue
        ratios.append(float(crop.conditions[..., 0].mean() / (error.mean(axis=-1).std() * 3**0.5)))
    assert np.median(ratios) == pytest.approx(1, rel=0.1)


def test_a_grey_picture_has_no_noise_of_colour(monkeypatch):
    monkeypatch.setattr(noise_kinds, "GREY", 1)
    crop = noise_kinds.draw_crop(PATCH, np.random.default_rng(5))
    assert np.ptp(crop.picture, axis=-1).max() == 0
    assert crop.conditions[..., 1].max() < 1e-6


def test_where_colour_noise_was_taken_off_that_of_luma_is_left(monkeypatch):
    monkeypatch.setattr(noise_kinds, "MIX", Mix(chance=(1, 0, 0), weaker=0.2, compressed=(0, 0, 0), wrong=0))
    for name, share in (
        ("SMOOTHED", 0),
        ("RESIZED", 0),
        ("GRAINY", 0),
        ("COLOUR_OFF", 1),
        ("COMPRESSED", 0),
        ("GREY", 0),
    ):
        monkeypatch.setattr(noise_kinds, name, share)
    rng = np.random.default_rng(7)
    luma, colour, _ = np.mean([noise_kinds.draw_crop(PATCH, rng).conditions.mean((0, 1)) for _ in range(6)], axis=0)
    assert luma > 20 / 255
    assert colour < 0.4 * luma


def test_grain_lies_in_luma_alone_on_what_has_a_mix_of_its_own(monkeypatch):
    monkeypatch.setattr(noise_kinds, "MIX", Mix(chance=(1, 0, 0), weaker=0.2, wrong=0))  # strong white noise
    monkeypatch.setattr(noise_kinds, "UNDER_GRAIN", Mix(chance=(0, 0, 1), compressed=(0, 0, 0), wrong=0))
    for name, share in (("SMOOTHED", 0), ("RESIZED", 0), ("GRAINY", 1), ("COMPRESSED", 0), ("GREY", 0)):
        monkeypatch.setattr(noise_kinds, name, share)
    rng = np.random.default_rng(8)
    luma, colour, _ = np.mean([noise_kinds.draw_crop(PATCH, rng).conditions.mean((0, 1)) for _ in range(12)], axis=0)
    assert luma > 1 / 255
    assert colour < 0.2 * luma  # where a channel is at its end


def test_the_network_sees_weak_noise_as_well_as_strong():
    """Half a step or fifty: both fill the input's range, and neither the tone nor a slope is mistaken for it."""
    rng = np.random.default_rng(6)
    flat = np.full((1, 64, 64, 3), 0.5, np.float32)  # between two steps of 8 bits
    weak, strong = (as_input(flat + rng.normal(0, s / 255, flat.shape).astype(np.float32), 0.2) for s in (0.5, 50))
    assert weak.shape == (1, PLANES, 64, 64)
    assert weak[0, 0].std() > 0.15
    assert strong[0, 0].std() < 12 * weak[0, 0].std()  # a hundred times as strong
    ramp = flat * 0 + (50 + 2 * np.arange(64, dtype=np.float32)[:, None]) / 255
    assert np.abs(as_input(ramp, 0.2)[0, :3, 1:-1, 1:-1]).max() < 1e-3
    between = flat + np.float32(0.4 / 255) * rng.choice([-1, 1], flat.shape).astype(np.float32)
    assert np.abs(as_input(between + np.float32(0.5 / 255), 0.2)[0, :3]).max() < 1e-3
    assert as_input(flat, 0.2)[0, 3].mean() == pytest.approx(0, abs=0.6 / 255)
    assert as_input(flat, 0.2)[0, 4].mean() == pytest.approx(0.2)
