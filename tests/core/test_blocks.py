"""Which blocks of a shot the meter looks at for blur."""

from pathlib import Path

import numpy as np
import pytest

from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource, RawSource
from crispgrain.core.meter.blocks import BLOCK, MOST_BLOCKS, sharpest_blocks
from crispgrain.restoration.cells import SIX_BY_SIX
from crispgrain.simulation.camera import BAYER, mosaic_of

GAINS = np.array([2.0, 1.0, 1.5], np.float32)
PATTERNS = {**BAYER, "six by six": SIX_BY_SIX}


def raw_of(colours: np.ndarray, pattern: str) -> RawSource:
    """A sensor's record of colours (H x W x 3, 0..1)."""
    cell = PATTERNS[pattern]
    black, camera = np.zeros(cell.shape, np.float32), np.eye(3, dtype=np.float32)
    return RawSource(Path("x.dng"), mosaic_of(colours.astype(np.float32), cell), cell, black, 1.0, GAINS, camera)


@pytest.mark.parametrize("halved", [False, True])
@pytest.mark.parametrize("pattern", PATTERNS)
def test_an_even_colour_has_no_detail_whatever_a_sensor_s_cells_are(pattern, halved):
    even = np.broadcast_to(np.array([0.3, 0.2, 0.1]), (400, 500, 3))
    blocks = sharpest_blocks(raw_of(even, pattern), halved)
    assert blocks.shape[1:] == (BLOCK, BLOCK)
    four = halved and pattern in BAYER  # the mean of four pixels, two of them green
    assert blocks[:, 8:-8, 8:-8] == pytest.approx((0.6 + 0.2 * (1 + four) + 0.15) / (3 + four), abs=1e-3)


@pytest.mark.parametrize("pattern", ["GBRG", "six by six"])
def test_halved_a_line_is_half_as_far_from_the_next(pattern):
    lines = np.zeros((600, 600, 3))
    lines[:, ::16] = lines[:, 1::16] = 0.2
    whole, half = (sharpest_blocks(raw_of(lines, pattern), halved)[0].mean(axis=0) for halved in (False, True))
    assert np.abs(np.fft.rfft(whole - whole.mean())).argmax() == BLOCK // 16
    assert np.abs(np.fft.rfft(half - half.mean())).argmax() == BLOCK // 8


def test_the_sharper_half_is_taken():
    y = np.random.default_rng(1).integers(0, 255, (300, 600), np.uint8)
    y[:, :300] = 128
    blocks = sharpest_blocks(PictureSource(Path("x.png"), np.dstack([y] * 3), icc.profile("srgb")))
    assert len(blocks) == 12  # of 3 x 8
    assert np.ptp(blocks, axis=(1, 2)).min() > 0.5


def test_a_picture_smaller_than_a_block_has_none():
    small = PictureSource(Path("x.png"), np.zeros((100, 300, 3), np.uint8), icc.profile("srgb"))
    assert len(sharpest_blocks(small)) == 0


def test_in_a_large_mosaic_the_places_with_detail_are_looked_at():
    colours = np.full((2400, 3000, 3), 0.2, np.float32)
    rows = slice(1700, 2400)
    colours[rows] += np.random.default_rng(2).random((700, 3000, 1), np.float32) / 5
    blocks = sharpest_blocks(raw_of(colours, "RGGB"))
    assert len(blocks) == MOST_BLOCKS
    assert blocks.std(axis=(1, 2)).min() > 0.05
