"""The line-up finds the exception among many shots, and leads to it."""

import re

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt

from crispgrain.core.files import PICTURE_SUFFIXES
from crispgrain.core.files.read import read_shot
from crispgrain.core.marks import Mark
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.line_up.line_up_view import STRUCTURE
from crispgrain.session.line_up import EDGE, GAP, SHOWN, Spot, row_of, spot_of
from tests.desktop.driving import LEFT, PATIENCE, settle
from tests.desktop.test_roll import press

pytestmark = pytest.mark.slow


def test_spots_are_where_detail_and_smooth_parts_are(tmp_path):
    """A page that is smooth on the left, finely checked in the lower right corner."""
    page = np.full((800, 1200, 3), 90, np.uint8)
    page[500:, 900:] = 60 + 120 * (np.indices((300, 300)).sum(axis=0) // 6 % 2)[..., None]
    assert ".png" in PICTURE_SUFFIXES
    Image.fromarray(page).save(tmp_path / "page.png")
    source = read_shot(tmp_path / "page.png")
    detail, smooth = (spot_of(source, spot) for spot in (Spot.DETAIL, Spot.NOISE))
    assert detail.left >= 850 and detail.top >= 450
    assert smooth.right <= 900 or smooth.bottom <= 500
    middle = spot_of(source, Spot.POINTED, (0.5, 0.5))
    assert (middle.left + middle.width / 2, middle.top + middle.height / 2) == pytest.approx((600, 400), abs=2)
    assert spot_of(source, Spot.POINTED, (1.0, 0.0)).right == 1200
    assert middle.width == middle.height == EDGE


@pytest.mark.parametrize("angle", [0.0, 40.0])
@pytest.mark.parametrize("spot", [Spot.DETAIL, Spot.NOISE, Spot.POINTED])
def test_a_spot_is_sought_in_what_a_crop_leaves(tmp_path, angle, spot):
    """Finely checked on the left, all but smooth in the corners on the right; cropped to the right two fifths."""
    page = np.full((800, 1200, 3), 90, np.uint8)
    page[:, :700] = 60 + 120 * (np.indices((800, 700)).sum(axis=0) // 6 % 2)[..., None]
    page[300:500, 700:] = 60 + 40 * (np.indices((200, 500)).sum(axis=0) // 6 % 2)[..., None]
    Image.fromarray(page).save(tmp_path / "page.png")
    shot = open_shot(tmp_path / "page.png")
    treatment = Treatment().set("crop.on", True).set("crop.left", 60.0).set("crop.angle", angle)
    result = shot.pipeline(treatment)
    found = spot_of(shot.source, spot, (0.1, 0.5), result)
    x, y = result.steps[-1].after.to_source.inverse(found.left + found.width / 2, found.top + found.height / 2)
    assert 0 < x < result.size.width and 0 < y < result.size.height
    row = row_of(shot, treatment, found)
    assert min(row.result.shape[:2]) > EDGE / 2


@pytest.fixture
def eight(window, tmp_path, clean8, qtbot):
    return lined_up(window, tmp_path, clean8, qtbot, 8)


@pytest.fixture
def three(window, tmp_path, clean8, qtbot):
    return lined_up(window, tmp_path, clean8, qtbot, 3)


def lined_up(window, tmp_path, clean8, qtbot, count):
    rng = np.random.default_rng(1)
    for n in range(count):
        noisy = np.clip(np.roll(clean8, 7 * n, axis=1) + rng.normal(0, 6, clean8.shape), 0, 255).astype(np.uint8)
        Image.fromarray(noisy).save(tmp_path / f"s{n:02}.png")
    window.open_paths([tmp_path])
    settle(window, qtbot)
    quick = Treatment().set("denoise.on", True).set("denoise.model", "wavelet").set("sharpen.on", False)
    strong = quick.set("denoise.luminance", 200.0).set("denoise.colour", 200.0)
    window.session.change({id: strong if id == 7 else quick for id in range(count)}, "presets")
    return window


def test_the_shot_with_a_preset_far_too_strong_is_first_by_detail_taken(eight, qtbot):
    press(eight, "U")
    view, table = eight.line_up_view, eight.line_up_view.table
    assert view.isVisible() and table.rowCount() == 8
    qtbot.waitUntil(lambda: len(eight.line_up._rows) == 8, timeout=PATIENCE)
    header = table.horizontalHeader()
    place = QPoint(header.sectionViewportPosition(STRUCTURE) + 20, header.height() // 2)
    qtbot.mouseClick(header.viewport(), LEFT, pos=place)
    if header.sortIndicatorOrder() is not Qt.SortOrder.DescendingOrder:
        qtbot.mouseClick(header.viewport(), LEFT, pos=place)
    assert view.id_at(0) == 7
    assert re.fullmatch(r"\d+\.\d% taken", table.item(0, STRUCTURE).text())
    rects = {id: row.rect for id, row in eight.line_up._rows.items()}
    assert len(set(rects.values())) == 1  # the middle of the easel
    eight.line_up_view.spot.setCurrentIndex(1)
    eight.line_up_view.spot.activated.emit(1)
    qtbot.waitUntil(lambda: len(eight.line_up._rows) == 8, timeout=PATIENCE)
    shot = eight.session.roll[7]
    assert eight.line_up._rows[7].rect == spot_of(read_shot(shot.path), Spot.DETAIL)
    table.sortByColumn(STRUCTURE, Qt.SortOrder.DescendingOrder)
    table.selectRow(0)
    press(eight, "A")
    assert eight.session.roll[7].treatment.mark is Mark.LOOK_AGAIN
    assert view.table.item(0, 3).text() == "look again"
    row = eight.line_up._rows[7]
    view.opened.emit(7)
    settle(eight, qtbot)
    assert not view.isVisible() and eight.session.current == 7
    seen = eight.easel.visible
    assert eight.easel.scale == 2.0
    assert seen.left <= row.rect.left + row.rect.width / 2 <= seen.right
    assert seen.top <= row.rect.top + row.rect.height / 2 <= seen.bottom


def test_two_spots_stand_beside_each_other_and_the_worst_figure_counts(three, qtbot):
    three.line_up_view.second.setCurrentIndex(3)  # the smoothest dark part
    three.line_up.start()
    qtbot.waitUntil(lambda: len(three.line_up._rows) == 3, timeout=PATIENCE)
    row = three.line_up._rows[2]
    assert row.source.shape[:2] == (EDGE, 2 * SHOWN + GAP)
    shot = open_shot(row.path)
    spots = [spot_of(shot.source, spot) for spot in (Spot.POINTED, Spot.NOISE)]
    alone = [row_of(shot, three.session.roll[2].treatment, rect) for rect in spots]
    assert row.structure == max(each.structure for each in alone)
    np.testing.assert_array_equal(row.result[:, SHOWN + GAP :], alone[1].result[:, :SHOWN])
    assert three.line_up_view.table.columnWidth(1) >= 2 * SHOWN
    settle(three, qtbot)


def test_shots_taken_off_the_roll_leave_the_line_up_too(three, qtbot):
    three.line_up.start()
    qtbot.waitUntil(lambda: len(three.line_up._rows) == 3, timeout=PATIENCE)
    three.session.take_off([0])
    view = three.line_up_view
    assert [view.id_at(row) for row in range(view.table.rowCount())] == [1, 2]
    assert view.said.text().startswith("2 shots")
    view.spot.activated.emit(view.spot.currentIndex())  # lines those left up anew
    qtbot.waitUntil(lambda: len(three.line_up._rows) == 2, timeout=PATIENCE)
    three.session.take_off([1, 2])
    assert not three.line_up.shown and three.empty.isVisible()
    qtbot.waitUntil(lambda: three.session.keeper.idle, timeout=PATIENCE)
