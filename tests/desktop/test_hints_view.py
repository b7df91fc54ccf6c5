"""Colour by hints in the window: a colour chosen from another picture, strokes drawn, one taken back."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt

from crispgrain.core.model import Stage
from tests.desktop.driving import LEFT, develop_alone, drag, pixels_of, settle
from tests.desktop.test_zones import on_easel

pytestmark = pytest.mark.slow


def test_strokes_of_a_colour_from_another_picture_colour_what_is_alike(window, qtbot, tmp_path):
    grey = np.full((400, 600), 90, np.uint8)
    grey[:, 300:] = 180
    Image.fromarray(grey).save(tmp_path / "grey.png")
    colours = np.full((60, 80, 3), (170, 60, 50), np.uint8)
    colours[:20] = (40, 90, 150)
    Image.fromarray(colours).save(tmp_path / "colours.png")
    develop_alone(window, qtbot, tmp_path / "grey.png")
    window.session.choose_operation("colour-by-hints")
    settle(window, qtbot)
    row = window.controls.rows["paint"]
    row.take_palette(tmp_path / "nothing.png")
    assert "nothing.png" in row.told.text()
    row.take_palette(tmp_path / "colours.png")
    red = next(s for s in row.swatches if int(s.accessibleName()[1:3], 16) > 120)
    qtbot.mouseClick(red, LEFT)
    assert window.session.treatment.find("colour-by-hints").values["paint"] == red.accessibleName()
    qtbot.mouseClick(window.controls.tools[0], LEFT)
    drag(qtbot, window.easel, on_easel(window, 100, 100), on_easel(window, 180, 120))
    settle(window, qtbot)
    blue = next(s for s in row.swatches if s is not red and int(s.accessibleName()[5:], 16) > 110)
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    qtbot.mouseClick(blue, LEFT)
    qtbot.mouseClick(window.controls.tools[0], LEFT)
    drag(qtbot, window.easel, on_easel(window, 400, 100), on_easel(window, 480, 120))
    settle(window, qtbot)
    qtbot.keyClick(window, Qt.Key.Key_Escape)

    def seen(x, y):
        at = on_easel(window, x, y)
        return pixels_of(window.easel)[at.y(), at.x()].astype(int)

    assert seen(120, 350)[0] > seen(120, 350)[2] + 30 and seen(500, 350)[2] > seen(500, 350)[0] + 30
    assert "2 strokes of colour" in window.rail.heads[Stage.DEVELOP].summary
    window.session.history.undo()
    settle(window, qtbot)
    assert seen(500, 350)[0] > seen(500, 350)[2]  # the first colour alone reaches everywhere
