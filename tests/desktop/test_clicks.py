"""The tool that clicks at random tells what failed, and what held the window."""

import re
import sys
import time

import pytest
from PySide6.QtWidgets import QMenu

from benchmarks import clicks
from crispgrain.desktop.base.actions import add_action
from crispgrain.session.roll import Roll

pytestmark = pytest.mark.slow


@pytest.fixture
def faults(monkeypatch):
    monkeypatch.setattr(clicks, "HELD", 0.2)
    watching = clicks.Faults(["a key"])
    watching.beat()
    yield watching
    watching.stop()


def test_what_holds_the_window_is_told_once_with_its_place(window, faults, capsys):
    slow = add_action(QMenu(window), "Slow", lambda: time.sleep(0.5))
    for _ in range(2):
        slow.trigger()
        faults.beat()
    (line,) = capsys.readouterr().out.splitlines()
    assert line.startswith("no answer for 0.") and "actions.py" in line and line.endswith("(after a key)")
    faults.beat()
    assert not capsys.readouterr().out


def test_an_error_is_told_once_with_its_place(faults, capsys):
    for _ in range(2):
        try:
            Roll()[7]
        except KeyError:
            faults.failed(*sys.exc_info())
    (line,) = capsys.readouterr().out.splitlines()
    assert line.startswith("KeyError: 7: roll.py") and "__getitem__" in line


def test_clicks_at_random_do_something():
    told = clicks.report(seed=1, seconds=8)
    assert int(re.search(r"seed 1, (\d+) deeds", told)[1]) > 3
