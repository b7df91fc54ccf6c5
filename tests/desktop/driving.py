"""Driving the real window: waiting for it, dragging on it, looking at its pixels."""

from contextlib import contextmanager

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage

from crispgrain.core.colour import icc
from crispgrain.core.model import Stage
from crispgrain.geometry import Rect
from crispgrain.session.comparing import Arrangement
from crispgrain.session.shots import State

PATIENCE = 240_000  # ms, never used up where all is well: machines that test may be slow
LEFT = Qt.MouseButton.LeftButton


def settle(window, qtbot) -> None:
    """Wait until every shot is metered, everything visible is rendered, and treatments are kept."""

    def calm() -> bool:
        renderer, session = window.display.renderer, window.session
        if session.shot is None or not renderer.idle or not session.keeper.idle:
            return False
        waiting = any(e.state is State.WAITING for e in session.roll.shots.values())
        return not waiting and not renderer._wanted()  # asked last: it takes the longest

    qtbot.waitUntil(calm, timeout=PATIENCE)


@contextmanager
def hearing(signal, qtbot):
    """Go on once a signal of another thread has arrived.

    A second one may be on its way when the first arrives. To a receiver
    disconnected and dropped by then, as pytest-qt's own is, PySide 6.11 still
    delivers it, and crashes. A function stays alive as long as its connection.
    """
    heard = []
    signal.connect(lambda *values: heard.append(values))
    yield
    qtbot.waitUntil(lambda: bool(heard), timeout=PATIENCE)


def develop_alone(window, qtbot, path) -> None:
    """Open a shot; its result alone at 100 %, under Develop."""
    window.open_paths([path])
    settle(window, qtbot)
    window.session.comparing.set_arrangement(Arrangement.RESULT)
    window.session.choose_stage(Stage.DEVELOP)
    window.easel.set_zoom(1.0)
    settle(window, qtbot)


def pixels_of(widget) -> np.ndarray:
    """What a widget shows, as RGB values."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).copy()


def shown(window, layer: str, x: int, y: int, size: int = 40) -> np.ndarray:
    """The stored values a patch of the easel should show at 100 %, from the core."""
    easel = window.easel
    origin = easel.origin(easel.panes[-1])
    rect = Rect(y - int(origin.y()), x - int(origin.x()), size, size)
    pipeline = getattr(easel, layer).view.pipeline
    return icc.from_working(pipeline.region(rect), icc.profile("srgb"), 8)


def drag(qtbot, widget, start: QPoint, end: QPoint, button=LEFT) -> None:
    qtbot.mousePress(widget, button, pos=start)
    middle = QPoint((start.x() + end.x()) // 2, (start.y() + end.y()) // 2)
    qtbot.mouseMove(widget, middle)
    qtbot.mouseMove(widget, end)
    qtbot.mouseRelease(widget, button, pos=end)
