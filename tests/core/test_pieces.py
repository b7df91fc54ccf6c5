"""What is seen, cut into pieces."""

import numpy as np
import pytest

from crispgrain.core.render.pieces import LARGEST, LEAST, pieces, uncovered
from crispgrain.geometry import Rect, Size

RNG = np.random.default_rng(4)


def painted(rects: list[Rect]) -> np.ndarray:
    count = np.zeros((60, 80), int)
    for rect in rects:
        count[rect.slices] += 1
    return count


def some_rect() -> Rect:
    top, left = int(RNG.integers(0, 50)), int(RNG.integers(0, 70))
    return Rect(top, left, int(RNG.integers(1, 60 - top)), int(RNG.integers(1, 80 - left)))


def test_what_covers_leave_is_painted_once_and_nothing_else():
    for _ in range(50):
        whole, covers = some_rect(), [some_rect() for _ in range(int(RNG.integers(0, 5)))]
        expected = painted([whole]) & (painted(covers) == 0)
        np.testing.assert_array_equal(painted(uncovered(whole, covers)), expected)


@pytest.mark.parametrize("level", [0, 1])
def test_pieces_cover_a_rectangle_once_and_the_middle_comes_first(level):
    full, whole = Size(4000, 6000), Rect(1000, 2000, 900, 1500)
    cut = pieces(whole, full, level)
    assert sum(r.height * r.width for r in cut) == 900 * 1500
    assert uncovered(whole, cut) == []
    assert max(r.height for r in cut) <= LARGEST.height << level
    assert max(r.width for r in cut) <= LARGEST.width << level
    middle = cut[0]
    assert middle.top <= 1450 <= middle.bottom and middle.left <= 2750 <= middle.right


def test_a_narrow_strip_is_widened_within_the_picture():
    (strip,) = pieces(Rect(0, 200, 300, 5), Size(400, 210))
    assert strip.width == LEAST - (200 - (LEAST - 5) // 2 + LEAST - 210)
    assert strip.right == 210 and strip.left <= 200
