"""Keeps treatments beside their shots: whole files, off the window's thread, the newest as soon as it can be."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from crispgrain.core.errors import ShotError
from crispgrain.core.treatment import Treatment

from .background import Background, Urgency


class Keeper(QObject):
    """Writes one file after the other; of a file that is due again meanwhile, only the newest treatment.

    So a slider being dragged writes as often as the disk can, and whatever ends the program, what is found at the
    next start is whole and no older than one writing.
    """

    problem = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._background = Background(1)
        self._due: dict[Path, Treatment] = {}
        self._now: tuple[Path, Treatment] | None = None

    @property
    def idle(self) -> bool:
        return self._now is None and not self._due

    def keep(self, path: Path, treatment: Treatment) -> None:
        self._due[path] = treatment
        self._next()

    def close(self) -> None:
        """Write what is due; nothing is written any more after that."""
        self._background.close()
        if self._now is not None:
            self._due = {self._now[0]: self._now[1], **self._due}  # perhaps it was not begun
        for path, treatment in self._due.items():
            try:
                treatment.save(path)
            except ShotError as error:
                self.problem.emit(str(error))
        self._due, self._now = {}, None

    def _next(self) -> None:
        if self._now is not None or not self._due:
            return
        path = next(iter(self._due))
        treatment = self._due.pop(path)
        self._now = path, treatment

        def over(error: object = None) -> None:
            self._now = None
            if isinstance(error, Exception):
                self.problem.emit(str(error))
            self._next()

        self._background.submit(Urgency.VISIBLE, lambda: treatment.save(path), over, over)
