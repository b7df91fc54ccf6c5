"""A stage follows what is measured in one part of the picture."""

import pytest
from PIL import Image
from PySide6.QtCore import QPoint

from crispgrain.core.masks import Oval
from crispgrain.core.meter import measure
from crispgrain.core.model import Stage
from crispgrain.core.render.as_sharp import around, as_sharp, softness_of
from crispgrain.core.treatment import Treatment
from crispgrain.restoration.point_spread import line
from crispgrain.simulation.camera import disc
from tests.core.test_meter_part import PART, shot
from tests.desktop.driving import LEFT, PATIENCE, drag, settle

pytestmark = pytest.mark.slow

SOFT = (PART.left + PART.width / 2, PART.top + PART.height / 2)


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


def test_a_soft_place_becomes_as_sharp_as_one_that_is_shown(window, qtbot, tmp_path):
    Image.fromarray(shot(disc(2.0)).stored).save(tmp_path / "soft.png")
    window.open_paths([tmp_path / "soft.png"])
    settle(window, qtbot)
    window.session.choose_stage(Stage.SHARPEN)
    easel, scale = window.easel, window.easel.scale
    origin = easel.origin(easel.panes[-1])
    sharp, soft = (QPoint(round(origin.x() + x * scale), round(origin.y() + y * scale)) for x, y in ((150, 850), SOFT))
    qtbot.mouseClick(window.controls.alike, LEFT)
    drag(qtbot, easel, soft, sharp)  # the wrong way round: nothing is to be done
    qtbot.waitUntil(lambda: "already" in window.status.words.text(), timeout=PATIENCE)
    assert window.session.treatment.find("zone-1") is None
    qtbot.mouseClick(window.controls.alike, LEFT)
    drag(qtbot, easel, sharp, soft)
    qtbot.waitUntil(lambda: window.session.treatment.find("zone-1") is not None, timeout=PATIENCE)
    said = window.status.words.text()
    settle(window, qtbot)
    zone, pipeline = window.session.treatment.find("zone-1"), window.session.pipeline
    assert "became" in said and zone.stage is Stage.SHARPEN and zone.on
    here, there = (softness_of(pipeline.region(around(at, pipeline.size))) for at in (SOFT, (150, 850)))
    assert here == pytest.approx(there, abs=0.2)
    before = softness_of(shot(disc(2.0)).region(around(SOFT, pipeline.size)))
    assert before > here + 0.3
    window.session.history.undo()
    assert window.session.treatment.find("zone-1") is None


def test_halos_end_it_and_that_is_said(tmp_path):
    source = shot(disc(4.0))
    treatment, zone = Treatment().only([]).with_zone(Stage.SHARPEN, Oval((0.4, 0.3), (0.7, 0.6), 0.1, True))
    size = source.size
    here, there = around(SOFT, size), around((200, 850), size)
    made = as_sharp(source, measure(source), treatment, treatment.find(zone), there, here)
    assert made.limit in ("halos", "noise") and made.limit in made.words
    assert made.shown < made.after < made.before
