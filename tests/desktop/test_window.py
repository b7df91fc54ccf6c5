"""The real window: open, click, drag, type, and look at the pixels and files that result."""

import hashlib
import re
import threading
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QPointF, QRect, Qt, QTimer, QUrl
from PySide6.QtGui import QColor, QDropEvent, QImage, QWheelEvent
from PySide6.QtWidgets import QApplication, QPushButton

from crispgrain.core.colour import icc
from crispgrain.core.files import read_shot
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.treatment import Treatment, sidecar_path
from crispgrain.desktop.base.background import Urgency
from crispgrain.desktop.base.preferences import last_folder, last_output
from crispgrain.desktop.base.theme import Surround, current_theme
from crispgrain.desktop.export.export_dialog import ExportDialog
from crispgrain.desktop.several.sync_dialog import FIXED
from crispgrain.desktop.window.window import Window
from crispgrain.geometry import Rect
from crispgrain.session.comparing import Arrangement
from crispgrain.session.export_sets import ExportSet
from crispgrain.session.shots import State
from crispgrain.session.sync import Part
from crispgrain.threads import worker_count
from tests.conftest import psnr
from tests.desktop.driving import LEFT, PATIENCE, drag, hearing, pixels_of, settle, shown

pytestmark = pytest.mark.slow

# ---- opening -------------------------------------------------------------------------


def test_shots_in_sight_are_measured_first(window, tmp_path, clean8, qtbot):
    for n in range(24):
        Image.fromarray(clean8[:64, : 64 + n]).save(tmp_path / f"{n:02}.png")
    order = []
    window.session.roll.changed.connect(lambda id: order.append(id))
    gate = threading.Event()
    for _ in range(worker_count()):
        window.background.submit(Urgency.VISIBLE, gate.wait, lambda _: None)
    window.open_paths([tmp_path])
    window.sheet.scrollToBottom()
    seen = window.sheet.in_sight
    assert 23 in seen and 5 not in seen
    gate.set()
    qtbot.waitUntil(lambda: {*range(24)} <= {*order}, timeout=PATIENCE)
    first = list(dict.fromkeys(r for r in order if r != 0))
    # What the workers had taken before the scrolling comes first all the same; the last ones finish in any order.
    assert seen <= {*first[: len(seen) + 3 * worker_count()]}


def test_shots_taken_off_before_they_were_measured_do_not_keep_the_others_waiting(window, tmp_path, clean8, qtbot):
    for n in range(8):
        Image.fromarray(clean8[:64, : 64 + n]).save(tmp_path / f"{n:02}.png")
    gate = threading.Event()
    for _ in range(worker_count()):
        window.background.submit(Urgency.VISIBLE, gate.wait, lambda _: None)
    window.open_paths([tmp_path])
    window.session.take_off([3, 4, 5])
    gate.set()
    roll = window.session.roll
    qtbot.waitUntil(lambda: all(s.headline for s in roll.shots.values()), timeout=PATIENCE)
    assert len(roll) == 5


def test_the_spot_under_the_pointer_answers_while_all_workers_are_busy(opened, qtbot):
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    at = QPoint(opened.easel.width() * 3 // 4, opened.easel.height() // 3)
    qtbot.mouseMove(opened.easel, at)
    gate = threading.Event()
    for _ in range(worker_count()):
        opened.background.submit(Urgency.VISIBLE, gate.wait, lambda _: None)
    spot = slice(at.y() - 16, at.y() + 16), slice(at.x() - 16, at.x() + 16)
    far = slice(at.y() + 60, at.y() + 90), spot[1]
    before = pixels_of(opened.easel)
    try:
        opened.change_setting("develop.exposure", 1.0)
        qtbot.waitUntil(lambda: opened.easel.result.spot is not None, timeout=PATIENCE)
        after = pixels_of(opened.easel)
    finally:
        gate.set()
    expected = shown(opened, "result", at.x() - 16, at.y() - 16, 32)
    assert np.abs(after[spot].astype(int) - expected).max() <= 1
    assert after[spot].mean() > before[spot].mean() + 5
    np.testing.assert_array_equal(after[far], before[far])  # what was there stays until its successor comes
    settle(opened, qtbot)
    assert pixels_of(opened.easel)[far].mean() > before[far].mean() + 5


def test_an_empty_window_says_what_to_do(window):
    assert window.middle.currentWidget() is window.empty
    assert not window.menus.export.isEnabled()


def test_a_folder_dropped_on_the_window_is_opened(window, roll_folder, qtbot):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(roll_folder))])
    event = QDropEvent(QPointF(600, 400), Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier)
    window.dropEvent(event)
    settle(window, qtbot)
    states = [e.state for e in window.session.roll.shots.values()]
    assert states == [State.UNTOUCHED, State.UNTOUCHED, State.UNTOUCHED, State.FAILED]
    assert window.session.roll.shots[0].headline.startswith("noise")
    assert "cut short" in window.session.roll.shots[3].problem


def test_bad_files_are_said_on_the_bottom_line_and_the_rest_opens(window, tmp_path, qtbot, roll_folder):
    empty, nothing = tmp_path / "empty.jpg", tmp_path / "nothing"
    empty.touch()
    nothing.mkdir()
    text = tmp_path / "text.dng"
    text.write_text("not a picture")
    window.open_paths([nothing])
    assert "no pictures" in window.status.words.text()
    window.open_paths([empty, text, roll_folder / "c-clean.png"])
    qtbot.waitUntil(
        lambda: all(e.state is not State.WAITING for e in window.session.roll.shots.values()), timeout=PATIENCE
    )
    assert [e.state for e in window.session.roll.shots.values()] == [State.FAILED, State.FAILED, State.UNTOUCHED]
    assert "empty" in window.status.words.text()
    window.session.choose(2)
    settle(window, qtbot)
    assert window.session.shot is not None


