"""From the wish to export to written files: dialog, jobs, and what the bottom line says of them."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMessageBox, QWidget

from crispgrain.core.errors import ShotError
from crispgrain.core.files.checksums import write_sums
from crispgrain.core.model import Stage
from crispgrain.core.render import naming
from crispgrain.core.render.progress import Progress
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.middle import Middle
from crispgrain.desktop.base.preferences import last_folder, last_output, remember_export
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.orders.job import Job
from crispgrain.session.export_sets import saved
from crispgrain.session.session import Session
from crispgrain.session.shots import ShotId, State

from .export_dialog import ExportDialog
from .exporter import Exporter
from .queue_flow import QueueFlow
from .sheet_flow import SheetFlow


class ExportFlow(QObject):
    """Asks where and how, starts the exports, and remembers what was chosen last."""

    def __init__(
        self, session: Session, exporter: Exporter, status: StatusLine, middle: Middle, window: QWidget
    ) -> None:
        super().__init__(window)
        self.queue, self.sheet = QueueFlow(exporter, middle, status), SheetFlow(session, status, window)
        self.session, self.exporter, self.status, self.window = session, exporter, status, window
        self._sums: tuple[Path, list[Path]] | None = None  # of which folder, and of what was written so far
        self._background: Background | None = None
        exporter.started.connect(self._started)
        exporter.trouble.connect(status.say)
        exporter.progress.connect(self._progress)
        exporter.written.connect(self._written)
        exporter.failed.connect(self._failed)
        exporter.finished.connect(self._finished)

    def ask(self, every: bool = False) -> None:
        """Let the person choose for the chosen shots, or for all that are listed."""
        roll, pipeline, entry = self.session.roll, self.session.pipeline, self.session.on_easel
        if pipeline is None or entry is None:
            return
        ids = [id for id in (roll.listed if every else self.session.chosen) if roll[id].state is not State.FAILED]
        folder = last_folder() or entry.path.parent / "results"
        # A shot with Print settings of its own keeps them; others are offered what was chosen last.
        again = None if entry.treatment[Stage.PRINT].values else last_output()
        try:
            sets = saved()
        except ShotError as error:
            sets = []
            self.status.say(str(error))
        dialog = ExportDialog(pipeline, len(ids), folder, self.window, again, sets)
        if dialog.exec():
            self.export(ids, dialog)

    def export(self, ids: list[ShotId], dialog: ExportDialog) -> None:
        """Write the results of some shots in the background; what was chosen becomes their Print stage."""
        remember_export(dialog.chosen_folder, dialog.values)
        self._sums = (dialog.chosen_folder, []) if dialog.sums.isChecked() else None
        if dialog.chosen_sets:
            self._export_sets(ids, dialog)
            return
        roll = self.session.roll
        changed = {id: dialog.with_print(roll[id].treatment) for id in ids}
        self.session.change(changed, "Print: as exported")
        self.status.offer_folder(None)
        folder, name = dialog.chosen_folder, dialog.chosen_name
        self.exporter.add(
            [
                (id, roll[id].path, dialog.with_effort(changed[id]), folder, naming.numbered(name, number))
                for number, id in enumerate(ids, 1)
            ]
        )

    def _export_sets(self, ids: list[ShotId], dialog: ExportDialog) -> None:
        """Write a file of each shot for each set that is ticked; the shots' own Print stage stays as it is."""
        roll, folder = self.session.roll, dialog.chosen_folder
        self.status.offer_folder(None)
        wishes = [
            (id, roll[id].path, dialog.with_effort(one.of(roll[id].treatment)), one.within(folder),
             naming.numbered(one.names, number))
            for number, id in enumerate(ids, 1)
            for one in dialog.chosen_sets
        ]  # fmt: skip
        self.exporter.add(wishes)

    def offer_left_over(self) -> None:
        """Ask whether to go on with what was not written when the program ended."""
        jobs = self.exporter.left_over()
        if not jobs:
            return
        count = "1 file is" if len(jobs) == 1 else f"{len(jobs)} files are"
        answer = QMessageBox.question(self.window, "Crisp Grain", f"{count} not written yet. Go on with that?")
        if answer == QMessageBox.StandardButton.Yes:
            self.exporter.go_on(jobs)
        else:
            self.exporter.drop(jobs)

    def _progress(self, job: Job, progress: Progress) -> None:
        waiting = self.exporter.waiting - 1
        more = f" ({waiting} more waiting)" if waiting > 0 else ""
        self.status.say(f"Exporting {job.path.name}{more}", progress)

    def _started(self, id: ShotId | None, job: Job) -> None:
        if id is not None:
            self.session.roll.set_state(id, State.RENDERING)

    def _written(self, id: ShotId | None, job: Job) -> None:
        if id is not None:
            self.session.roll.set_state(id, State.EXPORTED)
        if job.result is not None:
            if self._sums is not None:
                self._sums[1].append(job.result)
            self.status.offer_folder(job.result.parent)
            self.status.say(f"Written: {job.result.name}")

    def _failed(self, id: ShotId | None, job: Job) -> None:
        roll = self.session.roll
        if id is not None and id in roll.shots:
            roll.set_state(id, roll[id].settled_state)
        self.status.say(f"Not exported: {job.words or 'stopped'}")

    def _finished(self, written: int, failed: int) -> None:
        if written + failed > 1:
            trouble = f", {failed} failed" if failed else ""
            self.status.say(f"{written} results written{trouble}.")
        if self._sums is not None and self._sums[1]:
            self._write_sums(*self._sums)
            self._sums = None

    def _write_sums(self, folder: Path, files: list[Path]) -> None:
        def done(path: Path) -> None:
            self.status.say(f"Written, with checksums: {path.name}")
            self.close()

        def failed(error: Exception) -> None:
            self.status.say(f"The checksums could not be written: {error}")
            self.close()

        self._background = self._background or Background(1)
        self._background.submit(Urgency.AHEAD, lambda: write_sums(folder, files), done, failed)

    def close(self) -> None:
        """End the threads that add up and that make a sheet."""
        self.sheet.close()
        if self._background is not None:
            self._background.close()
            self._background = None
