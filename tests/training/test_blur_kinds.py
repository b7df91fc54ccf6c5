"""Blocks of known blur for training: that each is what it is called, and in a form the network knows."""

import numpy as np
import pytest
from scipy import stats
from skimage import data

from crispgrain.core.colour.spaces import srgb_encode
from crispgrain.core.meter.blocks import BLOCK
from crispgrain.core.meter.blur_net import KINDS, SOFTNESS, as_input
from crispgrain.simulation.defects import Defects
from training import blur_kinds, sensor
from training.blurred import size

EDGE = BLOCK + 2 * blur_kinds.RIM
PATCH = data.astronaut()[:EDGE, :EDGE]


def test_every_class_is_drawn_and_its_spread_is_of_it():
    rng = np.random.default_rng(1)
    drawn = [blur_kinds.draw_class(rng) for _ in range(400)]
    assert {number for number, _ in drawn} == set(range(len(SOFTNESS) + len(KINDS)))
    for number, spread in drawn:
        assert spread.sum() == pytest.approx(1, abs=1e-3)
        assert max(spread.shape) // 2 <= blur_kinds.RIM  # nothing is drawn from beyond the patch
        if 0 < number < len(SOFTNESS):
            assert SOFTNESS[number - 1] - 0.08 < size(spread) < SOFTNESS[number] + 0.1
    sharp = [spread for number, spread in drawn if not number]
    assert sum(max(s.shape) == 1 for s in sharp) > 60


def test_only_spread_takes_detail_away(monkeypatch):
    """Without noise and programs: the wider the point spread, the less is left of a block's steps."""
    monkeypatch.setattr(blur_kinds, "NOISE", 0.0)
    monkeypatch.setattr(blur_kinds, "RAW", 0.0)
    left, wide = [], []
    rng = np.random.default_rng(2)
    for _ in range(60):
        number, block = blur_kinds.draw_block(PATCH, rng)
        assert block.shape == (BLOCK, BLOCK)
        assert block.dtype == np.float32
        assert 0 <= block.min() <= block.max() <= 1
        if number < len(SOFTNESS):
            y = as_input(block[None])[0, 0]
            left.append(np.abs(np.diff(y)).mean())
            wide.append(number)
    assert stats.spearmanr(left, wide).statistic < -0.6


def test_the_network_sees_contrast_alike_in_every_light():
    """Half or a quarter of the light is nearly the same to it; what is as good as flat stays near 0."""
    y = np.square(np.asarray(PATCH[:BLOCK, :BLOCK, 1], np.float32) / 255)
    bright, dark = as_input(y[None])[0, 0], as_input(0.25 * y[None])[0, 0]
    assert bright.mean() == pytest.approx(0, abs=1e-4)
    assert bright.std() == pytest.approx(1, abs=0.1)
    assert np.corrcoef(bright.ravel(), dark.ravel())[0, 1] > 0.98
    assert dark.std() == pytest.approx(1, abs=0.15)
    flat = np.full((1, BLOCK, BLOCK), 0.2, np.float32)
    flat[:, ::2] += 1e-4
    assert np.abs(as_input(flat)).max() < 0.05
    assert srgb_encode(y).std() > 0.1  # the block itself is not flat


def test_a_sensor_s_blocks_are_white_balanced(monkeypatch):
    """Grey has no cells; so blocks that nothing is in hold noise only."""
    monkeypatch.setattr(blur_kinds, "RAW", 1.0)
    monkeypatch.setattr(blur_kinds, "draw_class", lambda rng: (0, np.ones((1, 1), np.float32)))
    monkeypatch.setattr(sensor, "draw_noise", lambda rng: (1e-6, 1e-9))
    monkeypatch.setattr(sensor, "draw_defects", lambda rng: Defects())
    rng = np.random.default_rng(4)
    grey = np.full((EDGE, EDGE, 3), 90, np.uint8)
    for _ in range(20):
        _, block = blur_kinds.draw_block(grey, rng)
        assert block.shape == (BLOCK, BLOCK)
        assert block.std() < 0.01 * block.mean()
    seen = [blur_kinds.draw_block(PATCH, rng)[1] for _ in range(8)]
    luminance = sensor.LINEAR[PATCH][32:-32, 32:-32] @ blur_kinds.LUMINANCE
    assert min(np.corrcoef(luminance.ravel(), s.ravel())[0, 1] for s in seen) > 0.9
