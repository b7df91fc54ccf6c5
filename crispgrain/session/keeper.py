"""Keeps treatments beside their shots: whole files, in a thread of its own, the newest as soon as it can be."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path

from psygnal import Signal

from crispgrain.core.errors import ShotError
from crispgrain.core.files.rating import write_rating, xmp_path
from crispgrain.core.treatment import Treatment


class Keeper:
    """Writes one file after the other; of a file that is due again meanwhile, only the newest treatment.

    So a slider being dragged writes as often as the disk can, and whatever ends the program, what is found at the
    next start is whole and no older than one writing.
    """

    problem = Signal(str)  # from the thread that writes

    def __init__(self) -> None:
        self._due: dict[Path, Callable[[], None]] = {}
        self._writing = False
        self._ended = False
        self._wake = threading.Condition()
        self._thread = threading.Thread(target=self._work, name="keeper", daemon=True)
        self._thread.start()

    @property
    def idle(self) -> bool:
        with self._wake:
            return not self._due and not self._writing

    def keep(self, path: Path, treatment: Treatment) -> None:
        self._put(path, partial(treatment.save, path))

    def rate(self, shot: Path, rating: int, folder: Path | None) -> None:
        """Write a rating beside a shot."""
        self._put(xmp_path(shot, folder), partial(write_rating, shot, rating, folder))

    def _put(self, path: Path, write: Callable[[], None]) -> None:
        with self._wake:
            self._due[path] = write
            self._wake.notify_all()

    def settle(self) -> None:
        """Return when all that is due is written."""
        with self._wake:
            self._wake.wait_for(lambda: not self._due and not self._writing)

    def close(self) -> None:
        """Write what is due; nothing is written any more after that."""
        with self._wake:
            self._ended = True
            self._wake.notify_all()
        self._thread.join()

    def _work(self) -> None:
        while True:
            with self._wake:
                self._writing = False
                self._wake.notify_all()
                self._wake.wait_for(lambda: self._due or self._ended)
                if not self._due:
                    return
                path = next(iter(self._due))
                write = self._due.pop(path)
                self._writing = True
            try:
                write()
            except ShotError as error:
                self.problem.emit(str(error))
