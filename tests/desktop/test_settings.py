"""The settings dialog, as it is used."""

import pytest
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QTableWidget

from crispgrain import presets
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.preferences import preferences
from crispgrain.desktop.window.looking import start_machine
from crispgrain.desktop.window.settings_dialog import SettingsDialog
from crispgrain.paths import PRESETS
from crispgrain.threads import cores, limit_workers, worker_count

pytestmark = pytest.mark.slow


@pytest.fixture
def dialog(window):
    yield SettingsDialog(window.session, window.settings, window.findChildren(QAction), window)
    limit_workers(0)


def test_threads_and_memory_are_used_at_once_and_at_the_next_start(dialog, window):
    dialog.threads.setValue(1)
    dialog.cache.setValue(0.4)
    assert worker_count() == 1 and window.session.cache.budget == 400_000_000
    limit_workers(0)
    window.session.cache.budget = 1
    start_machine(window.session, preferences())
    assert worker_count() == 1 and window.session.cache.budget == 400_000_000
    assert cores() >= 1


def test_presets_are_kept_where_one_wants_them(dialog, tmp_path):
    shared = tmp_path / "shared"
    dialog.folders[PRESETS].setText(str(shared))
    dialog.folders[PRESETS].editingFinished.emit()
    assert "no folder" in dialog.said.text()
    shared.mkdir()
    dialog.folders[PRESETS].editingFinished.emit()
    presets.save(Treatment().set("denoise.colour", 90.0), "Ours", [Stage.DENOISE])
    assert [path.name for path in shared.iterdir()] == ["Ours.json"]
    assert presets.load("Ours")[Stage.DENOISE].values == {"colour": 90.0}


def test_every_key_is_listed(dialog):
    table = dialog.findChild(QTableWidget)
    keys = {table.item(row, 0).text(): table.item(row, 1).text() for row in range(table.rowCount())}
    assert keys["Line-up of the selected shots"] == "U"
    assert keys["See the source, while held"] == "S"