def test_a_folder_of_strange_files_in_the_window(window, strange_folder, qtbot, tmp_path):
    window.open_paths([strange_folder])
    qtbot.waitUntil(
        lambda: all(e.state is not State.WAITING for e in window.session.roll.shots.values()), timeout=PATIENCE
    )
    for row, entry in enumerate(window.session.roll.shots.values()):
        bad = entry.path.name.startswith("bad-")
        assert (entry.state is State.FAILED) == bad, entry.path.name
        window.session.choose(row)
        if bad:
            qtbot.waitUntil(lambda e=entry: e.path.name in window.status.words.text(), timeout=PATIENCE)
            assert window.session.shot is None
        else:
            settle(window, qtbot)
    good = [r for r, e in enumerate(window.session.roll.shots.values()) if e.state is not State.FAILED]
    export_with(window, qtbot, good, folder=tmp_path / "out", format="png")
    assert len(list((tmp_path / "out").iterdir())) == len(good) == 4


def test_the_same_shot_is_not_opened_twice(opened, roll_folder):
    opened.open_paths([roll_folder])
    assert len(opened.session.roll.shots) == 4


# ---- the easel ------------------------------------------------------------------------


def test_both_sides_of_the_divider_show_the_pixels_of_the_core(opened, qtbot):
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    seen = pixels_of(opened.easel)
    middle, y = opened.easel.divider_at, 300
    left, right = middle - 100, middle + 60
    assert np.array_equal(seen[y : y + 40, left : left + 40], shown(opened, "source", left, y))
    there, core = seen[y : y + 40, right : right + 40].astype(int), shown(opened, "result", right, y)
    assert np.abs(there - core).max() <= 1  # networks round otherwise in other tiles
    assert (there == core).mean() > 0.98


def test_dragging_the_divider_uncovers_the_result(floats, opened, qtbot):
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    easel = opened.easel
    x = easel.divider_at
    drag(qtbot, easel, QPoint(x, 200), QPoint(x - 160, 200))
    assert easel.divider_at == pytest.approx(x - 160, abs=2)
    seen = pixels_of(easel)
    assert np.array_equal(seen[300:340, x - 100 : x - 60], shown(opened, "result", x - 100, 300))


def test_holding_s_shows_the_source_everywhere(floats, opened, qtbot):
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    x = opened.easel.divider_at + 60
    qtbot.keyPress(opened.easel, Qt.Key.Key_S)
    assert np.array_equal(pixels_of(opened.easel)[300:340, x : x + 40], shown(opened, "source", x, 300))
    qtbot.keyRelease(opened.easel, Qt.Key.Key_S)
    assert np.array_equal(pixels_of(opened.easel)[300:340, x : x + 40], shown(opened, "result", x, 300))


def test_the_flip_key_works_from_the_contact_sheet_too(opened, qtbot):
    opened.sheet.setFocus()
    qtbot.keyPress(opened.sheet, Qt.Key.Key_S)
    assert opened.easel.flipped
    qtbot.keyRelease(opened.sheet, Qt.Key.Key_S)
    assert not opened.easel.flipped


def test_the_wheel_over_a_setting_scrolls_and_does_not_change_it(opened, qtbot):
    for widget in (opened.controls.rows["luminance"].field, opened.controls.model):
        event = QWheelEvent(
            QPointF(5, 5), widget.mapToGlobal(QPointF(5, 5)), QPoint(), QPoint(0, -120), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)
    assert opened.session.treatment == Treatment()
    assert opened.controls.rows["luminance"].field.value() == 100


def test_side_by_side_shows_the_same_spot_twice(opened, qtbot):
    opened.session.comparing.set_arrangement(Arrangement.SIDE_BY_SIDE)
    opened.easel.set_zoom(2.0)
    settle(opened, qtbot)
    left, right = opened.easel.panes
    seen = pixels_of(opened.easel).astype(float)
    a = seen[100:400, left.left() + 60 : left.left() + 300]
    b = seen[100:400, right.left() + 60 : right.left() + 300]
    assert 20 < psnr(a / 255, b / 255) < 50  # one spot, one side noisy


