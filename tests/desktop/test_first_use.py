"""What a photographer does in the first hour, by mouse and keys."""

import io
import threading
from types import SimpleNamespace

import numpy as np
import rawpy
from PIL import Image
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QApplication

from crispgrain.core.files import preview
from crispgrain.core.meter import Reading
from crispgrain.core.model import Stage
from crispgrain.desktop import shot_loader
from crispgrain.desktop.dialogs import StagesDialog
from crispgrain.desktop.roll import State
from crispgrain.desktop.thumbnails import quick_thumbnail
from tests.desktop.driving import LEFT, settle


def click_shot(window, qtbot, row, modifier=Qt.KeyboardModifier.NoModifier) -> None:
    where = window.sheet.visualRect(window.roll.index(row)).center()
    qtbot.mouseClick(window.sheet.viewport(), LEFT, modifier, where)


def accept_dialog(kind: type) -> None:
    """Press the default button of the dialog that is about to come up."""

    def accept() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, kind)
        dialog.accept()

    QTimer.singleShot(200, accept)


def test_shots_clicked_with_ctrl_get_the_treatment_of_the_one_on_the_easel(opened, qtbot):
    click_shot(opened, qtbot, 1)
    settle(opened, qtbot)
    opened.change_setting("denoise.luminance", 60.0)
    click_shot(opened, qtbot, 0, Qt.KeyboardModifier.ControlModifier)
    click_shot(opened, qtbot, 2, Qt.KeyboardModifier.ControlModifier)
    assert opened.row == 1
    assert opened.easel.result.view.source.path.name == "b-noisy.jpg"
    assert opened.sheet.selected_rows == [0, 1, 2]
    accept_dialog(StagesDialog)
    opened.menus.sync.trigger()
    for row in (0, 1, 2):
        assert opened.roll.entries[row].treatment[Stage.DENOISE].values == {"luminance": 60.0}
    settle(opened, qtbot)


def test_shift_click_and_shift_arrow_select_without_moving_the_easel(opened, qtbot):
    click_shot(opened, qtbot, 2, Qt.KeyboardModifier.ShiftModifier)
    assert opened.sheet.selected_rows == [0, 1, 2]
    assert opened.row == 0
    click_shot(opened, qtbot, 0)
    qtbot.keyClick(opened.sheet, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert opened.sheet.selected_rows == [0, 1]
    assert opened.row == 0
    qtbot.keyClick(opened.sheet, Qt.Key.Key_Down)
    assert opened.row == 2  # from where the selection ended, as in any list
    settle(opened, qtbot)


def test_a_factor_typed_while_enlarge_is_off_switches_it_on_in_one_step(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.ENLARGE], LEFT, pos=QPoint(60, 20))
    assert not opened.controls.on.isChecked()
    field = opened.controls.rows["factor"].field
    field.selectAll()
    qtbot.keyClicks(field, "3")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert opened.pipeline.size.width == 3 * 640
    assert opened.rail.heads[Stage.ENLARGE].lit
    assert opened.controls.on.isChecked()
    opened.roll.undo.undo()
    assert opened.treatment.stages == {}
    assert not opened.controls.on.isChecked()


def test_the_control_sheet_switches_its_stage(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.DENOISE], LEFT, pos=QPoint(60, 20))
    assert opened.controls.on.isChecked()
    qtbot.mouseClick(opened.controls.on, LEFT, pos=QPoint(8, opened.controls.on.height() // 2))
    assert not opened.pipeline.resolved[Stage.DENOISE].on
    qtbot.mouseClick(opened.rail.heads[Stage.PRINT], LEFT, pos=QPoint(60, 20))
    assert not opened.controls.on.isVisible()
    settle(opened, qtbot)


def test_a_model_chosen_for_a_stage_that_is_off_switches_it_on(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.DENOISE], LEFT, pos=opened.rail.heads[Stage.DENOISE].lamp_rect.center())
    qtbot.mouseClick(opened.rail.heads[Stage.DENOISE], LEFT, pos=QPoint(60, 20))
    assert not opened.pipeline.resolved[Stage.DENOISE].on
    combo = opened.controls.model
    combo.setFocus()
    qtbot.keyClick(combo, Qt.Key.Key_Down)
    assert opened.pipeline.resolved[Stage.DENOISE].on
    settle(opened, qtbot)


def test_thumbnails_in_sight_do_not_wait_for_the_meter(window, tmp_path, clean8, qtbot, monkeypatch):
    for number in range(60):
        Image.fromarray(np.roll(clean8[:90, :120], number, 1)).save(tmp_path / f"{number:03}.jpg")
    go_on = threading.Event()
    monkeypatch.setattr(shot_loader, "measure", lambda source: go_on.wait(60) and Reading())
    window.open_paths([tmp_path])
    window.sheet.scrollToBottom()
    seen = window.sheet.visible_rows
    assert 59 in seen
    assert len(seen) < 10
    entries = window.roll.entries
    qtbot.waitUntil(lambda: all(entries[r].thumbnail is not None for r in seen), timeout=20_000)
    assert sum(e.thumbnail is not None for e in entries) < 50  # others had to wait
    assert all(entries[r].state is State.WAITING for r in seen)
    thumbnail = entries[59].thumbnail
    assert (thumbnail.width(), thumbnail.height()) == (120, 90)
    go_on.set()


def test_a_raw_shows_the_preview_the_camera_put_into_it(tmp_path, monkeypatch):
    """LibRaw hands over an embedded JPEG and how the camera was held; both stand in here for a camera's file."""
    wide = np.zeros((60, 90, 3), np.uint8)
    wide[:, :30] = (200, 40, 30)
    data = io.BytesIO()
    Image.fromarray(wide).save(data, "JPEG", quality=95)

    class Held:
        sizes = SimpleNamespace(flip=6)

        def __enter__(self):
            return self

        def __exit__(self, *error):
            pass

        def extract_thumb(self):
            return SimpleNamespace(format=rawpy.ThumbFormat.JPEG, data=data.getvalue())

    monkeypatch.setattr(preview.rawpy, "imread", lambda path: Held())
    image = quick_thumbnail(tmp_path / "held.dng")
    assert (image.width(), image.height()) == (60, 90)
    assert image.pixelColor(30, 10).red() > 150  # turned clockwise, left becomes top
    assert image.pixelColor(30, 80).red() < 60
