"""A tone curve drawn by hand in the control sheet."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt

from crispgrain.core.errors import TreatmentError
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from tests.desktop.driving import LEFT, develop_alone, drag, pixels_of, settle
from tests.desktop.test_zones import on_easel

pytestmark = pytest.mark.slow


def test_points_are_set_dragged_moved_by_keys_and_taken_away(window, qtbot, tmp_path):
    pixels = np.repeat(np.linspace(0, 255, 600).astype(np.uint8)[None, :, None], 400, 0).repeat(3, -1)
    Image.fromarray(pixels).save(tmp_path / "ramp.png")
    develop_alone(window, qtbot, tmp_path / "ramp.png")
    field = window.controls.rows["curve"].field
    window.controls.ensureWidgetVisible(field)
    settle(window, qtbot)
    qtbot.wait(100)

    def seen():
        at = on_easel(window, 300, 200)
        return int(pixels_of(window.easel)[at.y(), at.x(), 0])

    before = seen()
    drag(qtbot, field, field.place((0.5, 0.5)).toPoint(), field.place((0.5, 0.7)).toPoint())
    settle(window, qtbot)
    x, y = window.session.treatment[Stage.DEVELOP].values["curve"].split("; ")[1].split()
    assert float(x) == pytest.approx(0.5, abs=0.02) and float(y) == pytest.approx(0.7, abs=0.02)
    assert before == pytest.approx(128, abs=2) and seen() == pytest.approx(255 * 0.7, abs=5)
    assert "tone" in window.rail.heads[Stage.DEVELOP].summary
    qtbot.keyClick(field, Qt.Key.Key_Up)
    assert field.points[1][1] == pytest.approx(float(y) + 0.01)
    qtbot.mouseDClick(field, LEFT, pos=field.place(field.points[1]).toPoint())
    settle(window, qtbot)
    assert "curve" not in window.session.treatment[Stage.DEVELOP].values and seen() == before
    window.session.history.undo()
    settle(window, qtbot)
    assert len(field.points) == 3 and seen() > before + 40


@pytest.mark.parametrize("text", ["0 0; 1", "0 0.5; 1 0.2", "0.5 0.5", "0 0; 2 1", "a b; c d"])
def test_what_is_no_rising_curve_is_refused(text):
    with pytest.raises(TreatmentError):
        Treatment().set("develop.curve", text)