def test_the_wheel_zooms_at_the_pointer(opened, qtbot):
    easel = opened.easel
    easel.set_zoom(1.0)
    point = QPointF(500, 250)
    before = easel.to_picture(point)
    event = QWheelEvent(
        point, easel.mapToGlobal(point), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(easel, event)
    assert easel.scale == 1.5
    after = easel.to_picture(point)
    assert abs(after.x() - before.x()) < 1.5
    assert abs(after.y() - before.y()) < 1.5


def test_dragging_pans_and_buttons_zoom(opened, qtbot):
    easel = opened.easel
    for button, scale in zip(opened.status.zoom_buttons.buttons()[1:], (1.0, 2.0, 4.0), strict=True):
        qtbot.mouseClick(button, LEFT)
        assert easel.scale == scale
        assert button.isChecked()
    before = easel.visible
    drag(qtbot, easel, QPoint(200, 300), QPoint(280, 340))
    assert easel.visible.left == before.left - 20
    assert easel.visible.top == before.top - 10
    qtbot.mouseClick(opened.status.zoom_buttons.buttons()[0], LEFT)
    assert opened.session.viewport.fitted


def test_fit_shows_the_whole_picture_and_the_surround_changes(opened, qtbot):
    easel = opened.easel
    seen = pixels_of(easel)
    assert tuple(seen[3, 3]) == (0x77, 0x77, 0x77)
    qtbot.keyClick(opened, Qt.Key.Key_G)
    assert easel.surround is Surround.PAPER_WHITE
    assert tuple(pixels_of(easel)[3, 3]) == (0xF2, 0xF2, 0xF2)


def test_no_grey_of_the_window_is_tinted(opened):
    from crispgrain.desktop.base.theme import BOOTH, DIM_ROOM

    for theme in (BOOTH, DIM_ROOM):
        for colour in (theme.panel, theme.field, theme.ink, theme.faint_ink, theme.hairline):
            assert colour[1:3] == colour[3:5] == colour[5:7]


def test_what_was_rendered_once_is_not_rendered_again_when_panning_back(opened, qtbot, monkeypatch):
    opened.easel.set_zoom(4.0)
    settle(opened, qtbot)
    calls = []
    from crispgrain.desktop.easel import renderer

    drag(qtbot, opened.easel, QPoint(300, 300), QPoint(320, 320))
    settle(opened, qtbot)

    monkeypatch.setattr(renderer, "render_part", lambda *a: calls.append(a))
    drag(qtbot, opened.easel, QPoint(320, 320), QPoint(300, 300))
    qtbot.wait(50)
    assert calls == []


# ---- settings ---------------------------------------------------------------------------


def test_the_rail_shows_what_is_metered_and_its_lamp_switches(opened, qtbot):
    heads = opened.rail.heads
    assert heads[Stage.DENOISE].lit
    assert "Mosaic net 100 / 100 %" in heads[Stage.DENOISE].summary
    assert heads[Stage.ENLARGE].summary == "off"
    qtbot.mouseClick(heads[Stage.DENOISE], LEFT, pos=heads[Stage.DENOISE].lamp_rect.center())
    assert opened.session.treatment[Stage.DENOISE].on is False
    assert heads[Stage.DENOISE].summary == "off"
    settle(opened, qtbot)


def test_moving_a_slider_typing_and_returning_to_the_meter(opened, qtbot):
    row = opened.controls.rows["luminance"]
    slider = row.slider
    qtbot.mouseClick(slider, LEFT, pos=QPoint(int(slider.x_of(150)), 18))
    assert opened.session.treatment[Stage.DENOISE].values["luminance"] == pytest.approx(150, abs=2)
    assert not row.slider.following
    row.field.selectAll()
    qtbot.keyClicks(row.field, "80")
    qtbot.keyClick(row.field, Qt.Key.Key_Return)
    assert opened.session.treatment[Stage.DENOISE].values["luminance"] == 80
    qtbot.mouseClick(slider, LEFT, pos=QPoint(int(slider.x_of(slider.metered)), 5))
    assert "luminance" not in opened.session.treatment[Stage.DENOISE].values
    assert slider.following
    settle(opened, qtbot)


def test_a_change_reaches_the_easel_and_undo_brings_back_the_very_pixels(opened, qtbot):
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    before = pixels_of(opened.easel)
    opened.change_setting("denoise.luminance", 0.0)
    settle(opened, qtbot)
    changed = pixels_of(opened.easel)
    assert not np.array_equal(before, changed)
    opened.session.history.undo()
    settle(opened, qtbot)
    assert np.array_equal(pixels_of(opened.easel), before)
    opened.session.history.redo()
    settle(opened, qtbot)
    assert np.array_equal(pixels_of(opened.easel), changed)


def test_a_dragged_slider_is_one_step_to_undo(opened, qtbot):
    slider = opened.controls.rows["colour"].slider
    drag(qtbot, slider, QPoint(int(slider.x_of(100)), 18), QPoint(int(slider.x_of(180)), 18))
    assert opened.session.treatment[Stage.DENOISE].values["colour"] > 150
    opened.session.history.undo()
    assert opened.session.treatment == Treatment()
    settle(opened, qtbot)


def test_treatments_are_kept_beside_the_shot_and_found_again(opened, roll_folder, qtbot):
    opened.change_setting("sharpen.on", False)
    settle(opened, qtbot)
    assert Treatment.load(sidecar_path(roll_folder / "a-rim.dng"))[Stage.SHARPEN].on is False
    again = Window()
    again.open_paths([roll_folder / "a-rim.dng"])
    assert again.session.treatment[Stage.SHARPEN].on is False
    again.close()
    settle(opened, qtbot)


def test_treatments_can_be_kept_in_a_folder_of_their_own(opened, roll_folder, tmp_path, qtbot):
    opened.opening.set_sidecar_folder(tmp_path / "treatments")
    opened.change_setting("sharpen.on", False)
    settle(opened, qtbot)
    assert (tmp_path / "treatments" / "a-rim.dng.treatment.json").exists()
    assert not sidecar_path(roll_folder / "a-rim.dng").exists()
    again = Window()
    again.open_paths([roll_folder / "a-rim.dng"])
    assert again.session.treatment[Stage.SHARPEN].on is False
    again.close()
    settle(opened, qtbot)


def test_the_demo_roll_is_made_on_the_first_start(window, qtbot, monkeypatch):
    from crispgrain.desktop.window import opening as module
    from crispgrain.paths import demo_folder

    made = []
    monkeypatch.setattr(module, "write_roll", lambda folder, report: made.append(folder))
    window.opening.prepare_demo()
    qtbot.waitUntil(lambda: made == [demo_folder()], timeout=PATIENCE)
    demo_folder().mkdir(parents=True)
    window.opening.prepare_demo()
    qtbot.wait(100)
    assert len(made) == 1


def test_how_far_the_demo_roll_is_is_said_to_who_waits_for_it(window, qtbot, monkeypatch):
    from crispgrain.desktop.window import opening as module

    told, making = [threading.Event() for _ in range(3)], threading.Lock()

    def write_roll(folder, report):
        with making:  # who asks meanwhile waits, as for the real one
            for number, name in enumerate(("first.dng", "second.dng", "third.dng")):
                report(number, 3, name)
                assert told[number].wait(10)
        return []

    monkeypatch.setattr(module, "write_roll", write_roll)
    window.opening.prepare_demo()
    qtbot.wait(100)
    assert "demo roll" not in window.status.words.text()
    over = []
    window.opening.open_demo(lambda: over.append(True))
    qtbot.waitUntil(lambda: window.status.words.text() == "Making the demo roll, 1 of 3: first.dng …")
    told[0].set()
    qtbot.waitUntil(lambda: window.status.words.text() == "Making the demo roll, 2 of 3: second.dng …")
    for event in told:
        event.set()
    qtbot.waitUntil(lambda: over == [True])
    assert window.status.words.text() == ""


def test_choosing_a_stage_and_a_model(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.SHARPEN], LEFT, pos=QPoint(60, 45))
    assert opened.controls.title.text() == "Sharpen"
    combo = opened.controls.model
    combo.setCurrentIndex(combo.findData("unsharp-mask"))
    combo.activated.emit(combo.currentIndex())
    assert opened.session.treatment[Stage.SHARPEN].model == "unsharp-mask"
    assert "threshold" in opened.controls.rows
    settle(opened, qtbot)


