"""From the wish for a sheet to pages in a PDF or on a printer."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QFileDialog, QWidget

from crispgrain.cancel import CancelToken, cancelled_by, check
from crispgrain.core.model import Stage
from crispgrain.core.render.progress import Progress
from crispgrain.core.sheet.make import contact_pages, frame_of, paper_of, print_of, print_pages
from crispgrain.core.sheet.page import Page, Picture
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.session.session import Session
from crispgrain.session.shots import State
from crispgrain.store.sensors import known_shot

from .printing import paint_pages, set_paper
from .sheet_dialog import SheetDialog, Target


class SheetFlow(QObject):
    """Asks, renders in the background, and writes or prints the pages."""

    def __init__(self, session: Session, status: StatusLine, window: QWidget) -> None:
        super().__init__(window)
        self._session, self._status, self._window = session, status, window
        self._background: Background | None = None
        self._running: list[CancelToken] = []  # of each sheet that is made, or waits for the one before
        status.stop_wanted.connect(self.stop)

    def ask(self) -> None:
        """Let the person choose for the chosen shots."""
        ids = [id for id in self._session.chosen if self._session.roll[id].state is not State.FAILED]
        if not ids:
            return
        paper = str(self._session.roll[ids[0]].treatment[Stage.PRINT].values.get("paper", "none"))
        dialog = SheetDialog(len(ids), paper, self._window)
        if not dialog.exec():
            return
        if dialog.target is Target.PRINTER:
            printer = QPrinter(QPrinter.PrinterMode.HighResolution)
            set_paper(printer, dialog.stock.width, dialog.stock.height)
            if QPrintDialog(printer, self._window).exec():
                self.make(dialog, printer)
            return
        beside = self._session.roll[ids[0]].path.parent / "sheet.pdf"
        name, _ = QFileDialog.getSaveFileName(self._window, "Sheet of prints", str(beside), "PDF (*.pdf)")
        if name:
            self.make(dialog, Path(name).with_suffix(".pdf"))

    def make(self, dialog: SheetDialog, target: Path | QPrinter) -> None:
        """Render what was asked for, then write or print it; what cannot be done is said in the bottom line."""
        roll, store = self._session.roll, self._session.store
        wishes = [(roll[id].path, roll[id].treatment) for id in self._session.chosen]
        stock, contact, marks = dialog.stock, dialog.contact, dialog.marks.isChecked()
        columns, rows, treated = dialog.columns.value(), dialog.rows.value(), [dialog.of(t) for _, t in wishes]

        background = self._background = self._background or Background(1)
        cancel = CancelToken()
        self._running.append(cancel)

        def rendered(number: int, shot: Shot, own: Treatment) -> Picture:
            words = f"Rendering {shot.path.name} for a sheet ({number} of {len(wishes)})"

            def said(progress: Progress) -> None:
                background.in_window(lambda: self._tell(words, progress, cancel))

            return print_of(shot.pipeline(own), cancel, said)

        def laid_out() -> tuple[Sequence[Page], Sequence[Picture]]:
            shots = [known_shot(path, store) for path, _ in wishes]
            if contact:
                contact_pages([], columns, rows, stock)
                frames = []
                for shot, (_, own) in zip(shots, wishes, strict=True):
                    check()
                    frames.append(frame_of(shot, own))
                return contact_pages(frames, columns, rows, stock), frames
            each = list(zip(shots, treated, strict=True))
            # One too large is refused before any is rendered; a chain keeps its tiles, so none outlasts its shot.
            laid = print_pages([paper_of(shot.pipeline(own)) for shot, own in each], stock, marks)
            return laid, [rendered(n, *one) for n, one in enumerate(each, 1)]

        def job() -> tuple[int, Path | None]:
            from crispgrain.core.sheet.pdf import write_pdf

            with cancelled_by(cancel):
                check()
                pages, pictures = laid_out()
                if isinstance(target, QPrinter):
                    paint_pages(target, pages, pictures)
                    return len(pages), None
                return len(pages), write_pdf(target, pages, pictures, stock.width, stock.height, target.stem)

        def finished(made: tuple[int, Path | None]) -> None:
            pages, file = made
            count = f"{pages} page{'s' if pages != 1 else ''}"
            self._end(cancel, f"Sent to the printer: {count}" if file is None else f"Written: {file.name}, {count}")
            if file is not None:
                self._status.offer_folder(file.parent)

        def failed(error: Exception) -> None:
            self._end(cancel, f"No sheet: {error}")

        self._status.say(f"Rendering {len(wishes)} shot{'s' if len(wishes) != 1 else ''} for a sheet …")
        # Without the token: what is done in spite of a stop that came too late is told.
        background.submit(Urgency.AHEAD, job, finished, failed)

    def _tell(self, words: str, progress: Progress, cancel: CancelToken) -> None:
        if not cancel.cancelled:
            self._status.say(words, progress)

    def stop(self) -> None:
        """Render no further; nothing is written, and a printer gets no page unless it had begun."""
        for cancel in [c for c in self._running if not c.cancelled]:
            self._stop(cancel)

    def _stop(self, cancel: CancelToken) -> None:
        cancel.cancel()
        if self._background is not None:
            self._status.say("Stopping the sheet …")
            # Once the worker has noticed: the window does not wait for it.
            self._background.submit(Urgency.AHEAD, lambda: None, lambda _: self._end(cancel, "No sheet: stopped."))

    def _end(self, cancel: CancelToken, words: str) -> None:
        """Say what became of a sheet, once; another one may have been asked for meanwhile."""
        if cancel not in self._running:
            return
        self._running.remove(cancel)
        self._status.say(words)
        if not self._running:
            self.close()

    def close(self) -> None:
        """End the thread that renders and writes."""
        for cancel in self._running:
            cancel.cancel()
        self._running.clear()
        if self._background is not None:
            self._background.close()
            self._background = None
