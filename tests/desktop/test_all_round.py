"""A view of a picture all round, by pointer."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt

from crispgrain.core.model import Stage
from tests.desktop.driving import LEFT, PATIENCE, pixels_of, settle

pytestmark = pytest.mark.slow


def look_at(picture, window, qtbot, folder):
    """A view of 100 degrees of a picture all round on the easel."""
    Image.fromarray(picture).save(folder / "round.png")
    window.open_paths([folder / "round.png"])
    settle(window, qtbot)
    window.session.choose_stage(Stage.DEVELOP)
    window.session.choose_operation("view")
    window.change_setting("view.field", 100.0)
    settle(window, qtbot)


def test_what_is_clicked_comes_to_the_middle_of_the_view(window, qtbot, tmp_path):
    picture = np.full((256, 512, 3), 90, np.uint8)
    picture[100:140, 290:330] = (200, 40, 30)  # a red mark, to the right of the middle
    look_at(picture, window, qtbot, tmp_path)
    shown = pixels_of(window.easel).astype(int)
    red = shown[..., 0] - shown[..., 1] > 80
    assert red.any()
    rows, columns = np.nonzero(red)
    look = next(b for b in window.controls.tools if b.text().startswith("Look there"))
    qtbot.mouseClick(look, LEFT)
    qtbot.mouseClick(window.easel, LEFT, pos=QPoint(int(columns.mean()), int(rows.mean())))
    settle(window, qtbot)
    values = window.session.treatment.find("view").values
    # Its middle is at column 310 and row 120 of 512 x 256.
    assert values["direction"] == pytest.approx(360 * (310 / 512 - 0.5), abs=4)
    assert values["pitch"] == pytest.approx(180 * (0.5 - 120 / 256), abs=4)
    shown = pixels_of(window.easel).astype(int)
    middle = shown[window.easel.height() // 2, window.easel.width() // 2 + 12]
    assert middle[0] - middle[1] > 80


def test_the_view_turns_with_the_pointer_before_it_is_let_go(window, qtbot, tmp_path):
    """What one drags is under the pointer at each move, and nothing is changed until the end."""
    picture = np.full((256, 512, 3), 90, np.uint8)
    picture[112:144, 240:272] = (200, 40, 30)  # in the middle
    look_at(picture, window, qtbot, tmp_path)
    turn = next(b for b in window.controls.tools if b.text().startswith("Turn"))
    qtbot.mouseClick(turn, LEFT)
    settle(window, qtbot)
    rect = window.easel.rect()
    middle = rect.center()
    qtbot.mousePress(window.easel, LEFT, pos=middle)

    def turns() -> bool:  # as soon as a small picture of it all is there
        qtbot.mouseMove(window.easel, middle + QPoint(-4, 0))
        return window.easel.result.moving is not None

    qtbot.waitUntil(turns, timeout=PATIENCE)
    for step in (20, 45, 70):
        there = middle + QPoint(-step, step // 3)
        qtbot.mouseMove(window.easel, there)
        shown = pixels_of(window.easel).astype(int)
        red = shown[..., 0] - shown[..., 1] > 80
        rows, columns = np.nonzero(red)
        assert abs(columns.mean() - there.x()) < 14
        assert abs(rows.mean() - there.y()) < 14
    assert "direction" not in window.session.treatment.find("view").values
    # Esc, and a drag back to where it began, leave everything as it was.
    before = pixels_of(window.easel)
    qtbot.keyClick(window.easel, Qt.Key.Key_Escape)
    qtbot.mouseRelease(window.easel, LEFT, pos=there)
    assert window.easel.result.moving is None and not np.array_equal(pixels_of(window.easel), before)
    qtbot.mouseClick(turn, LEFT)
    qtbot.mousePress(window.easel, LEFT, pos=middle)
    qtbot.waitUntil(turns, timeout=PATIENCE)
    qtbot.mouseMove(window.easel, middle)
    qtbot.mouseRelease(window.easel, LEFT, pos=middle)
    assert window.easel.result.moving is None
    qtbot.mouseClick(turn, LEFT)
    qtbot.mousePress(window.easel, LEFT, pos=middle)
    qtbot.mouseMove(window.easel, there)
    qtbot.mouseRelease(window.easel, LEFT, pos=there)
    settle(window, qtbot)
    assert window.session.treatment.find("view").values["direction"] > 3
    shown = pixels_of(window.easel).astype(int)
    rows, columns = np.nonzero(shown[..., 0] - shown[..., 1] > 80)
    assert abs(columns.mean() - there.x()) < 14
