"""The queue of orders as the window sees it: its signals in the window's thread, its jobs by shots."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.preferences import at_once, memory_limit
from crispgrain.orders.job import Job, JobState
from crispgrain.orders.journal import Journal
from crispgrain.orders.queue import OrderQueue
from crispgrain.session.shots import ShotId

Wish = tuple[ShotId, Path, Treatment, Path, str]  # shot, its file, treatment, folder, name


class Exporter(QObject):
    """Puts orders into the queue. All signals arrive in the window's thread."""

    started = Signal(object, object)  # ShotId or None, Job
    progress = Signal(object, object)  # Job, Progress
    written = Signal(object, object)  # ShotId or None, Job
    failed = Signal(object, object)  # ShotId or None, Job; cancelled ones, too
    trouble = Signal(str)  # why nothing goes on for now
    finished = Signal(int, int)  # written, failed since nothing was waiting last
    busy = Signal(bool)  # whether anything is waiting or under way
    changed = Signal(object)  # Job

    def __init__(self, journal: Path, store: Path) -> None:
        super().__init__()
        limit = memory_limit()
        self.queue = OrderQueue(Journal(journal), store, at_once(limit), limit)
        self._shots: dict[int, ShotId] = {}
        self._told: set[int] = set()  # jobs whose start or end was told
        self._counts = [0, 0]
        self.changed.connect(self._tell)
        self.queue.changed.connect(self.changed.emit)
        self.queue.progress.connect(self.progress.emit)
        self.queue.trouble.connect(self.trouble.emit)

    def add(self, wishes: Sequence[Wish]) -> None:
        """A new order."""
        self.busy.emit(True)
        jobs = self.queue.journal.add(
            [(path, treatment, folder, name, False) for _, path, treatment, folder, name in wishes]
        )
        self._shots.update((job.id, wish[0]) for job, wish in zip(jobs, wishes, strict=True))
        self.queue.go_on(jobs)

    def left_over(self) -> list[Job]:
        """Jobs that were not over when the program ended last."""
        return self.queue.journal.unfinished()

    def go_on(self, jobs: list[Job]) -> None:
        self.busy.emit(True)
        self.queue.go_on(jobs)

    def drop(self, jobs: list[Job]) -> None:
        """Forget jobs left over."""
        self.queue.pause(True)
        self.queue.go_on(jobs)
        self.queue.cancel([job.id for job in jobs])
        self.queue.pause(False)

    @property
    def waiting(self) -> int:
        """Jobs that are not over."""
        return self.queue.left

    def stop(self) -> None:
        """Stop the running job and drop those waiting; files already written stay."""
        self.queue.cancel()

    def close(self) -> None:
        """End; what is not over is offered at the next start."""
        self.queue.close()
        self.queue.journal.close()

    def _tell(self, job: Job) -> None:
        shot = self._shots.get(job.id)
        if job.state is JobState.RUNNING:
            if job.id not in self._told:
                self._told.add(job.id)
                self.started.emit(shot, job)
            return
        if not job.state.over:
            return
        done = job.state is JobState.DONE
        if job.state is not JobState.CANCELLED:
            self._counts[0 if done else 1] += 1
        (self.written if done else self.failed).emit(shot, job)
        if not self.queue.left:
            counts, self._counts = self._counts, [0, 0]
            self.busy.emit(False)
            self.finished.emit(*counts)
