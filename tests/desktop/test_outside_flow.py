"""Another picture of the scene beside the result, and in the test strip."""

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPointF

from crispgrain.core.model import Stage
from crispgrain.core.render.views import Outside
from crispgrain.geometry import Rect
from crispgrain.session.comparing import Arrangement, Look
from tests.desktop.driving import LEFT, PATIENCE, pixels_of, settle

pytestmark = pytest.mark.slow


@pytest.fixture
def larger(clean8, tmp_path):
    """The clean scene, twice as large."""
    path = tmp_path / "another.png"
    Image.fromarray(cv2.resize(clean8, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)).save(path)
    return path


def test_a_larger_picture_stands_in_the_sources_place_and_its_difference_is_seen(opened, larger, clean8, qtbot):
    opened.session.choose(1)  # the scene with noise, as a JPEG
    settle(opened, qtbot)
    opened.outside.lay(larger)
    qtbot.waitUntil(lambda: opened.session.comparing.outside is not None, timeout=PATIENCE)
    settle(opened, qtbot)
    assert opened.easel.captions == ("another.png", "result")
    view = opened.easel.source.view
    assert isinstance(view, Outside)
    shown = view.display(0, 0)
    expected = clean8[: shown.shape[0], : shown.shape[1]].astype(int)
    assert np.abs(shown[8:-8, 8:-8].astype(int) - expected[8:-8, 8:-8]).mean() < 2
    opened.session.comparing.set_look(Look.RESIDUAL)
    settle(opened, qtbot)
    assert opened.easel.captions[1].startswith("another.png less the result")
    opened.session.comparing.set_look(Look.PICTURE)
    opened.session.choose(0)
    settle(opened, qtbot)
    assert opened.session.comparing.outside is None


def test_where_pictures_are_apart_it_is_one_more_of_them(opened, larger, clean8, qtbot):
    easel, comparing = opened.easel, opened.session.comparing
    opened.session.choose(1)
    comparing.set_arrangement(Arrangement.SIDE_BY_SIDE)
    settle(opened, qtbot)
    opened.outside.lay(larger)
    qtbot.waitUntil(lambda: "between source and result" in opened.status.words.text(), timeout=PATIENCE)
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    assert len(easel.panes) == 3 and len({pane.width() for pane in easel.panes}) == 1
    assert easel.captions == ("source", "result", "another.png")
    shown = pixels_of(easel)
    y, middle = easel.height() // 2, easel.panes[0].width() // 2
    spots = [shown[y - 40 : y + 40, pane.left() + middle - 40 :][:, :80].astype(int) for pane in easel.panes]
    at = easel.to_picture(QPointF(easel.panes[1].left() + middle - 40, y - 40)).toPoint()
    expected = clean8[at.y() : at.y() + 80, at.x() : at.x() + 80].astype(int)
    off = [np.abs(spot - expected).mean() for spot in spots]
    assert off[1] < 2 < 4 < off[0]  # the clean scene stands in the middle, the noisy one on the left
    comparing.set_arrangement(Arrangement.STACKED)
    settle(opened, qtbot)
    assert [pane.top() for pane in easel.panes] == [0, *sorted(pane.top() for pane in easel.panes[1:])]
    opened.outside.take_away()
    settle(opened, qtbot)
    assert len(easel.panes) == 2 and easel.outside.view is None


def test_it_is_a_candidate_of_the_strip_that_cannot_be_adopted(opened, larger, qtbot):
    opened.session.choose(1)
    settle(opened, qtbot)
    opened.outside.lay(larger)
    qtbot.waitUntil(lambda: opened.session.comparing.outside is not None, timeout=PATIENCE)
    opened.session.choose_stage(Stage.DENOISE)
    opened.strip_flow.run(Rect(60, 80, 64, 64))
    qtbot.waitUntil(lambda: all(f.image is not None for f in opened.strip.frames), timeout=PATIENCE)
    (frame,) = [f for f in opened.strip.frames if f.candidate.outside is not None]
    assert frame.candidate.label == "another.png"
    qtbot.mouseClick(frame, LEFT)
    assert "no treatment to keep" in opened.status.words.text()
    assert not opened.session.treatment.stages
    settle(opened, qtbot)


def test_another_scene_is_refused_in_words(opened, tmp_path, qtbot):
    path = tmp_path / "noise.png"
    Image.fromarray(np.random.default_rng(0).integers(0, 255, (300, 400, 3), dtype=np.uint8)).save(path)
    settle(opened, qtbot)
    opened.outside.lay(path)
    qtbot.waitUntil(lambda: "another scene" in opened.status.words.text(), timeout=PATIENCE)
    assert opened.session.comparing.outside is None
