"""What lies behind is put out of focus: by discs, of itself alone."""

import cv2
import numpy as np
import pytest

from crispgrain.core.colour import icc
from crispgrain.core.masks import Composite, Lasso, LinearGradient, Oval, Part
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.restoration.lens_blur import blurred_by_depth
from tests.conftest import photograph
from tests.core.test_mask_shapes import PLAIN, READING, source_of

BEHIND = Composite((Part(Oval((0.3, 0.2), (0.7, 0.9), 0.05)),), inverted=True)


def result(pixels, mask, tile=512, **settings):
    """Linear pixels before and after, and the mask."""
    source = source_of(pixels)
    treatment, zone = PLAIN.with_zone(Stage.FINISH, mask, "out-of-focus")
    for name, value in settings.items():
        treatment = treatment.set(f"{zone}.{name}", value)
    plain, pipeline = (Pipeline(source, READING, resolve(t, source, READING), tile=tile) for t in (PLAIN, treatment))
    whole = pipeline.size.rect
    share = mask.values(pipeline.steps[-1].after, pipeline.ground, whole)
    return plain.region(whole), pipeline.region(whole), share


def test_the_subject_stays_and_nothing_of_it_is_in_what_is_behind():
    y, x = np.mgrid[:300, :400]
    subject = ((x / 400 - 0.5) / 0.2) ** 2 + ((y / 300 - 0.55) / 0.35) ** 2 < 0.95
    pixels = np.where(subject[..., None], np.uint8((200, 60, 40)), np.uint8((40, 60, 90)))
    before, after, share = result(pixels, BEHIND, disc=5.0, lamps=0.0)
    np.testing.assert_array_equal(after[share == 0], before[share == 0])
    np.testing.assert_allclose(after[share == 1], before[share == 1], atol=2e-3)  # even before, even after
    plain = cv2.filter2D(before, -1, np.ones((21, 21), np.float32) / 441)
    assert np.abs(plain - before)[share == 1].max() > 0.1  # a blur of everything would show it


def test_a_lamp_becomes_a_disc_as_wide_as_was_asked_for_and_as_bright_as_a_lamp():
    pixels = np.full((300, 400, 3), 30, np.uint8)
    pixels[58:62, 58:62] = 255
    areas = []
    for lamps in (0.0, 10.0):
        before, after, _ = result(pixels, BEHIND, disc=5.0, lamps=lamps)
        more = after[..., 1] - before.min()
        lit = more > 0.5 * np.median(more[54:66, 54:66])
        areas.append(lit.sum())
        added = (after - before)[..., 1].sum()  # light is kept, and that of the lamp comes to it
        assert added == pytest.approx(lamps * 16, abs=1.5)
    radius = 0.05 * 400 / 2
    assert areas[1] == pytest.approx(np.pi * radius**2, rel=0.08)


def test_half_of_a_mask_is_half_as_far_and_paler():
    pixels = (photograph("coffee")[:200, :240] * 255).astype(np.uint8)
    slope = LinearGradient((0.9, 0.5), (0.1, 0.5))
    before, after, share = result(pixels, slope, disc=5.0, lamps=0.0)
    np.testing.assert_array_equal(after[share == 0], before[share == 0])
    wanted = blurred_by_depth(before, share, 0.025 * 240)
    np.testing.assert_allclose(after, wanted, atol=1e-3)  # nothing sharp shines through
    tiled = result(pixels, slope, tile=64, disc=5.0, lamps=0.0)[1]
    np.testing.assert_allclose(tiled, after, atol=1e-4)
    grey = result(pixels, Lasso(((-1, -1), (2, -1), (2, 2), (-1, 2))), disc=0.1, lamps=0.0, pale=100.0)[1]
    stored = icc.from_working(grey, icc.profile("srgb"), 8).astype(int)
    assert np.ptp(stored, axis=2).max() <= 1
