"""The screen of a printed picture: found, taken out, and never found where there is none."""

from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage import data
from skimage.metrics import peak_signal_noise_ratio

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import srgb_encode
from crispgrain.core.files import PictureSource
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.operation import Operation
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.develop.print_screen import MODEL
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect
from crispgrain.restoration.screen import BLOCK, blocks_of, power_of, screen_of

READING = Reading(Noise.even(1))
NAMES = ("astronaut", "coffee", "chelsea")


def picture(name) -> np.ndarray:
    """Linear grey, without detail finer than a scan of a print has."""
    grey = cv2.cvtColor(getattr(data, name)()[:300, :400], cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    return cv2.resize(grey, None, fx=1.5, fy=1.5, interpolation=cv2.INTER_CUBIC).clip(0, 1)


@lru_cache(maxsize=2)
def covered(height, width, period, angle) -> np.ndarray:
    """Four times finer than the picture, the share of a cell that dots cover when they reach a place."""
    y, x = np.mgrid[: height * 4, : width * 4] / 4
    turn = np.radians(angle)
    u, v = (x * np.cos(turn) + y * np.sin(turn)) / period, (y * np.cos(turn) - x * np.sin(turn)) / period
    spot = np.cos(2 * np.pi * u) + np.cos(2 * np.pi * v)
    ranks = np.sort(spot.ravel())[::97]
    return np.interp(spot, ranks, np.linspace(0, 1, len(ranks)))


def printed(grey, period, angle) -> np.ndarray:
    """An amplitude-modulated screen: round dots whose area is the ink that a place needs."""
    height, width = grey.shape
    ink = (
        covered(height, width, period, angle) < cv2.resize(grey, (width * 4, height * 4), interpolation=cv2.INTER_CUBIC)
    ).astype(np.float32)
    return cv2.resize(cv2.GaussianBlur(ink, (0, 0), 2.0), (width, height), interpolation=cv2.INTER_AREA)


def screen_in(grey):
    powers = [power_of(grey[y : y + BLOCK, x : x + BLOCK]) for y, x in blocks_of(*grey.shape, 64)]
    return screen_of(np.mean(powers, axis=0))


def treated(linear, strength=100.0):
    stored = (srgb_encode(linear).clip(0, 1) * 65535 + 0.5).astype(np.uint16)[..., None].repeat(3, -1)
    source = PictureSource(Path("p.png"), stored, icc.profile("srgb"))
    values = {"strength": strength}
    treatment = Treatment().only([]).put(Operation(MODEL.id, Stage.DEVELOP, on=True, model=MODEL.id, values=values))
    return Pipeline(source, READING, resolve(treatment, source, READING))


@pytest.mark.slow
@pytest.mark.parametrize(("period", "angle"), [(4, 45), (6, 30)])
def test_dots_are_taken_out_better_than_by_the_best_blur(period, angle):
    gains = []
    for name in NAMES:
        truth = picture(name)
        dotted = printed(truth, period, angle)
        assert 1 / screen_in(dotted).frequency == pytest.approx(period, rel=0.08)
        inside = np.s_[20:-20, 20:-20]
        pipeline = treated(dotted)
        ours = pipeline.region(pipeline.size.rect)[..., 1]
        blurs = [cv2.GaussianBlur(dotted, (0, 0), share * period) for share in (0.35, 0.4, 0.45, 0.5)]
        blurred = max(peak_signal_noise_ratio(truth[inside], b[inside], data_range=1) for b in blurs)
        gains.append(peak_signal_noise_ratio(truth[inside], ours[inside], data_range=1) - blurred)
    assert np.mean(gains) > 0


@pytest.mark.parametrize("name", NAMES)
def test_a_picture_without_a_screen_is_left_as_it_is(name):
    assert screen_in(picture(name)) is None
    pipeline = treated(picture(name))
    plain = Pipeline(pipeline.source, READING, resolve(Treatment().only([]), pipeline.source, READING))
    np.testing.assert_array_equal(pipeline.region(pipeline.size.rect), plain.region(plain.size.rect))


@pytest.mark.slow
def test_parts_are_as_in_the_whole_and_strength_is_a_share():
    dotted = printed(picture("coffee"), 5, 45)
    whole, half, none = (treated(dotted, s) for s in (100.0, 50.0, 0.0))
    out, part = whole.region(whole.size.rect), Rect(120, 200, 90, 110)
    np.testing.assert_allclose(treated(dotted).untiled(part), out[part.slices], atol=1e-5)
    halfway, plain = (p.region(p.size.rect) for p in (half, none))
    np.testing.assert_allclose(halfway, (out + plain) / 2, atol=1e-4)
