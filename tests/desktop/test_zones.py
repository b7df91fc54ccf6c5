"""Zones, crop and level line, drawn on the easel with the mouse."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt

from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.easel.guides import Guides
from tests.desktop.driving import LEFT, PATIENCE, develop_alone, drag, pixels_of, settle

pytestmark = pytest.mark.slow


@pytest.fixture
def grey(window, tmp_path, qtbot):
    """The window with an even grey picture of 600 x 400 at 100 %, Develop open."""
    Image.fromarray(np.full((400, 600, 3), 100, np.uint8)).save(tmp_path / "grey.png")
    window.open_paths([tmp_path / "grey.png"])
    settle(window, qtbot)
    qtbot.mouseClick(window.rail.heads[Stage.DEVELOP], LEFT, pos=QPoint(60, 20))
    window.easel.set_zoom(1.0)
    settle(window, qtbot)
    return window


def on_easel(window, x: float, y: float) -> QPoint:
    """Where a place of the result is on the easel, at 100 %."""
    return (window.easel.origin(window.easel.panes[-1])).toPoint() + QPoint(round(x), round(y))


def choose(window, words: str) -> None:
    """Choose an operation from the list as by hand."""
    row = window.controls.zones.list.findText(words)
    window.controls.zones.list.setCurrentIndex(row)
    window.controls.zones.list.activated.emit(row)


def type_value(window, qtbot, name: str, words: str) -> None:
    field = window.controls.rows[name].field
    field.selectAll()
    qtbot.keyClicks(field, words)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def test_a_zone_is_drawn_changed_undone_and_removed(grey, qtbot):
    zones = grey.controls.zones
    before = zones.list.count()
    qtbot.mouseClick(zones.add, LEFT)
    drag(qtbot, grey.easel, on_easel(grey, 300, 150), on_easel(grey, 300, 250))
    assert zones.list.currentText() == "Zone 1"
    type_value(grey, qtbot, "exposure", "1")
    settle(grey, qtbot)
    seen = pixels_of(grey.easel)
    above, below = (on_easel(grey, 450, y) for y in (100, 300))  # right of the divider
    assert 130 < seen[above.y(), above.x(), 0] < 150
    assert seen[below.y(), below.x(), 0] == 100
    guide = grey.easel.guide
    assert (guide.x1(), guide.y1(), guide.x2(), guide.y2()) == pytest.approx((300, 150, 300, 250), abs=2)
    choose(grey, "Everywhere")
    assert grey.easel.guide is None
    assert grey.controls.rows["exposure"].field.text().startswith("0")
    choose(grey, "Zone 1")
    qtbot.mouseClick(zones.remove, LEFT)
    assert zones.list.count() == before and zones.list.currentText() == "Everywhere"
    grey.session.history.undo()
    assert zones.list.count() == before + 1
    settle(grey, qtbot)


def test_two_zones_of_one_stage(grey, qtbot):
    for start, end, stops in ((100, 150, "1"), (300, 250, "-1")):
        choose(grey, "Everywhere")
        qtbot.mouseClick(grey.controls.zones.add, LEFT)
        drag(qtbot, grey.easel, on_easel(grey, 200, start), on_easel(grey, 200, end))
        type_value(grey, qtbot, "exposure", stops)
    settle(grey, qtbot)
    seen = pixels_of(grey.easel)
    places = [on_easel(grey, 450, y) for y in (60, 200, 340)]
    values = [int(seen[at.y(), at.x(), 0]) for at in places]
    assert 130 < values[0] < 150 and values[1] == 100 and values[2] < 80


def test_what_was_to_be_drawn_is_called_off_in_another_stage(grey, qtbot):
    """Print has no zones; what is drawn there moves the picture."""
    before = grey.session.treatment
    qtbot.mouseClick(grey.controls.zones.add, LEFT)
    assert grey.easel.hand.shape is not None and grey.status.words.text()
    qtbot.mouseClick(grey.rail.heads[Stage.PRINT], LEFT, pos=QPoint(60, 20))
    assert grey.easel.hand.shape is None and not grey.status.words.text()
    drag(qtbot, grey.easel, on_easel(grey, 200, 100), on_easel(grey, 200, 150))
    assert grey.session.treatment == before and grey.session.stage is Stage.PRINT
    settle(grey, qtbot)


def test_a_crop_is_drawn_turned_undone_and_written(grey, qtbot, tmp_path):
    choose(grey, "Crop")
    assert grey.controls.rows["angle"].isVisible()
    qtbot.mouseClick(grey.controls.tools[0], LEFT)
    drag(qtbot, grey.easel, on_easel(grey, 100, 50), on_easel(grey, 400, 250))
    size = grey.session.pipeline.size
    assert (size.width, size.height) == (300, 200)
    settle(grey, qtbot)
    # A line that rises by a tenth is levelled by turning clockwise.
    qtbot.mouseClick(grey.controls.tools[1], LEFT)
    drag(qtbot, grey.easel, on_easel(grey, 50, 150), on_easel(grey, 250, 130))
    angle = grey.session.treatment.find("crop").values["angle"]
    assert angle == pytest.approx(np.degrees(np.arctan(0.1)), abs=0.3)
    assert grey.controls.rows["left"].isVisible()
    grey.session.history.undo()
    grey.session.history.undo()
    assert grey.session.treatment == Treatment()
    assert grey.session.pipeline.size.width == 600
    grey.session.history.redo()
    settle(grey, qtbot)
    kept = Treatment.load(tmp_path / "grey.png.treatment.json")
    assert kept == grey.session.treatment
    assert kept.find("crop").values["left"] == pytest.approx(100 / 6, abs=0.2)


def test_a_crop_can_be_drawn_again_on_what_is_left(grey, qtbot):
    """The second rectangle lies in the first: places are those of the source."""
    choose(grey, "Crop")
    for start, end in (((100, 50), (400, 250)), ((50, 50), (150, 150))):
        qtbot.mouseClick(grey.controls.tools[0], LEFT)
        drag(qtbot, grey.easel, on_easel(grey, *start), on_easel(grey, *end))
        settle(grey, qtbot)
    crop = grey.session.treatment.find("crop").values
    assert crop["left"] == pytest.approx(100 * 150 / 600, abs=0.4)
    assert crop["bottom"] == pytest.approx(100 * 200 / 400, abs=0.4)
    assert grey.session.pipeline.size.width == pytest.approx(100, abs=2)


def test_guides_lie_over_the_picture_and_go_again(grey, qtbot):
    """A third of 600 px is at 200, of 400 at 133; nothing else of the picture changes."""
    plain = pixels_of(grey.easel)
    grey.looking.show_guides(Guides.THIRDS)
    seen = pixels_of(grey.easel)
    column, row = on_easel(grey, 200, 0).x(), on_easel(grey, 0, 133).y()
    corner = on_easel(grey, 0, 0)
    changed = (seen != plain).any(axis=2)
    assert changed[corner.y() + 20 : row - 20, column - 2 : column + 3].any(axis=1).all()
    assert not changed[corner.y() + 20 : row - 20, column - 40 : column - 4].any()
    assert changed[row - 2 : row + 3, column + 20 : column + 100].any(axis=0).all()
    assert not changed[: corner.y() - 2].any()
    grey.looking.show_guides(Guides.NONE)
    np.testing.assert_array_equal(pixels_of(grey.easel), plain)


def test_a_crop_by_hand_gets_its_ratio_and_a_quarter_turn(grey, qtbot):
    grey.change_setting("crop.ratio", "1:1")
    settle(grey, qtbot)
    assert (grey.session.pipeline.size.width, grey.session.pipeline.size.height) == (400, 400)
    grey.change_setting("crop.ratio", "2:3")
    grey.change_setting("crop.turn", "90")
    settle(grey, qtbot)
    assert (grey.session.pipeline.size.width, grey.session.pipeline.size.height) == (400, 600)
    choose(grey, "Crop")
    tool = next(b for b in grey.controls.tools if b.text() == "Find level")
    qtbot.mouseClick(tool, LEFT)
    qtbot.waitUntil(lambda: "Nothing says surely" in grey.status.words.text(), timeout=PATIENCE)
    assert grey.session.treatment.find("crop").values.get("angle", 0) == 0


@pytest.mark.parametrize("turn", ["0", "90"])
def test_a_crop_is_held_to_its_ratio_while_it_is_drawn(grey, qtbot, turn):
    choose(grey, "Crop")
    grey.change_setting("crop.ratio", "1:1")
    grey.change_setting("crop.turn", turn)
    settle(grey, qtbot)
    qtbot.mouseClick(grey.controls.tools[0], LEFT)
    start, end = on_easel(grey, 100, 150), on_easel(grey, 300, 250)
    qtbot.mousePress(grey.easel, LEFT, pos=start)
    qtbot.mouseMove(grey.easel, end)
    rect = grey.easel.hand.drawn_rect
    assert (rect.left(), rect.top()) == pytest.approx((100, 150), abs=1)
    assert rect.width() == pytest.approx(100, abs=1)
    assert rect.height() == pytest.approx(rect.width())
    qtbot.mouseRelease(grey.easel, LEFT, pos=end)
    size = grey.session.pipeline.size
    assert size.width == size.height == pytest.approx(100, abs=1)


def test_a_lens_is_corrected_by_hand_and_a_crop_lies_where_it_was_drawn(grey, qtbot):
    choose(grey, "Lens")
    grey.change_setting("lens.by", "own")
    type_value(grey, qtbot, "bulge", "10")
    settle(grey, qtbot)
    bent = grey.session.pipeline.steps[-1].after.to_source
    choose(grey, "Crop")
    qtbot.mouseClick(grey.controls.tools[0], LEFT)
    drag(qtbot, grey.easel, on_easel(grey, 100, 50), on_easel(grey, 400, 250))
    size = grey.session.pipeline.size
    assert (size.width, size.height) == pytest.approx((300, 200), abs=1)
    corner = grey.session.pipeline.steps[-1].after.to_source(np.array([0.0]), np.array([0.0]))
    before = bent(np.array([100.0]), np.array([50.0]))
    assert np.abs(np.array(corner) - np.array(before)).max() < 1.5


def test_spots_are_healed_click_by_click_until_esc(window, qtbot, tmp_path):
    rng = np.random.default_rng(1)
    pixels = (100 + 8 * rng.standard_normal((400, 600, 1))).repeat(3, axis=2)
    for x, y in ((400, 150), (500, 300)):
        pixels[y - 3 : y + 4, x - 3 : x + 4] = 250
    Image.fromarray(pixels.clip(0, 255).astype(np.uint8)).save(tmp_path / "dust.png")
    window.open_paths([tmp_path / "dust.png"])
    settle(window, qtbot)
    window.session.choose_stage(Stage.DEVELOP)
    window.change_setting("denoise.on", False)
    window.change_setting("sharpen.on", False)
    window.easel.set_zoom(1.0)
    choose(window, "Heal")
    window.change_setting("heal.size", 3.0)
    qtbot.mouseClick(window.controls.tools[0], LEFT)
    for x, y in ((400, 150), (500, 300)):
        qtbot.mouseClick(window.easel, LEFT, pos=on_easel(window, x, y))
        settle(window, qtbot)
    seen = pixels_of(window.easel)
    for x, y in ((400, 150), (500, 300)):
        at = on_easel(window, x, y)
        assert seen[at.y() - 3 : at.y() + 4, at.x() - 3 : at.x() + 4, 0].max() < 150
    assert "2 spots" in window.rail.heads[Stage.DEVELOP].summary
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert window.easel.hand.shape is None
    window.session.history.undo()
    assert "1 spot" in window.rail.heads[Stage.DEVELOP].summary


def test_where_a_patch_is_from_is_seen_and_moved(window, qtbot, tmp_path):
    pixels = np.full((400, 600, 3), 100, np.uint8)
    pixels[:, 450:] = 180  # another paper
    pixels[147:154, 297:304] = 250
    Image.fromarray(pixels).save(tmp_path / "spot.png")
    develop_alone(window, qtbot, tmp_path / "spot.png")
    choose(window, "Heal")
    window.change_setting("heal.size", 3.0)
    qtbot.mouseClick(window.controls.tools[0], LEFT)
    qtbot.mouseClick(window.easel, LEFT, pos=on_easel(window, 300, 150))
    settle(window, qtbot)
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    ((way, radius),) = window.easel.result.healed
    assert (round(way.x1()), round(way.y1()), round(radius)) == (300, 150, 9)
    seen, ring = pixels_of(window.easel), on_easel(window, 300 + round(radius), 150)
    assert np.ptp(seen[ring.y() - 3 : ring.y() + 4, ring.x() - 4 : ring.x() + 5]) > 100
    move = next(b for b in window.controls.tools if b.text().startswith("Move"))
    qtbot.mouseClick(move, LEFT)
    drag(qtbot, window.easel, on_easel(window, 200, 300), on_easel(window, 520, 300))  # not from a spot
    assert "Begin in a spot" in window.status.words.text()
    qtbot.mouseClick(move, LEFT)
    drag(qtbot, window.easel, on_easel(window, 302, 150), on_easel(window, 520, 160))
    settle(window, qtbot)
    ((way, _),) = window.easel.result.healed
    assert (way.x2() - way.x1(), way.y2() - way.y1()) == pytest.approx((218, 10), abs=1.5)
    window.session.choose_operation("develop")
    settle(window, qtbot)
    assert window.easel.result.healed == []
    at = on_easel(window, 300, 150)
    assert abs(int(pixels_of(window.easel)[at.y(), at.x(), 0]) - 100) <= 3  # in the light of where it lies


def test_a_neutral_place_is_pointed_at_and_the_picture_becomes_grey(window, qtbot, tmp_path):
    Image.fromarray(np.full((400, 600, 3), (120, 104, 92), np.uint8)).save(tmp_path / "warm.png")
    develop_alone(window, qtbot, tmp_path / "warm.png")
    tool = next(b for b in window.controls.tools if b.text().startswith("Neutral"))
    qtbot.mouseClick(tool, LEFT)
    qtbot.mouseClick(window.easel, LEFT, pos=on_easel(window, 300, 200))
    settle(window, qtbot)
    at = on_easel(window, 450, 100)
    assert np.ptp(pixels_of(window.easel)[at.y(), at.x()].astype(int)) <= 2
    assert "mired" in window.rail.heads[Stage.DEVELOP].summary
    window.session.history.undo()
    settle(window, qtbot)
    assert np.ptp(pixels_of(window.easel)[at.y(), at.x()].astype(int)) > 20
    remove = next(b for b in window.controls.tools if b.text() == "Set light")
    qtbot.mouseClick(remove, LEFT)
    qtbot.waitUntil(lambda: "Light by white patch" in window.status.words.text(), timeout=PATIENCE)


def test_two_lights_in_one_picture_are_each_made_neutral(window, qtbot, tmp_path):
    pixels = np.full((400, 600, 3), (132, 120, 108), np.uint8)  # a lamp, and a window
    pixels[:, 300:] = (110, 118, 126)
    Image.fromarray(pixels).save(tmp_path / "two-lights.png")
    develop_alone(window, qtbot, tmp_path / "two-lights.png")

    def neutral(x, y):
        qtbot.mouseClick(next(b for b in window.controls.tools if b.text().startswith("Neutral")), LEFT)
        qtbot.mouseClick(window.easel, LEFT, pos=on_easel(window, x, y))
        settle(window, qtbot)

    def tinted(x):
        at = on_easel(window, x, 200)
        return int(np.ptp(pixels_of(window.easel)[at.y(), at.x()].astype(int)))

    neutral(100, 100)
    assert tinted(200) <= 2 and tinted(500) > 20
    next(a for a in window.mask_flow.ways.actions() if a.text() == "Rectangle …").trigger()
    drag(qtbot, window.easel, on_easel(window, 320, 20), on_easel(window, 590, 390))
    settle(window, qtbot)
    neutral(450, 100)
    assert tinted(450) <= 3 and tinted(200) <= 2
