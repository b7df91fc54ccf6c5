"""Places that the network for dots learns from: which are called faulty, and what it is shown of them."""

import numpy as np
import pytest
from skimage import data

from crispgrain.core.networks.dot_net import EDGE, HALF, PLANES, places
from crispgrain.restoration.cells import RGGB, SIX_BY_SIX
from crispgrain.simulation.defects import Defects
from training import dots

SMOOTH = np.full((128, 128, 3), 90, np.uint8)
DETAIL = np.asarray(data.gravel()[:128, :128, None].repeat(3, axis=2))


def drawn(monkeypatch, defects: Defects, patch: np.ndarray, number: int = 12, six: float = 0) -> dots.Places:
    monkeypatch.setattr(dots, "draw_defects", lambda rng: defects)
    monkeypatch.setattr(dots, "draw_noise", lambda rng: (1e-4, 1e-6))
    monkeypatch.setattr(dots, "STARRY", 0)
    monkeypatch.setattr(dots, "SIX", six)
    rng = np.random.default_rng(2)
    some = [dots.draw_places(patch, rng) for _ in range(number)]
    return dots.Places(*(np.concatenate(part) for part in zip(*some, strict=True)))


@pytest.mark.parametrize("six", [0, 1])
def test_detail_is_not_called_faulty_and_dots_are(monkeypatch, six):
    sound = drawn(monkeypatch, Defects(), DETAIL, six=six)
    assert len(sound.faulty) > 50
    assert sound.faulty.mean() < 0.01
    dotted = drawn(monkeypatch, Defects(hot=1e-3), SMOOTH, six=six)
    assert len(dotted.faulty) > 50
    assert dotted.faulty.mean() > 0.9


def test_stars_are_not_called_faulty(monkeypatch):
    monkeypatch.setattr(dots, "draw_defects", lambda rng: Defects())
    monkeypatch.setattr(dots, "draw_noise", lambda rng: (1e-4, 1e-6))
    monkeypatch.setattr(dots, "STARRY", 1)
    monkeypatch.setattr(dots, "SIX", 0)
    rng = np.random.default_rng(3)
    some = [dots.draw_places(SMOOTH, rng) for _ in range(8)]
    assert sum(len(part.faulty) for part in some) > 20
    assert sum(part.faulty.sum() for part in some) == 0


def test_a_glint_on_a_dead_pixel_is_not_called_faulty_for_filling_would_take_it_off(monkeypatch):
    monkeypatch.setattr(dots, "BLURRED", 0)
    glints = np.zeros((128, 128, 3), np.uint8)
    glints[3::8, 5::8] = 255
    few = drawn(monkeypatch, Defects(dead=0.1), glints)
    assert len(few.faulty) > 100
    assert few.faulty.sum() == 0


def test_what_counts_most_is_what_filling_would_change_most(monkeypatch):
    few = drawn(monkeypatch, Defects(blinking=1e-3), SMOOTH)
    off = np.abs(np.sinh(2 * few.seen[:, 0, HALF, HALF]))  # sigmas from the median of its colour
    assert few.weight[off > 20].mean() > 2 * few.weight[off < 10].mean()


@pytest.mark.parametrize("pattern", [RGGB, SIX_BY_SIX])
def test_what_it_sees_lies_around_the_place(pattern):
    """A dot on an even mosaic: alone in the middle, in sigmas of the noise and as a share of its own distance."""
    line, mosaic = (0.0, 1e-4), np.full((40, 40), 0.25, np.float32)
    mosaic[17, 22] = 0.75
    (rows, columns), seen = places(mosaic, [line] * 3, pattern)
    assert (rows.tolist(), columns.tolist()) == ([17], [22])
    planes = seen(np.s_[:])[0]
    assert planes.shape == (PLANES, EDGE, EDGE)
    alone = np.zeros((EDGE, EDGE), np.float32)
    alone[HALF, HALF] = 1
    assert planes[0] == pytest.approx(alone * np.arcsinh(50) / 2, abs=1e-3)
    assert planes[1] == pytest.approx(alone * np.arcsinh(50) / 2, abs=1e-3)
    assert planes[2] == pytest.approx(alone, abs=1e-3)
    size = len(pattern)
    colours = np.array([[pattern[(12 + y) % size, (17 + x) % size] for x in range(EDGE)] for y in range(EDGE)])
    assert np.array_equal(planes[3], colours == colours[HALF, HALF])
    assert np.array_equal(planes[4], colours == 1)
