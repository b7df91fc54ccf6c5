"""Light and colour of selected shots brought to those of the one on the easel, from the menu."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QPushButton

from crispgrain.core.model import Stage
from crispgrain.desktop.several.match_dialog import MatchDialog
from tests.conftest import photograph
from tests.desktop.driving import LEFT, PATIENCE, settle

pytestmark = pytest.mark.slow


def test_selected_shots_follow_the_one_on_the_easel_in_one_step_and_are_lined_up(window, qtbot, tmp_path):
    scene = photograph("coffee") * 0.8
    for name, gains in (("noon", (1, 1, 1)), ("evening", (0.9, 0.75, 0.55)), ("night", (0.0, 0.0, 0.0))):
        Image.fromarray((255 * scene * gains).astype(np.uint8)).save(tmp_path / f"{name}.png")
    window.open_paths([tmp_path / f"{n}.png" for n in ("noon", "evening", "night")])
    settle(window, qtbot)
    session = window.session
    ids = {session.roll[id].path.stem: id for id in session.roll.listed}
    session.choose(ids["noon"])
    settle(window, qtbot)
    matching = next(a for a in window.findChildren(QAction) if a.text().startswith("Match selected"))
    session.select([ids["noon"]])
    matching.trigger()
    assert "Select the shots" in window.status.words.text()
    session.select(ids.values())
    matching.trigger()
    qtbot.waitUntil(lambda: bool(window.findChildren(MatchDialog)), timeout=PATIENCE)
    (dialog,) = window.findChildren(MatchDialog)
    # Nothing is changed yet; each is seen as it is and as it would be, which is nearer to the one on the easel.
    assert not session.roll[ids["evening"]].treatment.stages
    (shown,) = dialog.ticked
    noon = window.session.shot.source.stored.mean(axis=(0, 1))
    assert np.abs(shown.then.mean(axis=(0, 1)) - noon).max() < 0.2 * np.abs(shown.now.mean(axis=(0, 1)) - noon).max()
    qtbot.mouseClick(next(b for b in dialog.findChildren(QPushButton) if b.text() == "Match"), LEFT)
    qtbot.waitUntil(lambda: "1 of 2 shots matched" in window.status.words.text(), timeout=PATIENCE)
    assert "night.png: Too little" in window.status.words.text()
    values = session.roll[ids["evening"]].treatment[Stage.DEVELOP].values
    assert values["warmth"] < -20 and values["exposure"] > 0.1
    assert not session.roll[ids["noon"]].treatment.stages and not session.roll[ids["night"]].treatment.stages
    assert window.line_up.shown
    session.history.undo()
    assert not session.roll[ids["evening"]].treatment.stages
