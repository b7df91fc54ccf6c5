"""Zoom and place, checked by where points of the picture come to lie."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from crispgrain.geometry import Size
from crispgrain.session.viewport import MOST, Viewport

PANE = Size(600, 800)
WHOLE = st.integers(1, 20_000)


def viewport(width: int = 4000, height: int = 3000) -> Viewport:
    made = Viewport()
    made.resize(PANE)
    made.place(Size(height, width))
    return made


@given(WHOLE, WHOLE)
def test_fitted_a_picture_is_seen_whole_and_in_the_middle(width, height):
    view = viewport(width, height)
    assert view.visible(PANE) == view.size.rect
    left, top = view.origin(PANE)
    right, bottom = left + width * view.scale, top + height * view.scale
    assert left + right == pytest.approx(PANE.width, abs=2)
    assert top + bottom == pytest.approx(PANE.height, abs=2)
    assert view.scale <= MOST


@given(st.sampled_from([0.5, 1.0, 2.0, 4.0]), st.floats(250, 550), st.floats(200, 400))
def test_what_is_under_the_pointer_stays_there_while_zooming(scale, x, y):
    view = viewport()
    before = view.to_picture((x, y), PANE)
    view.zoom(scale, (x, y), PANE)
    after = view.to_picture((x, y), PANE)
    assert after == pytest.approx(before, abs=1 / scale)  # corners lie on whole screen pixels


def test_panning_moves_the_picture_with_the_pointer():
    view = viewport()
    view.zoom(2.0)
    before = view.visible(PANE)
    view.pan(80, 40)
    assert (view.visible(PANE).left, view.visible(PANE).top) == (before.left - 40, before.top - 20)
    view.pan(1e6, 1e6)
    assert view.centre == (0, 0)  # no farther than the picture goes


def test_the_place_is_kept_in_a_result_of_another_size():
    view = viewport()
    view.zoom(1.0)
    view.look_at(1000, 600)
    view.place(Size(6000, 8000))
    assert view.centre == (2000, 1200)
    assert view.scale == 1.0


def test_zooming_by_steps_goes_through_the_list_and_back():
    view, heard = viewport(), []
    view.changed.connect(lambda: heard.append(view.scale))
    view.zoom(1.0)
    for steps in (1, 1, -1, -1):
        view.zoom_by(steps, (400, 300), PANE)
    assert heard == [1.0, 1.5, 2.0, 1.5, 1.0]
