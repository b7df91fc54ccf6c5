"""Starting the window."""

from __future__ import annotations

import signal
import sys
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from crispgrain.desktop.base.theme import BOOTH, app_icon, apply_theme
from crispgrain.desktop.window.editing import Editing
from crispgrain.desktop.window.window import Window
from crispgrain.session.handing_back import HandedBack


def make_app() -> QApplication:
    """The Qt application, dressed; the running one if there is one."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("crispgrain")
    app.setApplicationDisplayName("Crisp Grain")
    app.setDesktopFileName("crispgrain")
    app.setWindowIcon(app_icon())
    apply_theme(app, BOOTH)
    return app


def run_window(paths: list[Path]) -> int:
    """Open the window with some shots and run it until it is closed."""
    app = make_app()
    window = Window()
    window.show()
    if paths:
        window.open_paths([p.absolute() for p in paths])
    elif not window.session.reopen():
        window.opening.prepare_demo()
    QTimer.singleShot(0, window.export_flow.offer_left_over)
    return _run(app, window)


def edit_in_window(paths: list[Path], in_place: bool) -> list[HandedBack] | None:
    """Open the window on just these shots; what was written back for them, None if the person gave up."""
    app = make_app()
    window = Window()
    window.session.remembers = False
    editing = Editing(window, in_place)
    window.show()
    window.open_paths([p.absolute() for p in paths])
    _run(app, window)
    editing.close()
    return editing.answers


def _run(app: QApplication, window: Window) -> int:
    # Python must wake now and then to notice Ctrl+C in the terminal.
    signal.signal(signal.SIGINT, lambda *_: window.close())
    ticker = QTimer()
    ticker.timeout.connect(lambda: None)
    ticker.start(300)
    return app.exec()