def test_enlarging_keeps_the_spot_in_view(opened, qtbot):
    easel = opened.easel
    easel.set_zoom(3.0)
    drag(qtbot, easel, QPoint(500, 300), QPoint(300, 200))
    seen = easel.visible
    centre = (
        (seen.left + seen.right) / 2 / easel.result.size.width,
        (seen.top + seen.bottom) / 2 / easel.result.size.height,
    )
    opened.change_setting("enlarge.on", True)
    assert easel.result.size.width == 1024
    seen = easel.visible
    after = (
        (seen.left + seen.right) / 2 / easel.result.size.width,
        (seen.top + seen.bottom) / 2 / easel.result.size.height,
    )
    assert after == pytest.approx(centre, abs=0.01)
    settle(opened, qtbot)


# ---- several shots --------------------------------------------------------------------------


def test_sync_puts_stages_on_other_shots_as_one_step(opened, qtbot):
    opened.change_setting("denoise.luminance", 60.0)
    opened.change_setting("develop.exposure", 1.0)
    opened.several.sync([1, 2], [Part(Stage.DENOISE), Part(Stage.SHARPEN)])
    for row in (1, 2):
        assert opened.session.roll.shots[row].treatment[Stage.DENOISE].values == {"luminance": 60.0}
        assert opened.session.roll.shots[row].treatment[Stage.DEVELOP].values == {}
        assert opened.session.roll.shots[row].state is State.TREATED
    opened.session.history.undo()
    assert opened.session.roll.shots[1].treatment == Treatment()
    settle(opened, qtbot)


def test_sync_asks_for_stages_through_its_dialog(opened, qtbot):
    opened.change_setting("sharpen.strength", 30.0)
    opened.sheet.selectAll()

    said = []

    def accept() -> None:
        dialog = QApplication.activeModalWidget()
        try:
            said.append(dialog.boxes[Stage.DEVELOP].isChecked())
            said.append(dialog.words.text().partition("\n")[0])
            dialog.boxes[Stage.SHARPEN].setChecked(False)
            said.append(dialog.words.text())
            dialog.boxes[Stage.SHARPEN].setChecked(True)
            dialog.ways[Stage.SHARPEN].setCurrentText(FIXED)
        finally:
            dialog.accept()

    QTimer.singleShot(200, accept)
    opened.menus.sync.trigger()
    assert said[:2] == [False, "Changes 3 of 3 shots: Sharpen on 3."] and "Nothing would change" in said[2]
    synced = opened.session.roll.shots[2].treatment[Stage.SHARPEN]
    assert synced.values == opened.session.pipeline.resolved[Stage.SHARPEN].values
    assert synced.values["strength"] == 30.0
    settle(opened, qtbot)


def test_sync_without_a_selection_says_how_to_select(opened, qtbot):
    opened.menus.sync.trigger()
    assert "Ctrl or Shift and click" in opened.status.words.text()
    assert all(e.treatment == Treatment() for e in opened.session.roll.shots.values())


def test_a_preset_is_named_in_its_dialog_and_goes_on_all_selected_shots(opened, qtbot):
    opened.change_setting("denoise.colour", 130.0)

    def fill_in() -> None:
        dialog = QApplication.activeModalWidget()
        assert not dialog._accept.isEnabled()  # no name yet
        qtbot.keyClicks(dialog.name, "Stronger colour")
        for stage, box in dialog.boxes.items():
            box.setChecked(stage is Stage.DENOISE)
        qtbot.mouseClick(dialog._accept, LEFT)

    QTimer.singleShot(200, fill_in)
    opened.several.ask_preset()
    assert "Stronger colour" in opened.status.words.text()
    opened.sheet.selectAll()
    opened.menus.presets.aboutToShow.emit()
    opened.menus.presets.actions()[0].trigger()  # one's own come first
    for row in (1, 2):
        assert opened.session.roll.shots[row].treatment[Stage.DENOISE].values == {"colour": 130.0}
    settle(opened, qtbot)


def test_a_preset_that_is_none_is_named_and_changes_nothing(opened, qtbot):
    from crispgrain.paths import presets_folder

    presets_folder().mkdir(parents=True, exist_ok=True)
    (presets_folder() / "odd.json").write_text('{"format": "something else"}')
    opened.menus.presets.aboutToShow.emit()
    opened.menus.presets.actions()[0].trigger()
    assert "odd.json" in opened.status.words.text()
    assert opened.session.treatment == Treatment()


