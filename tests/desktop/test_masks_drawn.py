"""Zones that are found, painted and put together on the easel."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt

from crispgrain.core.masks import Brush, Composite, Found, How, Kind, Rough
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.session.comparing import Look
from tests.desktop.driving import LEFT, drag, pixels_of, settle
from tests.desktop.test_zones import choose, grey, on_easel, type_value

__all__ = ["grey"]
RIGHT = Qt.MouseButton.RightButton


def way(window, words, menu=None):
    """Choose from the menu of ways to make a zone."""
    next(a for a in (menu or window.mask_flow.ways).actions() if a.text() == words).trigger()


def mask_of(window):
    return window.session.treatment.find(window.session.operation).mask


def stroke(qtbot, window, start, end, button=LEFT):
    drag(qtbot, window.easel, on_easel(window, *start), on_easel(window, *end), button)


def test_a_zone_is_painted_taken_away_undone_and_kept(grey, qtbot, tmp_path):
    way(grey, "Brush …")
    assert grey.controls.masks.isVisible() and grey.controls.masks.paint.isChecked()
    type_value(grey, qtbot, "exposure", "1")
    stroke(qtbot, grey, (350, 100), (550, 100))
    stroke(qtbot, grey, (350, 300), (550, 300))
    settle(grey, qtbot)
    (part,) = mask_of(grey).parts
    assert isinstance(part.shape, Brush) and len(part.shape.strokes) == 2
    seen = pixels_of(grey.easel)
    light = [int(seen[at.y(), at.x(), 0]) for at in (on_easel(grey, 450, y) for y in (100, 200, 300))]
    assert light[0] > 130 and light[1] == 100 and light[2] > 130
    stroke(qtbot, grey, (350, 300), (550, 300), RIGHT)
    settle(grey, qtbot)
    assert mask_of(grey).parts[0].shape.strokes[-1].out
    at = on_easel(grey, 450, 300)
    assert pixels_of(grey.easel)[at.y(), at.x(), 0] == 100
    grey.session.history.undo()
    assert len(mask_of(grey).parts[0].shape.strokes) == 2
    qtbot.keyClick(grey, Qt.Key.Key_Escape)
    assert grey.easel.hand.shape is None and not grey.controls.masks.paint.isChecked()
    settle(grey, qtbot)
    kept = Treatment.load(tmp_path / "grey.png.treatment.json")
    assert kept == grey.session.treatment


def test_what_was_found_is_mended_with_the_brush(grey, qtbot):
    way(grey, "Rectangle …")
    drag(qtbot, grey.easel, on_easel(grey, 350, 100), on_easel(grey, 550, 300))
    grey.controls.masks.paint.setChecked(True)
    stroke(qtbot, grey, (400, 200), (420, 200), RIGHT)
    stroke(qtbot, grey, (500, 200), (510, 200), RIGHT)
    stroke(qtbot, grey, (450, 350), (470, 350))
    assert [p.how.value for p in mask_of(grey).parts] == ["add", "subtract", "add"]
    pipeline = grey.session.pipeline
    values = mask_of(grey).values(pipeline.steps[-1].after, pipeline.ground, pipeline.size.rect)
    assert values[200, 410] == 0 and values[200, 505] == 0 and values[200, 455] == 1 and values[350, 460] == 1


def test_parts_are_added_turned_round_and_removed(grey, qtbot):
    way(grey, "Light")
    panel = grey.controls.masks
    assert isinstance(mask_of(grey), Found)
    panel.rows[False, "low"].field.setValue(60.0)
    assert mask_of(grey).parts[0].shape == Found(Kind.LIGHT, low=0.6)
    way(grey, "Ellipse …", grey.mask_flow.by_how[How.SUBTRACT])
    drag(qtbot, grey.easel, on_easel(grey, 320, 100), on_easel(grey, 500, 300))
    assert [p.how.value for p in mask_of(grey).parts] == ["add", "subtract"]
    assert panel.parts.currentText() == "Ellipse"
    qtbot.mouseClick(panel.turned, LEFT)
    assert mask_of(grey).parts[1].inverted
    qtbot.mouseClick(panel.less, LEFT)
    assert len(mask_of(grey).parts) == 1
    panel.whole_turned.click()
    panel.rows[True, "grow"].field.setValue(2.0)
    assert mask_of(grey) == Composite(mask_of(grey).parts, inverted=True, grow=0.02)
    grey.session.history.undo()
    assert mask_of(grey).grow == 0


def test_the_mask_is_seen_over_the_picture_as_grey_and_as_outline(grey, qtbot):
    way(grey, "Rectangle …")
    drag(qtbot, grey.easel, on_easel(grey, 350, 100), on_easel(grey, 550, 300))
    inside, outside = on_easel(grey, 450, 200), on_easel(grey, 450, 50)

    def colours(look):
        grey.session.comparing.set_look(look)
        settle(grey, qtbot)
        seen = pixels_of(grey.easel)
        return seen[inside.y(), inside.x(), :3].tolist(), seen[outside.y(), outside.x(), :3].tolist()

    assert colours(Look.MASK_GREY) == ([255, 255, 255], [0, 0, 0])
    within, beyond = colours(Look.MASK)
    assert beyond == [100, 100, 100] and max(within) - min(within) > 40
    assert colours(Look.MASK_OUTLINE) == ([100, 100, 100], [100, 100, 100])
    choose(grey, "Everywhere")
    settle(grey, qtbot)
    assert colours(Look.MASK) == ([100, 100, 100], [100, 100, 100])


def test_a_colour_is_pointed_at_and_rough_strokes_are_taken(window, qtbot, tmp_path):
    pixels = np.full((400, 600, 3), 90, np.uint8)
    pixels[100:300, 350:550] = (200, 60, 50)
    Image.fromarray(pixels).save(tmp_path / "two.png")
    window.open_paths([tmp_path / "two.png"])
    settle(window, qtbot)
    window.session.choose_stage(window.session.stage.DEVELOP)
    window.easel.set_zoom(1.0)
    settle(window, qtbot)
    way(window, "Colour …")
    qtbot.mouseClick(window.easel, LEFT, pos=on_easel(window, 450, 200))
    assert mask_of(window).colour == pytest.approx((200 / 255, 60 / 255, 50 / 255), abs=0.02)
    choose(window, "Everywhere")
    way(window, "Keep and drop …")
    stroke(qtbot, window, (400, 200), (500, 210))
    stroke(qtbot, window, (350, 40), (560, 40), RIGHT)
    settle(window, qtbot)
    shape = mask_of(window).parts[0].shape
    assert isinstance(shape, Rough) and [s.out for s in shape.strokes] == [False, True]
    pipeline = window.session.pipeline
    values = mask_of(window).values(pipeline.steps[-1].after, pipeline.ground, pipeline.size.rect)
    assert values[200, 450] > 0.9 and values[200, 360] > 0.5 and values[50, 100] < 0.1


def test_a_bad_picture_as_mask_is_said(grey, tmp_path):
    (tmp_path / "bad.png").write_bytes(b"no picture")
    grey.mask_flow.take_picture(grey.mask_flow._new_zone, tmp_path / "bad.png")
    assert "bad.png" in grey.status.words.text()
    assert not grey.session.treatment.operations


def test_a_part_is_cut_out_and_the_rest_is_grey_on_the_easel(grey, qtbot, tmp_path):
    grey.session.choose_stage(Stage.FINISH)
    settle(grey, qtbot)
    choose(grey, "Cut out")
    grey.change_setting("cut-out.fringe", "off")  # it is there now, and still has no mask
    assert grey.controls.zones.add.isVisible() and grey.controls.zones.add.text() == "Add mask"
    assert "add a mask" in grey.controls.remark.text()
    way(grey, "Ellipse …")
    drag(qtbot, grey.easel, on_easel(grey, 350, 100), on_easel(grey, 550, 300))
    operation = grey.session.treatment.find("cut-out")
    assert operation.mask is not None and grey.session.operation == "cut-out"
    settle(grey, qtbot)
    inside, outside = on_easel(grey, 450, 200), on_easel(grey, 450, 40)
    seen = pixels_of(grey.easel)
    assert seen[inside.y(), inside.x(), 0] == 100
    assert seen[outside.y(), outside.x(), 0] == pytest.approx(124, abs=2)  # 0.2 of white
    assert grey.rail.heads[Stage.FINISH].summary.endswith("cut out")
    grey.change_setting("cut-out.behind", "white")
    settle(grey, qtbot)
    assert pixels_of(grey.easel)[outside.y(), outside.x(), 0] == 255
