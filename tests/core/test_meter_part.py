"""A part of a picture is metered by itself; the truth is what the part was blurred by."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource
from crispgrain.core.masks import Ground, LinearGradient, Oval
from crispgrain.core.masks.extent import extent_of
from crispgrain.core.meter import measure
from crispgrain.core.meter.part import measure_part
from crispgrain.core.model import Stage
from crispgrain.core.operation import Operation
from crispgrain.core.resolve import fixed_by
from crispgrain.geometry import Rect
from crispgrain.restoration.point_spread import line
from crispgrain.simulation.camera import disc
from tests.conftest import photograph

PART = Rect(300, 400, 320, 320)


def shot(kernel) -> PictureSource:
    """A sharp picture of 1024 px, in one part of which a blur lies."""
    rng = np.random.default_rng(5)
    tiles = [cv2.resize(photograph(n).astype(np.float32), (256, 256)) for n in ("astronaut", "coffee")]
    rows = [np.concatenate([np.rot90(tiles[(r + c) % 2], r + 2 * c) for c in range(4)], axis=1) for r in range(4)]
    whole = np.concatenate(rows, axis=0)
    moved = cv2.filter2D(whole, -1, np.asarray(kernel, np.float32), borderType=cv2.BORDER_REFLECT)
    whole[PART.slices] = moved[PART.slices]
    noisy = np.clip(whole + rng.standard_normal(whole.shape) * 0.004, 0, 1)
    return PictureSource(Path("x.png"), (noisy * 255 + 0.5).astype(np.uint8), icc.profile("srgb"))


@pytest.mark.slow
def test_a_part_out_of_focus_is_found_in_a_sharp_picture():
    source = shot(disc(4.0))
    whole = measure(source)
    part = measure_part(source, PART, whole)
    assert whole.blur.softness < 0.6
    # A disc has a sigma of half its radius in each direction.
    assert part.blur.softness == pytest.approx(2.0, abs=0.5)
    assert part.blur.disc_radius == pytest.approx(4.0, abs=0.5)
    assert part.size == whole.size


@pytest.mark.slow
def test_a_part_that_moved_is_found_on_still_ground():
    source = shot(line(13, 30))
    whole = measure(source)
    part = measure_part(source, PART, whole)
    assert part.blur.line_length == pytest.approx(13, abs=2)
    assert abs((part.blur.line_angle - 30 + 90) % 180 - 90) < 5
    sharpen = fixed_by(Operation("sharpen", Stage.SHARPEN), source, part)
    assert sharpen.on and sharpen.model == "motion"
    assert sharpen.values["length"] == pytest.approx(13, abs=2)


@pytest.mark.slow
def test_a_part_of_a_few_pixels_and_one_at_the_edge_are_made_larger():
    source = shot(disc(4.0))
    whole = measure(source)
    for rect in (Rect(1000, 1000, 3, 3), Rect(0, 0, 1, 1)):
        assert measure_part(source, rect, whole).size == whole.size


def test_the_place_of_a_mask_is_what_is_measured():
    ground = Ground.of(shot(disc(4.0)))
    found = extent_of(Oval((0.4, 0.3), (0.7, 0.6), 0.05), ground)
    assert (found.left, found.top, found.right, found.bottom) == pytest.approx((410, 307, 717, 614), abs=14)
    assert extent_of(Oval((1.5, 1.5), (1.8, 1.8)), ground) is None
    assert extent_of(LinearGradient((0.0, -1.0), (0.0, -0.5)), ground) is None
