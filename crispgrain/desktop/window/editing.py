"""The window as another program's editor: two more buttons, and the way back."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from crispgrain.cancel import CancelToken
from crispgrain.core.render.progress import Progress
from crispgrain.desktop.base.background import Background
from crispgrain.session.handing_back import HandedBack, hand_back
from crispgrain.session.shots import OpenShot
from crispgrain.store.sensors import known_shot

if TYPE_CHECKING:
    from .window import Window


class Editing(QObject):
    """Writes the shots back when the person is done; ``answers`` is what became of them, None if given up."""

    _progress = Signal(str, object)

    def __init__(self, window: Window, in_place: bool) -> None:
        super().__init__(window)
        self._window, self._in_place = window, in_place
        self._background = Background(1)
        self._cancel = CancelToken()
        self.answers: list[HandedBack] | None = None
        self._progress.connect(lambda name, progress: window.status.say(f"Writing {name}", progress))
        self._corner = corner = QWidget(window)  # Qt does not take it over from Python
        row = QHBoxLayout(corner)
        row.setContentsMargins(0, 2, 8, 2)
        self.done, self.give_up = QPushButton("Done: write back"), QPushButton("Give up")
        self.done.setToolTip("Write each picture over its working copy" if in_place else "Write each beside its source")
        row.addWidget(self.give_up)
        row.addWidget(self.done)
        window.menuBar().setCornerWidget(corner)
        corner.show()
        self.done.clicked.connect(self._write)
        self.give_up.clicked.connect(self._end)

    def _write(self) -> None:
        self.done.setEnabled(False)
        window = self._window
        shots = [window.session.roll[id] for id in window.session.roll.listed]

        def job() -> list[HandedBack]:
            return [self._one(shot) for shot in shots]

        def done(answers: list[HandedBack]) -> None:
            self.answers = answers
            self._end()

        def failed(error: Exception) -> None:
            self.done.setEnabled(True)
            window.status.say(str(error) or type(error).__name__)

        self._background.submit(0, job, done, failed, self._cancel)  # type: ignore[arg-type]

    def _one(self, entry: OpenShot) -> HandedBack:
        try:
            shot = entry.shot or known_shot(entry.path, self._window.session.store)
        except Exception as error:  # whatever it is, it is one shot's trouble
            return HandedBack(entry.path, words=str(error) or type(error).__name__)

        def report(name: str, progress: Progress) -> None:
            self._progress.emit(name, progress)

        return hand_back(shot, entry.treatment, self._in_place, partial(report, Path(entry.path).name), self._cancel)

    def _end(self) -> None:
        self._window.close()

    def close(self) -> None:
        """Stop writing; files already written stay."""
        self._cancel.cancel()
        self._background.close()
