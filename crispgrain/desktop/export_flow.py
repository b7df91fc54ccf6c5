"""From the wish to export to written files: dialog, jobs, and what the bottom line says of them."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.progress import Progress

from .dialogs import ExportDialog
from .exporter import Exporter, Job
from .preferences import last_folder, last_output, remember_export
from .roll import Roll, State
from .status_line import StatusLine


class ExportFlow(QObject):
    """Asks where and how, starts the exports, and remembers what was chosen last."""

    def __init__(self, window: QWidget, roll: Roll, exporter: Exporter, status: StatusLine) -> None:
        super().__init__(window)
        self.window, self.roll, self.exporter, self.status = window, roll, exporter, status
        exporter.started.connect(lambda job: self._set_state(job.row, State.RENDERING))
        exporter.progress.connect(self._progress)
        exporter.written.connect(self._written)
        exporter.failed.connect(self._failed)
        exporter.finished.connect(self._finished)

    def ask(self, rows: list[int], current: int, pipeline: Pipeline) -> None:
        """Let the person choose; ``pipeline`` is that of the current shot."""
        rows = [r for r in rows if self.roll.entries[r].state is not State.FAILED]
        entry = self.roll.entries[current]
        folder = last_folder() or entry.path.parent / "results"
        # A shot with Print settings of its own keeps them; others are offered what was chosen last.
        again = None if entry.treatment[Stage.PRINT].values else last_output()
        dialog = ExportDialog(pipeline, len(rows), folder, self.window, again)
        if dialog.exec():
            self.export(rows, dialog)

    def export(self, rows: list[int], dialog: ExportDialog) -> None:
        """Write the results of some shots in the background; what was chosen becomes their Print stage."""
        remember_export(dialog.chosen_folder, dialog.output)
        changed = {r: dialog.with_print(self.roll.entries[r].treatment) for r in rows}
        self.roll.change_many(changed, "Print: as exported")
        self.status.offer_folder(None)
        folder, name = dialog.chosen_folder, dialog.chosen_name
        self.exporter.add(
            [Job(r, self.roll.entries[r].path, dialog.with_effort(changed[r]), folder, name) for r in rows]
        )

    def _progress(self, job: Job, progress: Progress) -> None:
        more = f" ({self.exporter.waiting - 1} more waiting)" if self.exporter.waiting > 1 else ""
        self.status.say(f"Exporting {job.path.name}{more}", progress)

    def _written(self, job: Job, path: Path) -> None:
        self._set_state(job.row, State.EXPORTED)
        self.status.offer_folder(path.parent)
        self.status.say(f"Written: {path.name}")

    def _failed(self, job: Job, words: str) -> None:
        entry = self.roll.entries[job.row]
        self._set_state(job.row, entry.settled_state)
        self.status.say(f"Not exported: {words}")

    def _finished(self, written: int, failed: int) -> None:
        if written + failed > 1:
            trouble = f", {failed} failed" if failed else ""
            self.status.say(f"{written} results written{trouble}.")

    def _set_state(self, row: int, state: State) -> None:
        if self.roll.entries[row].state is not State.FAILED:
            self.roll.entries[row].state = state
            self.roll.touch(row)
