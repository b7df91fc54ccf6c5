"""Zones that are found, painted and put together on the easel."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QAction, QPointingDevice, QTabletEvent
from PySide6.QtWidgets import QApplication

from crispgrain.core.colour.spaces import srgb_decode
from crispgrain.core.masks import Brush, Composite, Found, How, Kind, Rough, Specks
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.session.comparing import Arrangement, Look
from crispgrain.session.masking import as_parts
from tests.core.test_mask_shapes import overlap, scene
from tests.desktop.driving import LEFT, PATIENCE, develop_alone, drag, pixels_of, settle
from tests.desktop.test_zones import choose, grey, on_easel, type_value

pytestmark = pytest.mark.slow

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
    qtbot.mouseClick(panel.adjust, LEFT)
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
    grey.mask_flow.pictures.take(grey.mask_flow._new_zone, tmp_path / "bad.png")
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


def test_a_mask_is_taken_over_by_another_stage_made_weaker_and_saved(grey, qtbot, tmp_path):
    way(grey, "Rectangle …")
    drag(qtbot, grey.easel, on_easel(grey, 350, 100), on_easel(grey, 550, 300))
    first, panel = mask_of(grey), grey.controls.masks
    assert not panel.rows[True, "rest"].isVisible()  # the settings of the zone are what one wants to see first
    qtbot.mouseClick(panel.adjust, LEFT)
    assert panel.rows[True, "rest"].isVisible()
    panel.rows[True, "strength"].field.setValue(50.0)
    panel.rows[True, "rest"].field.setValue(20.0)
    type_value(grey, qtbot, "exposure", "1")
    settle(grey, qtbot)
    seen = pixels_of(grey.easel)
    here, there = (int(seen[at.y(), at.x(), 0]) for at in (on_easel(grey, 450, 200), on_easel(grey, 450, 50)))
    grey.session.choose_stage(Stage.FINISH)
    grey.mask_flow.ways.aboutToShow.emit()
    (same,) = grey.mask_flow.same_zone.actions()
    assert same.text() == "Develop: Zone 1"
    same.trigger()
    zone = grey.session.treatment.find(grey.session.operation)
    assert zone.stage is Stage.FINISH and zone.mask.parts == as_parts(first).parts
    assert (zone.mask.strength, zone.mask.rest) == (0.5, 0.2)
    linear = [srgb_decode(np.float32(v / 255)) / srgb_decode(np.float32(100 / 255)) for v in (here, there)]
    assert linear == pytest.approx([1.5, 1.2], abs=0.03)  # half and a fifth of one stop, in linear light
    grey.mask_flow.pictures.save(zone.mask, tmp_path / "mask.png")
    # What the status says of it may be gone again before it is looked at.
    qtbot.waitUntil(lambda: (tmp_path / "mask.png").exists(), timeout=PATIENCE)
    saved = np.asarray(Image.open(tmp_path / "mask.png"), np.float64) / 65535
    assert saved.shape == (grey.session.shot.source.size.height, grey.session.shot.source.size.width)
    assert saved[200, 450] == pytest.approx(0.5, abs=1e-4) and saved[50, 450] == pytest.approx(0.2, abs=1e-4)


def test_the_colour_over_a_mask_is_chosen(grey, qtbot):
    way(grey, "Rectangle …")
    drag(qtbot, grey.easel, on_easel(grey, 350, 100), on_easel(grey, 550, 300))
    grey.session.comparing.set_look(Look.MASK)
    at = on_easel(grey, 450, 200)
    for words, channel in (("Green", 1), ("Blue", 2)):
        next(a for a in grey.findChildren(QAction) if a.text() == words).trigger()
        settle(grey, qtbot)
        assert int(np.argmax(pixels_of(grey.easel)[at.y(), at.x()])) == channel


def test_dust_goes_from_a_scan_and_a_spot_that_is_none_is_given_back(window, qtbot, tmp_path):
    rng = np.random.default_rng(2)
    pixels = np.clip(110 + rng.normal(0, 3, (300, 400, 3)), 0, 255).astype(np.uint8)
    spots = [(100, 75), (200, 150), (300, 210)]
    for x, y in spots:
        pixels[y - 2 : y + 3, x - 2 : x + 3] = 250
    Image.fromarray(pixels).save(tmp_path / "scan.png")
    window.open_paths([tmp_path / "scan.png"])
    settle(window, qtbot)
    window.session.comparing.set_arrangement(Arrangement.RESULT)
    window.session.choose_stage(Stage.DEVELOP)
    way(window, "Dust and scratches")
    zone = window.session.treatment.find(window.session.operation)
    assert zone.model == "fill" and isinstance(zone.mask, Specks)
    assert not window.controls.here.isVisible()  # it would put Light in the place of Fill in
    window.easel.set_zoom(1.0)
    settle(window, qtbot)

    def light(x, y):
        at = on_easel(window, x, y)
        return int(pixels_of(window.easel)[at.y(), at.x(), 0])

    assert all(light(x, y) < 140 for x, y in spots)
    window.controls.masks.paint.setChecked(True)
    stroke(qtbot, window, (195, 150), (205, 150), RIGHT)  # that one belongs to the picture
    settle(window, qtbot)
    assert light(200, 150) > 200 and light(100, 75) < 140


def test_a_pen_that_presses_lightly_paints_lightly(grey, qtbot):
    way(grey, "Brush …")
    easel, pen = grey.easel, QPointingDevice.primaryPointingDevice()

    def press(kind, at, force):
        place, button = QPointF(at), LEFT if force else Qt.MouseButton.NoButton
        event = QTabletEvent(
            kind, pen, place, place, force, 0, 0, 0, 0, 0, Qt.KeyboardModifier.NoModifier, button, LEFT
        )
        QApplication.sendEvent(easel, event)

    start, end = on_easel(grey, 350, 100), on_easel(grey, 550, 100)
    press(QEvent.Type.TabletPress, start, 0.2)
    press(QEvent.Type.TabletMove, end, 0.4)
    stroke(qtbot, grey, (350, 100), (550, 100))  # as the system sends it after the pen's own events
    stroke(qtbot, grey, (350, 200), (550, 200))
    first, second = mask_of(grey).parts[0].shape.strokes
    assert first.opacity == pytest.approx(0.3) and second.opacity == 1.0


def test_a_line_over_an_object_takes_it(window, qtbot, tmp_path):
    pixels, truth = scene()
    Image.fromarray(pixels).save(tmp_path / "figure.png")
    window.open_paths([tmp_path / "figure.png"])
    settle(window, qtbot)
    window.session.choose_stage(Stage.DEVELOP)
    way(window, "Object …")
    stroke(qtbot, window, (420, 260), (590, 560))
    pipeline = window.session.pipeline
    values = mask_of(window).values(pipeline.steps[-1].after, pipeline.ground, pipeline.size.rect)
    assert overlap(values > 0.5, truth) > 0.7


def test_where_enlarge_is_calm_is_drawn_and_taken_away_again(grey, qtbot):
    grey.session.choose_stage(Stage.ENLARGE)
    assert grey.controls.zones.add.isVisible() and grey.controls.zones.add.text() == "Add mask"
    way(grey, "Rectangle …")
    drag(qtbot, grey.easel, on_easel(grey, 350, 100), on_easel(grey, 550, 300))
    own = grey.session.treatment[Stage.ENLARGE]
    assert own.mask is not None and grey.session.operation == "enlarge" and grey.controls.masks.isVisible()
    assert not grey.session.treatment.beside(Stage.ENLARGE)
    qtbot.mouseClick(grey.controls.zones.remove, LEFT)
    assert grey.session.treatment[Stage.ENLARGE].mask is None and not grey.controls.masks.isVisible()
    grey.session.history.undo()
    assert grey.session.treatment[Stage.ENLARGE].mask == own.mask


def test_one_colour_is_pointed_at_and_dragged(window, qtbot, tmp_path):
    pixels = np.full((400, 600, 3), (90, 110, 150), np.uint8)
    pixels[:, 300:] = (150, 90, 80)
    Image.fromarray(pixels).save(tmp_path / "two.png")
    develop_alone(window, qtbot, tmp_path / "two.png")
    way(window, "Colour …")
    qtbot.mouseClick(window.easel, LEFT, pos=on_easel(window, 450, 200))
    settle(window, qtbot)
    mask = mask_of(window)
    assert any(isinstance(p.shape, Found) and p.shape.kind is Kind.COLOUR for p in as_parts(mask).parts)
    tool = next(b for b in window.controls.tools if b.text().startswith("Drag"))
    qtbot.mouseClick(tool, LEFT)
    drag(qtbot, window.easel, on_easel(window, 400, 300), on_easel(window, 550, 200))
    settle(window, qtbot)
    operation, _ = window.session.treatment.addressed(window.session.operation)
    assert operation.values["colour"] == pytest.approx(150, abs=3)
    assert operation.values["exposure"] == pytest.approx(1.0, abs=0.06)
    window.change_setting(f"{window.session.operation}.hue", 60.0)
    settle(window, qtbot)
    seen = pixels_of(window.easel)
    other, changed = (seen[at.y(), at.x()].astype(int) for at in (on_easel(window, x, 350) for x in (100, 500)))
    np.testing.assert_allclose(other, (90, 110, 150), atol=2)
    assert changed[0] > 150 and changed[1] > changed[2] + 40  # lighter, and yellow where it was red
    qtbot.keyClick(window, Qt.Key.Key_Escape)
