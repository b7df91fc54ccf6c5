"""The roll in the window: opened wide, sorted, found, marked, treated together."""

from fractions import Fraction

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QAction, QImage
from PySide6.QtWidgets import QApplication

from crispgrain import presets
from crispgrain.core.marks import Mark
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.contact.contact_sheet import WIDTH
from crispgrain.paths import rules_file
from crispgrain.session.rules import load_rules
from crispgrain.session.shots import State
from crispgrain.simulation import camera
from crispgrain.simulation.defects import Defects
from crispgrain.simulation.dng import write_dng
from crispgrain.store.sensors import known_shot
from tests.conftest import save_noisy_jpeg
from tests.desktop.conftest import READINGS
from tests.desktop.driving import LEFT, PATIENCE, pixels_of, settle

pytestmark = pytest.mark.slow
DECORATION = Qt.ItemDataRole.DecorationRole


def press(window, keys: str) -> None:
    """Do what a key is for: the offscreen platform does not deliver shortcuts."""
    (action,) = [a for a in window.findChildren(QAction) if a.shortcut().toString() == keys]
    action.trigger()


def small(model, index) -> np.ndarray:
    """The thumbnail at an index, as values."""
    image = model.data(index, DECORATION).convertToFormat(QImage.Format.Format_RGB888)
    lines = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return lines[:, : 3 * image.width()].astype(float)


def names(window) -> list[str]:
    model = window.sheet.roll_model
    return [model.data(model.index(row)) for row in range(model.rowCount())]


def test_the_sheet_opens_over_the_easel_and_a_double_click_goes_back_to_it(opened, qtbot):
    press(opened, "W")
    assert not opened.easel.isVisible()
    qtbot.waitUntil(lambda: opened.contact.width() > 900, timeout=PATIENCE)
    rects = [opened.sheet.visualRect(opened.sheet.roll_model.index(row)) for row in range(3)]
    assert len({r.top() for r in rects}) == 1 and len({r.left() for r in rects}) == 3  # beside each other
    qtbot.mouseClick(opened.sheet.viewport(), LEFT, pos=rects[2].center())
    assert (opened.session.selection, opened.session.current) == ([2], 0)  # only selected
    qtbot.mouseDClick(opened.sheet.viewport(), LEFT, pos=rects[1].center())
    assert opened.session.current == 1
    assert opened.easel.isVisible()
    qtbot.waitUntil(lambda: opened.contact.width() == WIDTH, timeout=PATIENCE)
    settle(opened, qtbot)


def test_thumbnails_grow_with_the_slider(opened, qtbot):
    press(opened, "W")
    opened.contact.bar.size_of.setValue(120)
    small = opened.sheet.visualRect(opened.sheet.roll_model.index(0)).width()
    opened.contact.bar.size_of.setValue(300)
    assert opened.sheet.visualRect(opened.sheet.roll_model.index(0)).width() == small + 180
    assert opened.sheet.in_sight >= {0}


