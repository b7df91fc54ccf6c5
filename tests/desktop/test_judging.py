"""Ways of comparing in the real window: stages, residuals, halos, loupe, navigator, pixel values."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QColor

from crispgrain.core.model import Stage
from crispgrain.desktop.base.theme import current_theme
from crispgrain.desktop.easel.figures import structure_words
from crispgrain.desktop.easel.marks import LOUPE_SCALE, loupe_rect
from crispgrain.session.comparing import Arrangement, Look
from tests.desktop.driving import LEFT, PATIENCE, drag, pixels_of, settle, shown

pytestmark = pytest.mark.slow


def press(qtbot, window, key, modifier=Qt.KeyboardModifier.NoModifier):
    """A key of a menu, as the menu would get it."""
    wanted = f"{'Shift+' if modifier else ''}{chr(key)}"
    (action,) = [a for a in window.findChildren(QAction) if a.shortcut().toString() == wanted]
    action.trigger()


def test_the_divider_can_run_across(floats, opened, qtbot):
    opened.easel.set_zoom(1.0)
    press(qtbot, opened, Qt.Key.Key_D, Qt.KeyboardModifier.ShiftModifier)
    assert opened.session.comparing.arrangement is Arrangement.ACROSS
    settle(opened, qtbot)
    easel = opened.easel
    at = easel.divider_at
    drag(qtbot, easel, QPoint(200, at), QPoint(200, at - 70))
    assert easel.divider_at == at - 70
    seen = pixels_of(easel)
    x = easel.width() // 2
    assert np.array_equal(seen[at - 130 : at - 90, x : x + 40], shown(opened, "source", x, at - 130))
    assert np.array_equal(seen[at - 60 : at - 20, x : x + 40], shown(opened, "result", x, at - 60))


def test_source_and_result_one_above_the_other_show_the_same_spot(opened, qtbot):
    opened.easel.set_zoom(2.0)
    press(qtbot, opened, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    settle(opened, qtbot)
    first, second = opened.easel.panes
    assert first.bottom() < second.top()
    spots = {
        (round(p.x()), round(p.y()))
        for p in (opened.easel.to_picture(pane.center().toPointF()) for pane in (first, second))
    }
    assert len(spots) == 1


def test_the_chosen_stage_is_compared_with_the_one_before(opened, qtbot):
    opened.change_setting("sharpen.on", True)
    opened.session.choose_stage(Stage.SHARPEN)
    press(qtbot, opened, Qt.Key.Key_C)
    settle(opened, qtbot)
    easel = opened.easel
    assert easel.captions == ("before Sharpen", "after Sharpen")
    stages = [[s.stage for s in layer.view.pipeline.steps] for layer in (easel.source, easel.result)]
    assert stages[0] == [s for s in stages[1] if s is not Stage.SHARPEN]
    assert Stage.DENOISE in stages[0]
    opened.session.choose_stage(Stage.DENOISE)
    assert easel.captions == ("before Denoise", "after Denoise")
    assert Stage.SHARPEN not in [s.stage for s in easel.result.view.pipeline.steps]
    assert opened.rail.heads[Stage.SHARPEN].lit  # the treatment itself is as it was
    press(qtbot, opened, Qt.Key.Key_C)
    assert easel.captions == ("source", "result")


def test_the_residual_is_shown_with_a_figure(opened, qtbot):
    opened.session.comparing.set_arrangement(Arrangement.RESULT)
    opened.easel.set_zoom(1.0)
    opened.session.comparing.set_look(Look.RESIDUAL)
    settle(opened, qtbot)
    x, y = opened.easel.width() // 2, opened.easel.height() // 2
    seen = pixels_of(opened.easel)[y : y + 80, x : x + 80].astype(float)
    assert abs(seen.mean() - 128) < 12
    assert seen.std() > 5  # the noise that was taken away
    qtbot.waitUntil(lambda: "detail" in opened.status.words.text(), timeout=PATIENCE)
    opened.session.comparing.set_look(Look.PICTURE)
    settle(opened, qtbot)
    assert "detail" not in opened.status.words.text()


def test_halos_are_shown_in_the_accent_colour_with_a_percentage(opened, qtbot):
    for name, value in (("sharpen.on", True), ("sharpen.model", "unsharp-mask"), ("sharpen.strength", 200.0)):
        opened.change_setting(name, value)
    opened.change_setting("sharpen.radius", 2.0)
    opened.session.choose_stage(Stage.SHARPEN)
    opened.session.comparing.set_stage_alone(True)
    opened.session.comparing.set_arrangement(Arrangement.RESULT)
    opened.easel.set_zoom(1.0)
    opened.session.comparing.set_look(Look.HALO)
    settle(opened, qtbot)
    accent = QColor(current_theme().accent)
    marked = (pixels_of(opened.easel) == (accent.red(), accent.green(), accent.blue())).all(axis=-1)
    assert 20 < marked.sum() < 0.5 * marked.size
    qtbot.waitUntil(lambda: "Halos on" in opened.status.words.text(), timeout=PATIENCE)


def test_no_residual_across_a_change_of_size_and_it_is_said(opened, qtbot):
    opened.change_setting("enlarge.on", True)
    opened.session.choose_stage(Stage.ENLARGE)
    opened.session.comparing.set_stage_alone(True)
    settle(opened, qtbot)
    opened.session.comparing.set_look(Look.RESIDUAL)
    assert "one size" in opened.session.compared().remark
    assert opened.easel.captions == ("before Enlarge", "after Enlarge")
    settle(opened, qtbot)


def test_the_loupe_shows_four_times_what_is_under_the_pointer(opened, qtbot):
    easel = opened.easel
    opened.session.comparing.set_arrangement(Arrangement.RESULT)
    press(qtbot, opened, Qt.Key.Key_L)
    pointer = QPoint(easel.width() // 2, easel.height() // 2)
    qtbot.mouseMove(easel, pointer - QPoint(5, 5))
    qtbot.mouseMove(easel, pointer)
    settle(opened, qtbot)
    assert easel.scale < LOUPE_SCALE
    where = loupe_rect(easel.rect(), pointer.toPointF())
    at = easel.to_picture(pointer.toPointF())
    seen = pixels_of(easel)[where.center().y(), where.center().x()]
    colour = easel.result.colour_at(int(at.x()), int(at.y()))
    assert np.abs(seen.astype(int) - (colour.red(), colour.green(), colour.blue())).max() <= 40
    middle = pixels_of(easel)[where.top() + 60 : where.bottom() - 60, where.left() + 60 : where.right() - 60]
    blocks = (middle[1:] == middle[:-1]).all(axis=(1, 2))
    assert 0.6 < blocks.mean() < 0.9  # three of four rows repeat the one before: pixels are shown as they are
    press(qtbot, opened, Qt.Key.Key_L)
    assert easel.loupe_view.width == 0


def test_the_navigator_moves_the_view(opened, qtbot):
    easel = opened.easel
    assert easel.navigator is None
    easel.set_zoom(4.0)
    area = easel.navigator.toRect()
    qtbot.mouseClick(easel, LEFT, pos=area.topLeft() + QPoint(area.width() // 4, area.height() // 4))
    centre = easel.to_picture(easel.rect().center().toPointF())
    assert abs(centre.x() - easel.result.size.width / 4) < 8
    assert abs(centre.y() - easel.result.size.height / 4) < 8


def test_the_pixel_under_the_pointer_is_read_out(opened, qtbot):
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    qtbot.mouseMove(opened.easel, QPoint(300, 200))
    qtbot.mouseMove(opened.easel, QPoint(301, 200))
    at = opened.easel.to_picture(QPoint(301, 200).toPointF())
    red, green, blue = shown(opened, "source", 301, 200, 1)[0, 0]
    said = opened.status.pixel.text()
    assert said.startswith(f"{int(at.x())}, {int(at.y())}")
    assert f"{red} {green} {blue} →" in said
    opened.easel.leaveEvent(None)
    assert opened.status.pixel.text() == ""


def test_structure_in_words():
    assert "next to no detail" in structure_words(0.004)
    assert "12.0% of the detail in view was taken away" in structure_words(0.12)
    assert "added" in structure_words(-0.4)
