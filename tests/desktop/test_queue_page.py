"""The queue's page: jobs listed as they go, moved, paused, cancelled, reported."""

import csv

import pytest
from PySide6.QtWidgets import QFileDialog

from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.preferences import at_once, memory_limit
from crispgrain.orders.job import JobState
from tests.desktop.driving import LEFT, PATIENCE, settle

pytestmark = pytest.mark.slow


def listed(view) -> list[str]:
    return [view.table.item(row, 1).text() for row in range(view.table.rowCount())]


def test_jobs_wait_in_the_order_one_gives_them_and_a_report_says_what_became_of_them(
    opened, tmp_path, qtbot, monkeypatch
):
    settle(opened, qtbot)
    queue, view = opened.exporter.queue, opened.export_flow.queue.view
    opened.export_flow.queue.show()
    assert view.isVisible() and "Nothing is to be written" in view.said.text()
    qtbot.mouseClick(view.pause, LEFT)
    plain, out = Treatment().only([Stage.DEVELOP]), tmp_path / "out"
    shots = list(opened.session.roll.shots.values())[:3]
    opened.exporter.add([(shot.id, shot.path, plain, out, "") for shot in shots])
    opened.export_flow.queue.refresh()
    names = [shot.path.name for shot in shots]
    assert listed(view) == names and "paused" in view.said.text()
    view.table.selectRow(2)
    qtbot.mouseClick(view.first, LEFT)
    assert listed(view) == [names[2], names[0], names[1]]
    assert view.selected == [queue.jobs[0].id]  # the same job stays selected
    qtbot.mouseClick(view.later, LEFT)
    assert listed(view) == [names[0], names[2], names[1]]
    view.table.clearSelection()
    view.table.selectRow(2)
    qtbot.mouseClick(view.cancel, LEFT)
    qtbot.mouseClick(view.pause, LEFT)
    qtbot.waitUntil(lambda: queue.left == 0, timeout=PATIENCE)
    opened.export_flow.queue.refresh()
    assert view.said.text() == "2 of 3 written, 1 cancelled."
    assert {path.stem.removesuffix("-develop") for path in out.iterdir()} == {shots[0].path.stem, shots[2].path.stem}
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "report.csv"), ""))
    qtbot.mouseClick(view.report, LEFT)
    with (tmp_path / "report.csv").open() as file:
        states = {row["shot"]: row["state"] for row in csv.DictReader(file)}
    assert states == {
        str(shot.path): JobState.CANCELLED if shot is shots[1] else JobState.DONE for shot in shots
    }  # fmt: skip


def test_how_many_at_once_and_in_how_much_memory_is_remembered(opened):
    view, queue = opened.export_flow.queue.view, opened.exporter.queue
    view.at_once.setValue(3)
    view.limit.setValue(2.5)
    assert queue.at_once == 3 and queue.memory_limit == 2.5e9
    assert memory_limit() == 2.5e9 and at_once(2.5e9) == 3