def test_a_preset_is_saved_and_applied(opened, qtbot):
    from crispgrain.paths import presets_folder

    opened.change_setting("finish.on", True)
    opened.several.save_preset(opened.session.treatment, "Wall print / 30 × 40", [Stage.FINISH])
    (file,) = presets_folder().glob("*.json")
    opened.session.choose(2)
    settle(opened, qtbot)
    opened.menus.presets.aboutToShow.emit()
    opened.menus.presets.actions()[0].trigger()
    assert opened.session.treatment[Stage.FINISH].on is True
    assert Treatment.load(file).name == "Wall print / 30 × 40"
    settle(opened, qtbot)


def test_a_test_strip_of_a_dragged_patch_and_adopting_from_it(opened, qtbot):
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    opened.start_strip()
    drag(qtbot, opened.easel, QPoint(300, 250), QPoint(400, 350))
    strip = opened.strip
    qtbot.waitUntil(lambda: strip.frames and all(f.image is not None for f in strip.frames), timeout=PATIENCE)
    assert strip.isVisible()
    assert 3 <= len(strip.frames) <= 12
    labels = [f.candidate.label for f in strip.frames]
    assert labels[0] == "off"
    assert "Wavelet" in labels
    (patch,) = opened.easel.patches
    expected = icc.from_working(opened.session.pipeline.region(patch), icc.profile("srgb"), 8)
    present = strip.frames[labels.index("Mosaic net")].image
    assert (present.width(), present.height()) == (100, 100)
    got = (
        np.frombuffer(present.constBits(), np.uint8).reshape(100, present.bytesPerLine())[:, :300].reshape(100, 100, 3)
    )
    # A network may round differently in a patch than in a tile.
    assert np.abs(got.astype(int) - expected).max() <= 1
    qtbot.mouseClick(strip.frames[labels.index("Wavelet")], LEFT, pos=QPoint(50, 50))
    assert opened.session.treatment[Stage.DENOISE].model == "wavelet"
    qtbot.keyClick(opened, Qt.Key.Key_Escape)
    assert not strip.isVisible()
    settle(opened, qtbot)


def test_the_strip_comes_back_on_its_patch_until_it_is_closed(opened, qtbot):
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    opened.session.choose_stage(Stage.SHARPEN)
    qtbot.keyClick(opened, Qt.Key.Key_T)
    assert "Drag a rectangle" in opened.status.words.text()
    drag(qtbot, opened.easel, QPoint(320, 260), QPoint(380, 330))
    strip = opened.strip
    qtbot.waitUntil(lambda: strip.frames and all(f.image is not None for f in strip.frames), timeout=PATIENCE)
    (patch,) = opened.easel.patches
    assert (patch.width, patch.height) == (60, 70)
    opened.session.choose_stage(Stage.DENOISE)
    qtbot.keyClick(opened, Qt.Key.Key_T)  # another stage, no new rectangle
    labels = [f.candidate.label for f in strip.frames]
    assert {"off", "Mosaic net", "Wavelet"} <= set(labels)
    qtbot.waitUntil(lambda: all(f.image is not None for f in strip.frames), timeout=PATIENCE)
    assert opened.easel.patches == [patch]
    qtbot.keyClick(opened, Qt.Key.Key_Escape)
    assert opened.easel.patches == []
    settle(opened, qtbot)


def test_a_strip_of_enlarging_shows_the_enlarged_patch(opened, qtbot):
    opened.session.choose_stage(Stage.ENLARGE)
    opened.strip_flow.run(Rect(40, 60, 50, 80))
    strip = opened.strip
    qtbot.waitUntil(lambda: strip.frames and all(f.image is not None for f in strip.frames), timeout=PATIENCE)
    assert {f.candidate.label for f in strip.frames} >= {"Faithful", "Detail net", "Lanczos"}
    assert all((f.image.width(), f.image.height()) == (160, 100) for f in strip.frames)
    assert all(f.seconds > 0 for f in strip.frames)
    settle(opened, qtbot)


# ---- export -----------------------------------------------------------------------------------


def export_with(window, qtbot, rows, **choices) -> None:
    dialog = ExportDialog(window.session.pipeline, len(rows), choices.pop("folder"), window)
    for name, value in choices.items():
        widget = getattr(dialog, name)
        if hasattr(widget, "findData"):
            widget.setCurrentIndex(widget.findData(value))
        elif hasattr(widget, "setText"):
            widget.setText(value)
        else:
            widget.setValue(value)
    with hearing(window.exporter.finished, qtbot):
        window.export_flow.export(rows, dialog)


def test_export_writes_what_the_easel_shows(opened, qtbot, tmp_path):
    opened.change_setting("print.dither", "off")
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    export_with(opened, qtbot, [0], folder=tmp_path / "out", format="png", bits=8, profile="srgb", ppi=240)
    (path,) = (tmp_path / "out").iterdir()
    x, y = opened.easel.divider_at + 50, 280
    origin = opened.easel.origin(opened.easel.panes[0])
    stored = read_shot(path).stored
    left, top = x - int(origin.x()), y - int(origin.y())
    assert np.array_equal(stored[top : top + 60, left : left + 60], pixels_of(opened.easel)[y : y + 60, x : x + 60])
    assert opened.session.roll.shots[0].state is State.EXPORTED


def test_export_all_goes_on_past_a_broken_shot_and_offers_the_folder(opened, qtbot, tmp_path, roll_folder):
    (roll_folder / "b-noisy.jpg").write_bytes(b"\xff\xd8 gone bad since it was opened")
    out = tmp_path / "out"
    export_with(opened, qtbot, [0, 1, 2], folder=out, format="jpeg")
    qtbot.waitUntil(lambda: "1 failed" in opened.status.words.text(), timeout=PATIENCE)
    assert sorted(p.name.split("-")[0] for p in out.iterdir()) == ["a", "c"]
    urls = []
    opened.status.open_url = urls.append
    assert opened.status.open_folder.isVisible()
    qtbot.mouseClick(opened.status.open_folder, LEFT)
    assert Path(urls[0].toLocalFile()) == out


