"""A model that nobody has seen before, with settings, a tool and a strength of its own: the window needs no change."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint

from crispgrain.core import registry
from crispgrain.core.model import Model, Parameter, Shape, Stage, Tool
from crispgrain.desktop.sheet.rows import ChoiceRow, NumberRow
from crispgrain.session.candidates import candidates, ladder
from tests.desktop.driving import LEFT, drag, settle

pytestmark = pytest.mark.slow


def lifted(pixels, values, context):
    return pixels + np.float32(float(values["lift"]) / 100)


MODEL = Model(
    Stage.SHARPEN, "lift", "Lift", "Adds light.",
    (
        Parameter("lift", "Lift", "How much.", 10.0, 0, 50, 1, "%"),
        Parameter("side", "Side", "Which.", "near", choices=("near", "far")),
        Parameter("drawn", "Drawn", "Width of what was drawn.", 0.0, 0, 1000, 1, "px", per_shot=True),
    ),
    lifted, summary=lambda model, values, size: f"lifted by {float(values['lift']):g} in {size.width} px",
    strength="lift",
    tools=(Tool("Draw its width …", "Drag across.", "width drawn", Shape.LINE,
                lambda drawn: {"drawn": drawn.points[1][0] - drawn.points[0][0]}),),
)  # fmt: skip


def test_the_window_shows_and_uses_it(opened, qtbot, monkeypatch):
    monkeypatch.setattr(registry, "MODELS", (*registry.MODELS, MODEL))
    monkeypatch.setattr("crispgrain.core.operation.MODELS", registry.MODELS)
    opened.session.choose_stage(Stage.SHARPEN)
    opened.change_setting("sharpen.model", "lift")
    settle(opened, qtbot)
    width = opened.session.shot.source.size.width
    assert opened.rail.heads[Stage.SHARPEN].summary == f"lifted by 10 in {width} px"
    rows = opened.controls.rows
    assert [type(row) for row in rows.values()] == [NumberRow, ChoiceRow, NumberRow]
    assert opened.controls.model.currentText() == "Lift"
    (button,) = opened.controls.tools
    assert button.text() == "Draw its width …"
    qtbot.mouseClick(button, LEFT)
    assert opened.status.words.text() == "Drag across."
    opened.easel.set_zoom(1.0)
    drag(qtbot, opened.easel, QPoint(200, 200), QPoint(260, 200))
    assert opened.session.treatment[Stage.SHARPEN].values["drawn"] == pytest.approx(60, abs=1)
    assert opened.session.history.next_undo == "Sharpen: width drawn"
    shot, treatment = opened.session.shot, opened.session.treatment
    labels = [c.label for c in candidates(Stage.SHARPEN, shot, treatment)]
    assert {"off", "Lift", "Lift 5 %", "Lift 15 %"} <= set(labels)
    assert [c.label for c in ladder(Stage.SHARPEN, shot, treatment)] == ["0 %", "12 %", "25 %", "38 %", "50 %"]
    settle(opened, qtbot)
