"""Telling Sharpen about the blur by hand: drawing a movement, finding and correcting a path."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt

from crispgrain.core.model import Stage
from crispgrain.restoration import point_spread
from crispgrain.simulation.camera import shake_path
from tests.conftest import encoded, photograph, psnr
from tests.core.test_sharpen import blurred, streak
from tests.desktop.driving import LEFT, PATIENCE, drag, settle

pytestmark = pytest.mark.slow

TRUTH = photograph("coffee")


def open_blurred(window, qtbot, tmp_path, kernel):
    """The window with one blurred photograph at 200 %, Sharpen chosen."""
    Image.fromarray(blurred(TRUTH, kernel)).save(tmp_path / "blurred.png")
    window.open_paths([tmp_path / "blurred.png"])
    settle(window, qtbot)
    window.session.choose_stage(Stage.SHARPEN)
    window.change_setting("denoise.on", False)
    window.change_setting("sharpen.on", True)
    window.easel.set_zoom(2.0)


def result_psnr(window) -> float:
    pipeline = window.session.pipeline
    return psnr(encoded(pipeline.region(pipeline.size.rect)), TRUTH)


def test_a_movement_is_drawn_on_the_picture(window, qtbot, tmp_path):
    open_blurred(window, qtbot, tmp_path, streak(15, 37))
    window.change_setting("sharpen.model", "motion")
    before = psnr(blurred(TRUTH, streak(15, 37)) / 255, TRUTH)
    qtbot.mouseClick(window.controls.tools[0], LEFT)
    start = QPoint(200, 200)
    drag(qtbot, window.easel, start, start + QPoint(24, -18))  # 15 px of the shot at 200 %
    values = window.session.treatment[Stage.SHARPEN].values
    assert values["length"] == pytest.approx(15, abs=0.5)
    assert values["angle"] == pytest.approx(37, abs=1)
    assert window.rail.heads[Stage.SHARPEN].summary.startswith("Motion 15")
    assert result_psnr(window) > before + 1.5
    window.session.history.undo()
    assert "length" not in window.session.treatment[Stage.SHARPEN].values
    centre = window.session.viewport.centre
    drag(qtbot, window.easel, start, start + QPoint(20, 0))  # the next drag pans again
    assert window.session.viewport.centre != centre


def test_escape_calls_off_a_drag_that_was_asked_for(window, qtbot, tmp_path):
    open_blurred(window, qtbot, tmp_path, streak(15, 37))
    window.change_setting("sharpen.model", "motion")
    qtbot.mouseClick(window.controls.tools[0], LEFT)
    assert "Draw" in window.status.words.text()
    qtbot.keyClick(window.controls.tools[0], Qt.Key.Key_Escape)
    assert not window.status.words.text()
    centre = window.session.viewport.centre
    drag(qtbot, window.easel, QPoint(200, 200), QPoint(230, 200))
    assert window.session.viewport.centre != centre
    assert "length" not in window.session.treatment[Stage.SHARPEN].values


def test_a_path_is_found_in_a_patch_and_corrected(window, qtbot, tmp_path):
    kernel = shake_path(12, 1)
    open_blurred(window, qtbot, tmp_path, kernel)
    window.change_setting("sharpen.model", "shake")
    row = window.controls.rows["path"]
    qtbot.waitUntil(lambda: row.picture.kernel is not None, timeout=PATIENCE)  # the metered one
    window.easel.set_zoom(None)
    qtbot.mouseClick(window.controls.tools[0], LEFT)
    pane = window.easel.rect()
    drag(qtbot, window.easel, QPoint(pane.width() // 2 - 150, 100), QPoint(pane.width() // 2 + 150, 400))
    qtbot.waitUntil(lambda: "path" in window.session.treatment[Stage.SHARPEN].values, timeout=PATIENCE)
    found = point_spread.from_text(window.session.treatment[Stage.SHARPEN].values["path"])
    settle(window, qtbot)
    # The corner is dark; light is added there, and taken away again.
    corner = QPoint(row.picture.width() - 2, 2)
    qtbot.mouseClick(row.picture, LEFT, pos=corner)
    corrected = point_spread.from_text(window.session.treatment[Stage.SHARPEN].values["path"])
    assert found[0, -1] == 0 and corrected[0, -1] > 0
    assert "Kept" in row.origin.text()
    qtbot.mouseClick(row.picture, Qt.MouseButton.RightButton, pos=corner)
    cleared = point_spread.from_text(window.session.treatment[Stage.SHARPEN].values["path"])
    assert np.allclose(cleared, found, atol=found.max() / 50)


def test_a_patch_too_small_to_find_a_path_in_is_refused_in_words(window, qtbot, tmp_path):
    open_blurred(window, qtbot, tmp_path, shake_path(12, 1))
    window.change_setting("sharpen.model", "shake")
    qtbot.mouseClick(window.controls.tools[0], LEFT)
    drag(qtbot, window.easel, QPoint(200, 200), QPoint(300, 300))
    qtbot.waitUntil(lambda: "too small" in window.status.words.text(), timeout=PATIENCE)
    assert "path" not in window.session.treatment[Stage.SHARPEN].values
