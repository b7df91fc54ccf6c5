"""What a photographer does in the first hour, by mouse and keys."""

import io
import subprocess
import sys
import threading
from types import SimpleNamespace

import numpy as np
import pytest
import rawpy
from attrs import evolve
from PIL import Image
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QApplication

from crispgrain.cancel import CancelToken
from crispgrain.core.files import preview
from crispgrain.core.meter import Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import Approximate, Halo, Residual, Result
from crispgrain.desktop.contact.thumbnails import quick_thumbnail
from crispgrain.desktop.several.sync_dialog import SyncDialog
from crispgrain.desktop.strip.test_strip import rung_figures
from crispgrain.desktop.window.menus import LEFT as LEFT_OVER
from crispgrain.geometry import Rect
from crispgrain.session.comparing import Look
from crispgrain.session.listing import Order
from crispgrain.session.shots import State
from crispgrain.store import sensors
from tests.conftest import save_noisy_jpeg
from tests.desktop.driving import LEFT, PATIENCE, drag, pixels_of, settle, shown

pytestmark = pytest.mark.slow


def test_the_window_does_not_wait_for_libraries_that_only_a_shot_needs():
    """scipy loads its parts when they are first used (docs/benchmarks.md, "Starting"), a sheet what writes it."""
    program = "import sys, crispgrain.desktop.window.window; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True).stdout
    assert "scipy.version" in loaded
    assert "pikepdf" not in loaded
    assert not [p for p in ("fft", "ndimage", "optimize", "interpolate", "special", "sparse") if f"scipy.{p}" in loaded]


def click_shot(window, qtbot, row, modifier=Qt.KeyboardModifier.NoModifier) -> None:
    where = window.sheet.visualRect(window.sheet.roll_model.index(row)).center()
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
    assert opened.session.current == 1
    assert opened.easel.result.view.source.path.name == "b-noisy.jpg"
    assert opened.session.selection == [0, 1, 2]
    accept_dialog(SyncDialog)
    opened.menus.sync.trigger()
    for row in (0, 1, 2):
        assert opened.session.roll.shots[row].treatment[Stage.DENOISE].values == {"luminance": 60.0}
    settle(opened, qtbot)


def test_shift_click_and_shift_arrow_select_without_moving_the_easel(opened, qtbot):
    click_shot(opened, qtbot, 2, Qt.KeyboardModifier.ShiftModifier)
    assert opened.session.selection == [0, 1, 2]
    assert opened.session.current == 0
    click_shot(opened, qtbot, 0)
    qtbot.keyClick(opened.sheet, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert opened.session.selection == [0, 1]
    assert opened.session.current == 0
    qtbot.keyClick(opened.sheet, Qt.Key.Key_Down)
    assert opened.session.current == 2  # from where the selection ended, as in any list
    settle(opened, qtbot)


def test_a_factor_typed_while_enlarge_is_off_switches_it_on_in_one_step(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.ENLARGE], LEFT, pos=QPoint(60, 20))
    assert not opened.controls.on.isChecked()
    field = opened.controls.rows["factor"].field
    field.selectAll()
    qtbot.keyClicks(field, "3")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert opened.session.pipeline.size.width == 3 * 512
    assert opened.rail.heads[Stage.ENLARGE].lit
    assert opened.controls.on.isChecked()
    opened.session.history.undo()
    assert opened.session.treatment.operations == ()
    assert not opened.controls.on.isChecked()


