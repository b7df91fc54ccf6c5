"""A stage follows what is measured in one part of the picture."""

import pytest
from PIL import Image
from PySide6.QtCore import QPoint

from crispgrain.core.masks import Oval
from crispgrain.core.model import Stage
from crispgrain.restoration.point_spread import line
from tests.core.test_meter_part import PART, shot
from tests.desktop.driving import LEFT, PATIENCE, drag, settle


@pytest.fixture
def moved(window, qtbot, tmp_path):
    """The window with a picture one part of which moved, Sharpen open."""
    Image.fromarray(shot(line(13, 30)).stored).save(tmp_path / "moved.png")
    window.open_paths([tmp_path / "moved.png"])
    settle(window, qtbot)
    window.session.choose_stage(Stage.SHARPEN)
    return window


def test_a_rectangle_is_drawn_and_sharpen_follows_it(moved, qtbot):
    assert not moved.session.pipeline.resolved[Stage.SHARPEN].on
    qtbot.mouseClick(moved.controls.here, LEFT)
    easel, scale = moved.easel, moved.easel.scale
    origin = easel.origin(easel.panes[-1])
    start, end = (
        (origin.x() + x * scale, origin.y() + y * scale) for x, y in ((PART.left, PART.top), (PART.right, PART.bottom))
    )
    drag(qtbot, easel, QPoint(*map(round, start)), QPoint(*map(round, end)))
    qtbot.waitUntil(lambda: moved.session.treatment[Stage.SHARPEN].model == "motion", timeout=PATIENCE)
    values = moved.session.treatment[Stage.SHARPEN].values
    assert values["length"] == pytest.approx(13, abs=2)
    assert moved.session.pipeline.resolved[Stage.SHARPEN].on
    assert "motion" in moved.status.words.text()
    moved.session.history.undo()
    assert moved.session.treatment[Stage.SHARPEN].model is None


def test_a_zone_is_measured_where_it_shows(moved, qtbot):
    size = moved.session.shot.source.size
    start, end = (PART.left / size.width, PART.top / size.height), (PART.right / size.width, PART.bottom / size.height)
    moved.mask_flow._new_zone(Oval(start, end, 0.05, square=True))
    qtbot.mouseClick(moved.controls.here, LEFT)
    qtbot.waitUntil(lambda: moved.session.treatment.find("zone-1").model == "motion", timeout=PATIENCE)
    assert moved.session.treatment[Stage.SHARPEN].model is None
