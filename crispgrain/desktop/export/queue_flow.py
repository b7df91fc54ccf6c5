"""The queue's page: kept as the queue is, and its buttons connected to it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QFileDialog

from crispgrain.core.errors import ShotError
from crispgrain.core.render.progress import Progress, time_left
from crispgrain.desktop.base.middle import Middle
from crispgrain.desktop.base.preferences import AT_ONCE, MEMORY, preferences
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.orders.job import Job
from crispgrain.orders.report import summary, write_report

from .exporter import Exporter
from .queue_view import QueueView

GIGABYTE = 1e9
TOGETHER = 150  # ms in which changes are shown together


class QueueFlow(QObject):
    """Shows the queue in the window's middle."""

    def __init__(self, exporter: Exporter, middle: Middle, status: StatusLine) -> None:
        super().__init__(middle)
        self.view = view = QueueView()
        self._queue, self._middle, self._status = exporter.queue, middle, status
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(TOGETHER)
        self._soon.timeout.connect(self.refresh)
        exporter.changed.connect(self._changed)
        exporter.progress.connect(self._progress)
        view.at_once.setValue(self._queue.at_once)
        view.limit.setValue(self._queue.memory_limit / GIGABYTE)
        view.closed.connect(middle.show_easel)
        view.pause_wanted.connect(self._pause)
        view.first_wanted.connect(lambda ids: self._do(self._queue.put_first, ids))
        view.shift_wanted.connect(lambda ids, by: self._do(self._queue.shift, ids, by))
        view.cancel_wanted.connect(lambda ids: self._do(self._queue.cancel, ids))
        view.folder_wanted.connect(self._open_folder)
        view.report_wanted.connect(self.ask_report)
        view.at_once_changed.connect(self._set_at_once)
        view.limit_changed.connect(self._set_limit)

    def _changed(self, job: Job) -> None:
        self._soon.start()

    def _progress(self, job: Job, progress: Progress) -> None:
        self.view.show_progress(job.id, progress)

    def show(self) -> None:
        self.refresh()
        self._middle.setCurrentWidget(self.view)

    def refresh(self) -> None:
        """Show the queue as it is now."""
        jobs, left = self._queue.jobs, self._queue.seconds_left
        self.view.show_jobs(jobs, self._queue.paused)
        more = "; paused" if self._queue.paused else f"; {time_left(left)}" if left is not None else ""
        self.view.said.setText(f"{summary(jobs)}{more}." if jobs else "Nothing is to be written.")

    def _do(self, what: Callable[..., None], *given: object) -> None:
        what(*given)
        self.refresh()

    def _pause(self, on: bool) -> None:
        self._queue.pause(on)
        self.refresh()

    def _set_at_once(self, count: int) -> None:
        self._queue.at_once = count
        preferences().setValue(AT_ONCE, count)

    def _set_limit(self, gigabytes: float) -> None:
        self._queue.memory_limit = gigabytes * GIGABYTE
        preferences().setValue(MEMORY, gigabytes)

    def _open_folder(self, ids: list[int]) -> None:
        for folder in dict.fromkeys(job.folder for job in self._queue.jobs if job.id in ids):
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))

    def ask_report(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self.view, "Save a report", "report.csv", "Tables (*.csv);;JSON files (*.json)"
        )
        if name:
            try:
                write_report(self._queue.jobs, Path(name))
                self._status.say(f"Report saved as {Path(name).name}.")
            except ShotError as error:
                self._status.say(str(error))