def test_shots_are_sorted_and_found_while_typing(opened, qtbot):
    press(opened, "W")
    bar = opened.contact.bar
    every = names(opened)
    bar.order.setCurrentIndex(bar.order.findText("By name"))
    bar.order.activated.emit(bar.order.currentIndex())
    qtbot.mouseClick(bar.descending, LEFT, pos=QPoint(8, bar.descending.height() // 2))
    assert names(opened) == sorted(every, reverse=True)
    qtbot.keyClicks(bar.text, "noisy")
    assert names(opened) == ["b-noisy.jpg"]
    assert bar.count.text().startswith(f"1 of {len(every)} shots")
    press(opened, "W")
    assert opened.contact.button.text() == f"Whole roll (1 of {len(every)})"  # who folds it back is not left to wonder
    bar.text.clear()
    assert len(names(opened)) == len(every)


def test_keys_mark_what_is_selected_and_marks_are_chosen_by(opened, qtbot):
    press(opened, "W")
    opened.session.select([0, 2])
    before = pixels_of(opened.sheet)
    press(opened, "N")
    assert [opened.session.roll[i].treatment.mark for i in range(3)] == [Mark.REJECT, Mark.NONE, Mark.REJECT]
    assert (pixels_of(opened.sheet) != before).any()
    bar = opened.contact.bar
    bar.marks.setCurrentIndex(bar.marks.findText("Not rejected"))
    bar.marks.activated.emit(bar.marks.currentIndex())
    assert "a-rim.dng" not in names(opened) and "b-noisy.jpg" in names(opened)
    opened.session.history.undo()
    opened.session.roll.refresh()
    assert "a-rim.dng" in names(opened)
    settle(opened, qtbot)


def test_treated_together_a_change_goes_to_the_whole_selection(opened, qtbot):
    opened.session.select([0, 1, 2])
    assert opened.contact.together.isVisible()
    qtbot.mouseClick(opened.contact.together, LEFT)
    assert "3 shots" in opened.controls.together.text() and opened.controls.together.isVisible()
    slider = opened.controls.rows["colour"].slider
    slider.moved.emit(60.0)
    slider.moved.emit(50.0)
    opened.session.history.undo()
    assert all(opened.session.roll[i].treatment == Treatment() for i in range(3))
    opened.session.history.redo()
    assert {opened.session.roll[i].treatment[Stage.DENOISE].values["colour"] for i in range(3)} == {50.0}
    qtbot.mouseClick(opened.contact.together, LEFT)
    assert not opened.controls.together.isVisible()
    opened.change_setting("denoise.colour", 70.0)
    assert opened.session.roll[1].treatment[Stage.DENOISE].values["colour"] == 50.0
    settle(opened, qtbot)


def test_the_first_page_is_back_when_every_shot_is_taken_off(opened, qtbot):
    bar = opened.controls.verticalScrollBar()
    opened.resize(1280, 500)
    qtbot.waitUntil(bar.isVisible)
    opened.session.take_off(list(opened.session.roll.shots))
    assert opened.empty.isVisible() and not opened.easel.isVisible()
    assert not bar.isVisible()
    assert opened.status.words.text() == ""
    press(opened, "Ctrl+J")  # what is being written, and back
    assert not opened.empty.isVisible()
    opened.export_flow.queue.view.closed.emit()
    assert opened.empty.isVisible()


def test_a_shot_taken_off_the_roll_stays_on_disk(opened, qtbot):
    path = opened.session.on_easel.path
    next(a for a in opened.findChildren(QAction) if a.text() == "Take off the roll").trigger()
    assert path.exists() and path.name not in names(opened)
    assert opened.session.current == 1
    settle(opened, qtbot)


def test_many_shots_stay_narrow_in_memory_of_rows(window, tmp_path, qtbot):
    """Of several hundred shots only those in sight are known to the view."""
    Image.fromarray(np.full((8, 12, 3), 90, np.uint8)).save(tmp_path / "0000.png")
    for n in range(1, 400):
        (tmp_path / f"{n:04}.png").write_bytes((tmp_path / "0000.png").read_bytes())
    window.open_paths([tmp_path])
    window.contact.set_wide(True)
    qtbot.waitUntil(lambda: len(window.sheet.in_sight) > 10, timeout=PATIENCE)
    assert len(window.sheet.in_sight) < 80
    window.sheet.scrollToBottom()
    assert 399 in window.sheet.in_sight and 0 not in window.sheet.in_sight
    window.sheet.scrollToTop()
    assert 0 in window.sheet.in_sight


def test_new_shots_in_a_watched_folder_come_onto_the_roll(opened, tmp_path, clean8, qtbot, monkeypatch):
    from PySide6.QtWidgets import QFileDialog

    folder = tmp_path / "incoming"
    folder.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a: str(folder))
    opened.opening._looking.setInterval(50)
    opened.opening.ask_watch()
    Image.fromarray(clean8).save(folder / "fresh.png")
    qtbot.waitUntil(lambda: "fresh.png" in names(opened), timeout=PATIENCE)
    assert "fresh.png" in opened.status.words.text()
    opened.opening.ask_watch()
    Image.fromarray(clean8).save(folder / "late.png")
    qtbot.wait(400)
    assert "late.png" not in names(opened)
    settle(opened, qtbot)


def test_a_roll_is_kept_and_opened_again(opened, tmp_path, qtbot, monkeypatch):
    from PySide6.QtWidgets import QFileDialog

    kept = names(opened)
    opened.session.choose(2)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "evening"), ""))
    opened.opening.ask_save_roll()
    opened.session.take_off([0, 1])
    (opened.session.roll[3].path).unlink()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(tmp_path / "evening.roll.json"), ""))
    said = []
    opened.session.problem.connect(said.append)
    opened.opening.ask_open_roll()
    assert said == ["1 of 4 shots of evening.roll.json are no longer there."]
    assert names(opened) == [n for n in kept if n != kept[3]]
    assert opened.session.on_easel.path.name == kept[2]
    settle(opened, qtbot)


