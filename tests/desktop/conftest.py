"""The real window, empty or with a mixed folder open."""

import gc

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication

from crispgrain.core.meter import Reading, measure
from crispgrain.desktop.app import make_app
from crispgrain.desktop.loading import ahead
from crispgrain.desktop.window.window import Window
from crispgrain.store import sensors
from tests.desktop.driving import PATIENCE, settle


@pytest.fixture(scope="session")
def qapp_cls():
    return QApplication


@pytest.fixture
def resting(monkeypatch):
    """Windows rest so long before they render ahead that they do not: it would take time from what is tested."""
    monkeypatch.setattr(ahead, "RESTING", 10 * PATIENCE)


@pytest.fixture
def window(qtbot, resting):
    make_app()
    window = Window()
    window.resize(1280, 800)
    window.show()
    yield window
    window.hide()
    window.close()
    window.deleteLater()
    QApplication.sendPostedEvents(window, QEvent.Type.DeferredDelete)
    gc.collect()  # parts of a window know one another, so counting alone does not free them


READINGS: dict[str, Reading] = {}


@pytest.fixture
def opened(window, roll_folder, qtbot, monkeypatch):
    """The window with the mixed folder open and its first shot rendered; its files, always the same, metered once."""

    def measured(source) -> Reading:
        name = source.path.name
        return READINGS.get(name) or READINGS.setdefault(name, measure(source))

    monkeypatch.setattr(sensors, "measure", measured)
    window.open_paths([roll_folder])
    settle(window, qtbot)
    return window