def test_the_control_sheet_switches_its_stage(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.DENOISE], LEFT, pos=QPoint(60, 20))
    assert opened.controls.on.isChecked()
    qtbot.mouseClick(opened.controls.on, LEFT, pos=QPoint(8, opened.controls.on.height() // 2))
    assert not opened.session.pipeline.resolved[Stage.DENOISE].on
    qtbot.mouseClick(opened.rail.heads[Stage.PRINT], LEFT, pos=QPoint(60, 20))
    assert not opened.controls.on.isVisible()
    settle(opened, qtbot)


def test_a_model_chosen_for_a_stage_that_is_off_switches_it_on(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.DENOISE], LEFT, pos=opened.rail.heads[Stage.DENOISE].lamp_rect.center())
    qtbot.mouseClick(opened.rail.heads[Stage.DENOISE], LEFT, pos=QPoint(60, 20))
    assert not opened.session.pipeline.resolved[Stage.DENOISE].on
    combo = opened.controls.model
    combo.setFocus()
    qtbot.keyClick(combo, Qt.Key.Key_Down)
    assert opened.session.pipeline.resolved[Stage.DENOISE].on
    settle(opened, qtbot)


def test_the_next_shot_shows_the_same_spot_at_the_same_zoom(opened, qtbot):
    opened.easel.set_zoom(4.0)
    drag(qtbot, opened.easel, QPoint(500, 300), QPoint(250, 180))
    place = relative_place(opened.easel)
    settle(opened, qtbot)
    qtbot.keyClick(opened.easel, Qt.Key.Key_PageDown)
    settle(opened, qtbot)
    assert opened.session.current == 1
    assert opened.easel.scale == 4.0
    assert relative_place(opened.easel) == pytest.approx(place, abs=0.01)
    qtbot.keyClick(opened.easel, Qt.Key.Key_PageDown)  # a picture of another size
    settle(opened, qtbot)
    assert opened.easel.result.size.width == 240
    assert opened.easel.scale == 4.0
    qtbot.keyClick(opened.easel, Qt.Key.Key_PageUp)
    assert opened.session.current == 1
    settle(opened, qtbot)


def relative_place(easel) -> tuple[float, float]:
    seen, size = easel.visible, easel.result.size
    return (seen.top + seen.height / 2) / size.height, (seen.left + seen.width / 2) / size.width


def test_keys_go_through_the_selected_shots_only(opened, qtbot):
    click_shot(opened, qtbot, 2, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(opened.easel, Qt.Key.Key_PageDown, Qt.KeyboardModifier.AltModifier)
    assert opened.session.current == 2
    assert opened.session.selection == [0, 2]
    qtbot.keyClick(opened.easel, Qt.Key.Key_PageUp, Qt.KeyboardModifier.AltModifier)
    assert opened.session.current == 0
    settle(opened, qtbot)


def test_the_strip_stays_open_on_the_next_shot_and_runs_again(opened, qtbot):
    opened.strip_flow.run(Rect(100, 200, 60, 80))
    strip = opened.strip
    wait_for_frames(strip, qtbot)
    first = [f.image.copy() for f in strip.frames]
    qtbot.keyClick(opened.easel, Qt.Key.Key_PageDown)
    qtbot.waitUntil(
        lambda: opened.strip_flow._ran is not None and opened.strip_flow._ran[1] is opened.session.shot,
        timeout=PATIENCE,
    )
    wait_for_frames(strip, qtbot)
    assert strip.isVisible()
    assert opened.easel.patches == [Rect(100, 200, 60, 80)]
    assert not any(f.image == i for f in strip.frames for i in first)
    qtbot.mouseClick(opened.rail.heads[Stage.SHARPEN], LEFT, pos=QPoint(60, 20))
    qtbot.waitUntil(lambda: any(f.candidate.label == "Sharp net" for f in strip.frames), timeout=PATIENCE)
    opened.change_setting("sharpen.strength", 40.0)
    qtbot.waitUntil(lambda: opened.strip_flow._ran[2] == opened.session.treatment, timeout=PATIENCE)
    wait_for_frames(strip, qtbot)
    strip.close_strip()
    settle(opened, qtbot)


def wait_for_frames(strip, qtbot) -> None:
    qtbot.waitUntil(lambda: strip.frames and all(f.image or f.problem for f in strip.frames), timeout=PATIENCE)


def test_a_ladder_of_any_setting_says_what_each_rung_costs(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.SHARPEN], LEFT, pos=QPoint(60, 20))
    opened.change_setting("sharpen.model", "unsharp-mask")
    opened.change_setting("sharpen.halo", 20.0)
    opened.change_setting("sharpen.strength", 300.0)
    opened.change_setting("sharpen.radius", 1.2)
    opened.strip_flow.run(Rect(160, 240, 100, 200))
    strip = opened.strip
    next(a for a in strip.rungs.actions() if a.text() == "Radius").trigger()
    qtbot.waitUntil(lambda: strip.frames and all(f.rung for f in strip.frames), timeout=PATIENCE)
    radii = [f.candidate.treatment[Stage.SHARPEN].values["radius"] for f in strip.frames]
    assert len(radii) == 5
    assert radii == sorted(set(radii))
    assert "Radius" in strip.heading.text()
    # Each is measured on the whole of the ladder, so that they can be compared.
    (area,) = opened.easel.patches
    measured = (opened.session.shot, strip.frames[1].candidate.treatment, Stage.SHARPEN, area)
    assert strip.frames[1].rung == rung_figures(*measured, TileCache(), CancelToken())
    halos = [f.rung[0] for f in strip.frames]
    assert halos[-1] > halos[0]
    assert all(f.rung_words[0].startswith("halo") for f in strip.frames)
    assert all("Rendered in" in f.toolTip() and "pixels are brighter or darker" in f.toolTip() for f in strip.frames)
    next(a for a in strip.rungs.actions() if a.text() == "Strength").trigger()
    qtbot.waitUntil(lambda: strip.frames and all(f.rung for f in strip.frames), timeout=PATIENCE)
    added = [f.rung[1] for f in strip.frames]
    assert abs(added[0]) < 0.01  # at 0 % nothing is done
    assert added[-1] < added[1] < 0  # sharpening adds detail, the more the stronger
    settle(opened, qtbot)


def test_the_neighbours_are_rendered_ahead(opened, qtbot, monkeypatch):
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    opened.ahead._timer.setInterval(100)  # from now on it does not rest long
    opened.ahead.stop()
    opened.ahead.wait()
    qtbot.waitUntil(lambda: len(opened.ahead._done) >= 2, timeout=PATIENCE)
    computed = []
    compute = Pipeline._compute
    monkeypatch.setattr(Pipeline, "_compute", lambda *given: computed.append(given[1:3]) or compute(*given))
    qtbot.keyClick(opened.easel, Qt.Key.Key_PageDown)
    qtbot.waitUntil(lambda: opened.session.current == 1 and bool(opened.easel.result.images), timeout=PATIENCE)
    opened.ahead.stop()
    settle(opened, qtbot)
    assert not computed  # source and result were there


def test_residual_and_halo_compare_before_enlarge(opened, qtbot):
    opened.change_setting("enlarge.on", True)
    opened.session.comparing.set_look(Look.RESIDUAL)
    assert isinstance(opened.display.renderer._exact[1], Residual)
    assert opened.display.renderer._exact[1].size == opened.session.shot.source.size
    assert "before Enlarge" in opened.easel.captions[1]
    opened.session.comparing.set_look(Look.HALO)
    assert isinstance(opened.display.renderer._exact[1], Halo)
    opened.session.comparing.set_look(Look.PICTURE)
    assert opened.easel.result.size.width == 1024
    settle(opened, qtbot)


def test_while_a_size_is_chosen_the_quick_model_answers(opened, qtbot):
    qtbot.mouseClick(opened.rail.heads[Stage.ENLARGE], LEFT, pos=QPoint(60, 20))
    opened.change_setting("enlarge.factor", 1.5)
    assert opened.session.pipeline.resolved[Stage.ENLARGE].model.id == "detail-net"  # what a file gets
    assert opened.display.renderer._exact[1].pipeline.resolved[Stage.ENLARGE].model.id == "faithful"
    qtbot.waitUntil(
        lambda: opened.display.renderer._exact[1].pipeline.resolved[Stage.ENLARGE].model.id == "detail-net",
        timeout=PATIENCE,
    )
    settle(opened, qtbot)


def test_a_shot_that_cannot_be_read_says_so_on_the_easel(opened, qtbot):
    click_shot(opened, qtbot, 3)
    qtbot.waitUntil(lambda: "d-broken.jpg" in opened.easel.message, timeout=PATIENCE)
    assert "cut short" in opened.easel.message
    before = pixels_of(opened.easel)
    assert (before.std(axis=2) < 3).all()
    assert np.ptp(before[opened.easel.height() // 2 - 20 :][:40].astype(int)) > 60  # words on grey
    click_shot(opened, qtbot, 0)
    assert opened.easel.message == ""
    settle(opened, qtbot)


def test_from_far_away_an_approximation_is_shown_and_said(window, tmp_path, clean8, qtbot):
    save_noisy_jpeg(tmp_path / "large.jpg", np.tile(clean8, (4, 4, 1)))
    window.open_paths([tmp_path])
    settle(window, qtbot)
    view = window.easel.result.view
    assert isinstance(view, Approximate)
    assert view.size == window.session.shot.source.size
    full = [
        key
        for key in window.session.cache._tiles
        if isinstance(key[-1], int) and key[0] == window.session.pipeline.steps[-1].key
    ]
    assert full == []
    fit = pixels_of(window.easel)
    window.easel.set_zoom(1.0)
    assert isinstance(window.easel.result.view, Result)
    settle(window, qtbot)
    assert np.abs(pixels_of(window.easel)[300:340, 700:740].astype(int) - shown(window, "result", 700, 300)).max() <= 1
    window.easel.set_zoom(None)
    settle(window, qtbot)
    assert np.abs(pixels_of(window.easel).astype(int) - fit).mean() < 1


def test_thumbnails_in_sight_do_not_wait_for_the_meter(window, tmp_path, clean8, qtbot, monkeypatch):
    for number in range(60):
        Image.fromarray(np.roll(clean8[:90, :120], number, 1)).save(tmp_path / f"{number:03}.jpg")
    go_on = threading.Event()
    monkeypatch.setattr(sensors, "measure", lambda source: go_on.wait(60) and Reading())
    window.open_paths([tmp_path])
    window.sheet.scrollToBottom()
    seen = window.sheet.in_sight
    assert 59 in seen
    assert len(seen) < 10
    entries, thumbnails = window.session.roll.shots, window.sheet.roll_model.thumbnails
    qtbot.waitUntil(lambda: all(r in thumbnails for r in seen), timeout=PATIENCE)
    assert len(thumbnails) < 50  # others had to wait
    assert all(entries[r].state is State.WAITING for r in seen)
    thumbnail = thumbnails[59]
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


def test_what_is_left_of_a_damaged_shot_is_opened_marked_and_left_again(opened, qtbot, roll_folder):
    before = (roll_folder / "d-broken.jpg").read_bytes()
    click_shot(opened, qtbot, 3)
    qtbot.waitUntil(lambda: LEFT_OVER in opened.easel.message, timeout=PATIENCE)
    next(a for a in opened.findChildren(QAction) if a.text() == LEFT_OVER).trigger()
    settle(opened, qtbot)
    entry = opened.session.on_easel
    assert entry.headline.endswith("% lost") and entry.state is not State.FAILED and opened.easel.message == ""
    assert np.ptp(pixels_of(opened.easel)[:, :, 1].astype(int)) > 60
    roll = opened.session.roll
    roll.arrange(evolve(roll.listing, order=Order.LOST, descending=True))
    assert roll.listed[0] == entry.id
    opened.session.history.undo()
    qtbot.waitUntil(lambda: "cut short" in opened.easel.message, timeout=PATIENCE)
    assert (roll_folder / "d-broken.jpg").read_bytes() == before