def test_rules_written_in_their_dialog_treat_what_comes_next(opened, clean8, tmp_path, qtbot):
    said = []

    def fill_in() -> None:
        dialog = QApplication.activeModalWidget()
        try:
            qtbot.mouseClick(dialog.add, LEFT)
            qtbot.mouseClick(dialog.add, LEFT)
            dialog.table.cellWidget(0, 0).setCurrentText("Screen")
            dialog.table.cellWidget(0, 4).setCurrentText("RAW")
            dialog.table.cellWidget(1, 0).setCurrentText("Old compact camera")
            dialog.table.cellWidget(1, 5).setValue(3.0)
            said.append(dialog.words.text())
            dialog.applied.setChecked(True)
        finally:
            dialog.accept()

    shots = opened.session.roll.shots.values()
    qtbot.waitUntil(lambda: all(s.state is not State.WAITING for s in shots), timeout=PATIENCE)
    QTimer.singleShot(200, fill_in)
    opened.several.ask_rules()
    assert said == ["On the open roll they would give “Screen” to 1, “Old compact camera” to 2."]
    assert all(not s.treatment.stages for s in opened.session.roll.shots.values())  # they were there before
    came = save_noisy_jpeg(tmp_path / "came.jpg", clean8)
    opened.open_paths([came])
    id = max(opened.session.roll.shots)
    qtbot.waitUntil(lambda: bool(opened.session.roll[id].why), timeout=PATIENCE)
    expected = presets.load("Old compact camera")
    assert opened.session.roll[id].treatment[Stage.DENOISE] == expected[Stage.DENOISE]
    assert "finished" not in opened.session.roll[id].why and "below 3 MP" in opened.session.roll[id].why
    assert [r.preset for r in load_rules(rules_file())] == ["Screen", "Old compact camera"]
    opened.session.history.undo()
    assert not opened.session.roll[id].treatment.stages
    opened.session.select([0])
    opened.several.apply_rules()
    assert opened.session.roll[0].why.startswith("“Screen” by rule: RAW")
    settle(opened, qtbot)


def test_a_file_that_goes_comes_back_or_changes_is_noticed(opened, roll_folder, clean8, qtbot):
    opened.opening._minding.setInterval(100)
    entry = opened.session.roll.shots[1]
    qtbot.waitUntil(lambda: entry.stamp is not None, timeout=PATIENCE)
    aside = roll_folder / "aside"
    entry.path.rename(aside)
    qtbot.waitUntil(lambda: entry.state is State.FAILED, timeout=PATIENCE)
    assert "no longer there" in entry.problem and "b-noisy.jpg: no longer there" in opened.status.words.text()
    aside.rename(entry.path)
    qtbot.waitUntil(lambda: entry.state is not State.FAILED and entry.reading is not None, timeout=PATIENCE)
    before = entry.reading
    save_noisy_jpeg(entry.path, clean8, sigma=30)
    READINGS.pop("b-noisy.jpg")  # what the tests keep of it
    qtbot.waitUntil(lambda: entry.reading is not None and entry.reading != before, timeout=PATIENCE)
    assert entry.reading.noise.luminance > 1.5 * before.noise.luminance
    READINGS.pop("b-noisy.jpg")
    settle(opened, qtbot)