def test_several_are_named_from_a_template(opened, qtbot, tmp_path):
    out = tmp_path / "out"
    dialog = ExportDialog(opened.session.pipeline, 2, out, opened)
    dialog.format.setCurrentIndex(dialog.format.findData("jpeg"))
    dialog.show()
    field, write = dialog.name, next(b for b in dialog.findChildren(QPushButton) if b.text() == "Export")
    field.selectAll()
    qtbot.keyClicks(field, "{number:03} {nothing}")
    assert "{number}" in dialog.extent.text() and not write.isEnabled()
    field.selectAll()
    qtbot.keyClicks(field, "{number:03} {shot}")
    assert "First name: 001 a-" in dialog.extent.text() and write.isEnabled()
    dialog.close()
    with hearing(opened.exporter.finished, qtbot):
        opened.export_flow.export([2, 0], dialog)
    assert sorted(p.name.partition("-")[0] for p in out.iterdir()) == ["001 c", "002 a"]


def test_checksums_are_written_beside_the_results(opened, qtbot, tmp_path):
    out = tmp_path / "out"
    dialog = ExportDialog(opened.session.pipeline, 2, out, opened)
    dialog.format.setCurrentIndex(dialog.format.findData("jpeg"))
    dialog.sums.setChecked(True)
    opened.export_flow.export([0, 2], dialog)
    qtbot.waitUntil(lambda: "checksums: SHA256SUMS" in opened.status.words.text(), timeout=PATIENCE)
    lines = dict(line.split("  ")[::-1] for line in (out / "SHA256SUMS").read_text().splitlines())
    written = {p.name: hashlib.sha256(p.read_bytes()).hexdigest() for p in out.glob("*.jpg")}
    assert len(written) == 2 and lines == written


def test_the_export_dialog_asks_the_lab_before_anything_is_written(opened, qtbot, tmp_path):
    opened.change_setting("print.paper", "10x15cm")
    dialog = ExportDialog(opened.session.pipeline, 1, tmp_path, opened)
    dialog.show()
    assert dialog.lab.isVisible() and dialog.lab.text().endswith("takes it.")
    assert re.search(r"1[0-3]\.\d MB", dialog.extent.text())  # 1181 x 1772 px, three channels of 16 bits
    dialog.format.setCurrentIndex(dialog.format.findData("png"))
    assert "PNG is not taken" in dialog.lab.text() and "about" in dialog.extent.text()
    dialog.close()
    opened.change_setting("print.paper", "none")
    dialog = ExportDialog(opened.session.pipeline, 1, tmp_path, opened)
    dialog.show()
    assert not dialog.lab.isVisible()
    dialog.close()


def test_a_window_that_is_closed_is_gone_before_its_work_has_ended(opened, monkeypatch):
    seen, ended = [], opened.display.close
    monkeypatch.setattr(opened.display, "close", lambda: (seen.append(opened.isVisible()), ended()))
    opened.close()
    assert seen == [False]


def test_the_export_dialog_opens_with_a_profile_that_will_not_do(opened, qtbot, tmp_path):
    (tmp_path / "no-profile.icc").write_text("dear diary")
    opened.change_setting("print.icc", str(tmp_path / "no-profile.icc"))
    dialog = ExportDialog(opened.session.pipeline, 1, tmp_path, opened)
    assert dialog.name.text().endswith(".tif")
    opened.export_flow.export([opened.session.current], dialog)
    qtbot.waitUntil(lambda: "no-profile.icc" in opened.status.words.text(), timeout=PATIENCE)
    assert not list(tmp_path.glob("*.tif"))


