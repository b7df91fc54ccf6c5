"""Exports in the background, one shot after the other; a broken one does not stop the rest."""

from __future__ import annotations

import queue
import threading
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from crispgrain.cancel import Cancelled, CancelToken
from crispgrain.core.render.whole import export
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.background import yield_to_window
from crispgrain.session.shots import ShotId


@dataclass(frozen=True)
class Job:
    """One result to write."""

    id: ShotId
    path: Path
    treatment: Treatment
    folder: Path
    name: str = ""


class Exporter(QObject):
    """Renders and writes files in a thread of its own. All signals arrive in the window's thread."""

    started = Signal(object)  # Job
    progress = Signal(object, object)  # Job, Progress
    written = Signal(object, object)  # Job, Path
    failed = Signal(object, str)  # Job, words
    finished = Signal(int, int)  # written, failed
    busy = Signal(bool)  # whether anything is waiting or under way

    def __init__(self) -> None:
        super().__init__()
        self._jobs: queue.Queue[Job | None] = queue.Queue()
        self._cancel = CancelToken()
        self._waiting = 0
        self._counts = [0, 0]
        self._lock = threading.Lock()
        self._thread = threading.Thread(target=self._work, name="exporter", daemon=True)
        self._thread.start()

    def add(self, jobs: list[Job]) -> None:
        with self._lock:
            if not self._waiting:
                self._cancel, self._counts = CancelToken(), [0, 0]
            self._waiting += len(jobs)
        self.busy.emit(True)
        for job in jobs:
            self._jobs.put(job)

    @property
    def waiting(self) -> int:
        """Jobs not finished yet."""
        return self._waiting

    def stop(self) -> None:
        """Stop the running export and drop those waiting; files already written stay."""
        self._cancel.cancel()

    def close(self) -> None:
        self.stop()
        self._jobs.put(None)
        self._thread.join(timeout=30)

    def _work(self) -> None:
        yield_to_window()  # the threads it starts inherit this
        while (job := self._jobs.get()) is not None:
            try:
                self._one(job)
            except RuntimeError:
                return  # the window is gone

    def _one(self, job: Job) -> None:
        cancel = self._cancel
        ok: bool | None = None
        words = ""
        try:
            cancel.check()
            self.started.emit(job)
            shot = open_shot(job.path)
            path = export(
                shot.pipeline(job.treatment), job.folder, job.name,
                report=lambda p: self.progress.emit(job, p), cancel=cancel,
            )  # fmt: skip
            ok = True
            self.written.emit(job, path)
        except Cancelled:
            words = "stopped"
        except MemoryError:
            ok, words = False, f"{job.path.name}: there is not enough memory for this result"
        except Exception as error:  # one shot's trouble must not end the batch
            ok, words = False, str(error) or type(error).__name__
        with self._lock:
            self._waiting -= 1
            if ok is not None:
                self._counts[0 if ok else 1] += 1
            last, counts = self._waiting == 0, list(self._counts)
        if words:
            self.failed.emit(job, words)
        if last:
            self.busy.emit(False)
            self.finished.emit(*counts)