def test_pointing_at_a_preset_shows_it_and_changes_nothing(opened, qtbot):
    settle(opened, qtbot)
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    before = opened.easel.result.view.key
    opened.several.fill_presets(opened.menus.presets)
    actions = {action.text(): action for action in opened.menus.presets.actions()}
    actions["Film scan"].hovered.emit()
    settle(opened, qtbot)
    assert opened.easel.result.view.key != before
    assert not opened.session.treatment.stages and opened.session.history.next_undo == ""
    opened.menus.presets.aboutToHide.emit()
    settle(opened, qtbot)
    assert opened.easel.result.view.key == before
    actions["Film scan"].hovered.emit()
    actions["Film scan"].trigger()
    assert opened.session.treatment.stages and opened.session.trial is None
    settle(opened, qtbot)


def test_the_sheet_shows_results_in_place_of_sources_and_follows_the_treatment(opened, qtbot):
    settle(opened, qtbot)
    opened.contact.set_wide(True)
    model, shot = opened.sheet.roll_model, opened.session.roll[0]
    index = model.index(0)
    before = small(model, index)
    opened.contact.bar.results.setChecked(True)
    qtbot.waitUntil(lambda: model.has_result(shot), timeout=PATIENCE)
    clean = small(model, index)
    opened.session.change_setting("develop.exposure", -2.0)
    qtbot.waitUntil(lambda: model.has_result(shot), timeout=PATIENCE)
    assert small(model, index).mean() < 0.7 * clean.mean()
    opened.contact.bar.results.setChecked(False)
    np.testing.assert_array_equal(small(model, index), before)
    settle(opened, qtbot)


def test_raw_and_jpeg_of_one_name_are_told_apart_and_stacked(opened, roll_folder, clean8, qtbot):
    twin = save_noisy_jpeg(roll_folder / "a-rim.jpg", clean8)
    opened.open_paths([twin])
    assert "1 shot is there as RAW and as finished" in opened.status.words.text()
    opened.contact.bar.set_stacked(True)
    assert "a-rim.jpg" not in names(opened) and "a-rim.dng" in names(opened)
    assert len(opened.session.roll) == 5
    settle(opened, qtbot)


def test_shots_in_memory_hear_what_the_others_tell_of_their_camera(window, tmp_path, qtbot):
    ramp = np.broadcast_to(np.linspace(0.02, 0.6, 500, dtype=np.float32)[None, :, None], (500, 500, 3))
    for n in range(3):
        values = camera.expose(np.ascontiguousarray(ramp), 200, n)
        path = tmp_path / f"{n}.dng"
        write_dng(path, values, camera.FIELD_TWO, 200, Fraction(1, 60), "2026:03:14 16:20:08", profile=False)
    window.open_paths([tmp_path])
    qtbot.waitUntil(lambda: window.session.shot is not None, timeout=PATIENCE)
    qtbot.waitUntil(lambda: window.session.shot.reading.noise.shots == 3, timeout=PATIENCE)
    settle(window, qtbot)
    assert window.session.pipeline.reading.noise.shots == 3
    assert "as 3 shots of this camera tell together" in window.controls.reading.text().lower()
    store = window.session.store
    assert known_shot(tmp_path / "0.dng", store).reading == window.session.shot.reading  # what a worker would open


def test_hot_pixels_are_told_of_once_all_shots_are_measured(window, tmp_path, qtbot):
    """The first one opened knows nothing yet; what it is told later changes the result."""
    rng = np.random.default_rng(5)
    for n in range(4):  # four scenes without any speck
        coarse = rng.uniform(0.05, 0.5, (6, 8, 3)).astype(np.float32)
        scene = cv2.resize(coarse, (256, 192), interpolation=cv2.INTER_CUBIC)
        values = camera.expose(scene, 400, n, defects=Defects(hot=1e-3))
        write_dng(tmp_path / f"{n}.dng", values, camera.FIELD_TWO, 400, Fraction(1, 60), "2026:03:14 16:20:08")
    window.open_paths(sorted(tmp_path.glob("*.dng")))
    window.session.choose_stage(Stage.DENOISE)
    qtbot.waitUntil(lambda: "hot or dead pixels" in window.controls.reading.text(), timeout=PATIENCE)
    assert window.session.shot.path.name == "0.dng"
    assert 20 < len(window.session.shot.source.defects) < 80