def test_sets_that_are_ticked_give_a_file_each(opened, qtbot, tmp_path):
    sets = [
        ExportSet("Small", {"enlarge.model": "lanczos", "enlarge.by": "long-side", "enlarge.pixels": 100,
                            "print.format": "webp"}, "small"),
        ExportSet("Flat", {"print.format": "png", "print.bits": "8"}, names="{number}"),
    ]  # fmt: skip
    dialog = ExportDialog(opened.session.pipeline, 2, tmp_path / "out", opened, sets=sets)
    dialog.show()
    assert dialog.format.isVisible()
    for tick in dialog.sets:
        qtbot.mouseClick(tick, LEFT, pos=QPoint(8, tick.height() // 2))
    assert not dialog.format.isVisible() and "4 files, in small" in dialog.extent.text()
    dialog.close()
    before = opened.session.roll.shots[0].treatment
    with hearing(opened.exporter.finished, qtbot):
        opened.export_flow.export([0, 2], dialog)
    out = tmp_path / "out"
    assert sorted(p.name for p in out.iterdir() if p.is_file()) == ["1.png", "2.png"]
    assert [p.name.partition("-")[0] for p in sorted((out / "small").iterdir())] == ["a", "c"]
    assert max(read_shot(next((out / "small").iterdir())).size.width, 0) == 100
    assert opened.session.roll.shots[0].treatment == before


def test_a_name_of_ones_own_is_taken_as_it_is(opened, qtbot, tmp_path):
    export_with(opened, qtbot, [2], folder=tmp_path / "out", format="jpeg", name="{shot} 100%.jpg")
    assert [p.name for p in (tmp_path / "out").iterdir()] == ["{shot} 100%.jpg"]


def test_export_to_a_place_that_takes_nothing_says_so(opened, qtbot):
    export_with(opened, qtbot, [0], folder=Path("/proc/results"))
    qtbot.waitUntil(lambda: "cannot be written to" in opened.status.words.text(), timeout=PATIENCE)
    assert opened.session.roll.shots[0].state is State.TREATED  # what was chosen in the dialog is its Print stage now


def test_an_export_waits_for_room_on_a_full_disk(opened, qtbot, tmp_path, monkeypatch):
    from crispgrain.orders import queue
    from tests.orders.fakes import fake_work

    monkeypatch.setattr(queue, "work", fake_work)
    monkeypatch.setattr(queue, "LOOK", 0.1)
    monkeypatch.setattr(queue, "ROOM", 10**18)
    folder = tmp_path / "out"
    folder.mkdir()
    dialog = ExportDialog(opened.session.pipeline, 1, folder, opened)
    dialog.name.setText("full once")
    opened.export_flow.export([0], dialog)
    qtbot.waitUntil(lambda: "no room" in opened.status.words.text(), timeout=PATIENCE)
    assert "Going on when there is room" in opened.status.words.text()
    with hearing(opened.exporter.finished, qtbot):
        monkeypatch.setattr(queue, "ROOM", 0)
    assert opened.session.roll.shots[0].state is State.EXPORTED


def test_a_source_too_small_to_enlarge_well_is_warned_of(opened, qtbot):
    # design.md section 8: below about 500 x 500 px (common practice, no source).
    opened.session.choose(2)
    settle(opened, qtbot)
    opened.session.choose_stage(Stage.ENLARGE)
    assert "too small to enlarge well" in opened.controls.remark.text()


def test_a_model_that_is_the_wrong_choice_for_a_shot_says_so_beside_its_name(opened, qtbot):
    opened.session.choose_stage(Stage.DENOISE)
    remark = opened.controls.remark
    opened.change_setting("denoise.on", True)
    assert not remark.isVisible()
    combo = opened.controls.model
    combo.setFocus()
    for _ in range(combo.findData("matched-blocks") - combo.currentIndex()):
        qtbot.keyClick(combo, Qt.Key.Key_Down)
    settle(opened, qtbot)
    assert remark.isVisible()
    assert "Mosaic net" in remark.text()
    assert remark.heightForWidth(remark.width()) <= remark.height()  # no line is cut off
    opened.session.choose_stage(Stage.SHARPEN)
    assert not remark.isVisible()


def test_the_rail_shows_where_a_remark_stands(opened, qtbot):
    opened.change_setting("denoise.on", True)
    opened.session.choose_stage(Stage.DEVELOP)
    head = opened.rail.heads[Stage.DENOISE]

    def upper_row() -> QImage:
        return head.grab(QRect(0, 0, head.width(), 30)).toImage()

    without = upper_row()
    opened.change_setting("denoise.model", "matched-blocks")
    assert upper_row() != without
    assert "Mosaic net" in head.toolTip()
    opened.change_setting("denoise.model", "mosaic-net")
    assert upper_row() == without


def test_export_offers_best_effort_where_a_network_is_at_work(opened, qtbot, tmp_path):
    dialog = ExportDialog(opened.session.pipeline, 1, tmp_path, opened)
    dialog.show()
    assert dialog.best.isVisible()
    assert "effort" not in dialog.with_effort(opened.session.treatment)[Stage.DENOISE].values
    qtbot.mouseClick(dialog.best, LEFT, pos=QPoint(8, dialog.best.height() // 2))
    assert dialog.with_effort(opened.session.treatment)[Stage.DENOISE].values["effort"] == "best"
    dialog.close()
    opened.change_setting("denoise.model", "wavelet")
    settle(opened, qtbot)
    dialog = ExportDialog(opened.session.pipeline, 1, tmp_path, opened)
    dialog.show()
    assert not dialog.best.isVisible()
    dialog.close()


def test_an_export_can_be_stopped(opened, qtbot, tmp_path):
    opened.change_setting("enlarge.on", True)
    opened.change_setting("enlarge.factor", 8.0)
    out = tmp_path / "out"
    dialog = ExportDialog(opened.session.pipeline, 1, out, opened)
    with hearing(opened.exporter.progress, qtbot):
        opened.export_flow.export([0], dialog)
    with hearing(opened.exporter.finished, qtbot):
        qtbot.mouseClick(opened.status.stop, LEFT)
    assert list(out.glob("*")) == []
    opened.change_setting("enlarge.on", False)
    settle(opened, qtbot)


def test_the_next_export_proposes_what_was_chosen_last(opened, qtbot, tmp_path):
    export_with(opened, qtbot, [0], folder=tmp_path / "out", format="jpeg", profile="display-p3", ppi=240)
    seen = []

    def look() -> None:
        dialog = QApplication.activeModalWidget()
        seen.append(
            (dialog.format.currentData(), dialog.profile.currentData(), dialog.ppi.value(), dialog.folder.text())
        )
        dialog.reject()

    QTimer.singleShot(200, look)
    opened.menus.export.trigger()
    assert seen == [("jpeg", "display-p3", 240, str(tmp_path / "out"))]
    assert opened.session.treatment[Stage.PRINT].values["format"] == "jpeg"  # one place for it
    opened.session.history.undo()
    assert opened.session.treatment[Stage.PRINT].values == {}
    kept = {"format": "jpeg", "bits": "16", "profile": "display-p3", "ppi": 240, "quality": 95}
    assert {k: v for k, v in (last_output() or {}).items() if k in kept} == kept  # at the next start, too
    assert last_folder() == tmp_path / "out"


def test_the_print_stage_speaks_in_words(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.PRINT], LEFT, pos=QPoint(60, 20))
    rows = opened.controls.rows
    assert rows["format"].field.currentText() == "TIFF"
    assert rows["profile"].field.currentText() == "sRGB"
    assert opened.controls.follow.text() == "Start values"
    assert rows["bits"].isVisibleTo(opened.controls)
    assert not rows["quality"].isVisibleTo(opened.controls)
    opened.change_setting("print.format", "jpeg")
    assert rows["quality"].isVisibleTo(opened.controls)
    assert not rows["bits"].isVisibleTo(opened.controls)


def test_the_reading_is_in_sight_in_every_stage_of_a_small_window(opened, qtbot):
    opened.resize(1024, 640)
    for stage in Stage:
        qtbot.mouseClick(opened.rail.heads[stage], LEFT, pos=QPoint(60, 20))
        reading = opened.controls.reading
        assert len(reading.text()) > 5 or stage is Stage.FINISH
        bottom = reading.mapTo(opened.controls.viewport(), reading.rect().bottomLeft())
        assert bottom.y() < opened.controls.viewport().height() / 2
    settle(opened, qtbot)


def test_the_export_dialog_follows_its_format(opened):
    dialog = ExportDialog(opened.session.pipeline, 1, Path("/tmp"), opened)
    assert dialog.name.text() == "a-rim-denoise.tif"
    dialog.format.setCurrentIndex(dialog.format.findData("jpeg"))
    assert dialog.name.text().endswith(".jpg")
    assert not dialog.bits.isVisibleTo(dialog)
    assert dialog.quality.isVisibleTo(dialog)


# ---- responsiveness ----------------------------------------------------------------------------


def test_the_window_goes_on_answering_while_it_renders(opened, qtbot, monkeypatch):
    """Its thread computes nothing: with every worker held up, a click is answered, and no tile was made there."""
    go_on, threads = threading.Event(), set()
    compute = Pipeline._compute

    def held_up(*given):
        threads.add(threading.current_thread())
        assert go_on.wait(60)
        return compute(*given)

    monkeypatch.setattr(Pipeline, "_compute", held_up)
    opened.session.cache.clear()
    opened.change_setting("denoise.luminance", 90.0)
    qtbot.waitUntil(lambda: len(threads) >= worker_count(), timeout=PATIENCE)
    qtbot.mouseClick(opened.rail.heads[Stage.ENLARGE], LEFT, pos=QPoint(60, 20))
    assert opened.controls.title.text() == "Enlarge"
    assert not opened.display.renderer.idle
    go_on.set()
    settle(opened, qtbot)
    assert threading.main_thread() not in threads


def test_a_result_that_is_not_all_there_is_said_not_to_be(opened, qtbot):
    easel = opened.easel
    label = QColor(current_theme().panel).getRgb()[:3]

    def words_wide() -> int:
        """Width of the label in the right lower corner, px."""
        return int((pixels_of(easel)[-12, easel.divider_at + 4 :] == label).all(axis=-1).sum())

    easel.set_zoom(1.0)
    settle(opened, qtbot)
    whole = words_wide()
    assert easel.unfinished == "" and whole > 40
    opened.session.cache.clear()
    opened.change_setting("denoise.luminance", 70.0)
    qtbot.waitUntil(opened.status.stop.isVisible, timeout=PATIENCE)
    assert easel.unfinished == "rendering" and words_wide() > whole + 40
    qtbot.mouseClick(opened.status.stop, LEFT)
    assert easel.unfinished == "stopped" and words_wide() > whole + 30
    drag(qtbot, easel, QPoint(300, 300), QPoint(330, 320))  # goes on
    assert easel.unfinished == "rendering"
    settle(opened, qtbot)
    assert easel.unfinished == "" and words_wide() == whole


def test_stopping_leaves_the_picture_and_a_move_goes_on(opened, qtbot):
    opened.session.cache.clear()
    opened.change_setting("denoise.luminance", 70.0)
    qtbot.waitUntil(opened.status.stop.isVisible, timeout=PATIENCE)
    qtbot.mouseClick(opened.status.stop, LEFT)
    assert opened.display.renderer.idle
    assert opened.display.renderer._wanted()
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    assert not opened.display.renderer._wanted()


def test_many_nudges_end_with_the_last_one_on_the_easel(floats, opened, qtbot):
    rng = np.random.default_rng(0)
    opened.easel.set_zoom(1.0)
    for value in rng.integers(0, 200, 25):
        opened.change_setting("denoise.luminance", float(value))
        qtbot.wait(10)
    settle(opened, qtbot)
    x, y = opened.easel.divider_at + 60, 300
    assert np.array_equal(pixels_of(opened.easel)[y : y + 40, x : x + 40], shown(opened, "result", x, y))
    assert opened.session.cache.bytes_held <= opened.session.cache.budget


def test_going_through_shots_while_rendering(opened, qtbot):
    for row in (1, 2, 0, 3, 1, 0):
        opened.session.choose(row)
        qtbot.wait(30)
    settle(opened, qtbot)
    assert opened.session.shot.path.name == "a-rim.dng"


def test_the_dim_room_variant(opened):
    from crispgrain.desktop.base.theme import DIM_ROOM, current_theme

    opened.looking.toggle_dim()
    assert current_theme() is DIM_ROOM
    assert pixels_of(opened.rail).mean() < 90
    opened.looking.toggle_dim()
    assert pixels_of(opened.rail).mean() > 190


def test_values_of_a_pixel_do_not_outlive_their_shot(opened, qtbot):
    qtbot.mouseMove(opened.easel, opened.easel.rect().center())
    qtbot.waitUntil(lambda: bool(opened.status.pixel.text()), timeout=PATIENCE)
    opened.session.choose(2)
    assert opened.status.pixel.text() == ""
    settle(opened, qtbot)
