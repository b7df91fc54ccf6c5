"""The bottom line: what is being rendered, how far, how long, how to stop it; and the zoom."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QUrl, Signal
from PySide6.QtGui import QColor, QDesktopServices
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QProgressBar, QToolButton, QWidget

from crispgrain.core.render.progress import Progress

from .elided_label import ElidedLabel

ZOOM_STEPS: tuple[tuple[str, float | None], ...] = (("fit", None), ("100", 1.0), ("200", 2.0), ("400", 4.0))


def pixel_words(x: int, y: int, source: QColor | None, result: QColor | None) -> str:
    """Place of a pixel and its values before and after, as far as they are known."""
    before, after = (f"{c.red()} {c.green()} {c.blue()}" if c is not None else "" for c in (source, result))
    return f"{x}, {y}   {before} → {after}" if before and after else f"{x}, {y}   {after or before}".rstrip()


class StatusLine(QWidget):
    """One line under everything."""

    stop_wanted = Signal()
    zoom_wanted = Signal(object)  # float, or None for fit

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(36)
        self.words = ElidedLabel()
        self.bar = QProgressBar()
        self.bar.setFixedWidth(120)
        self.bar.setTextVisible(False)
        self.stop = QToolButton()
        self.stop.setText("Stop")
        self.stop.clicked.connect(self.stop_wanted)
        self.open_folder = QToolButton()
        self.open_folder.setText("Open folder")
        self.open_folder.clicked.connect(self._open_folder)
        self.folder: Path | None = None
        self._remark = ""
        self.open_url: Callable[[QUrl], bool] = QDesktopServices.openUrl
        self.percent = QLabel()
        self.percent.setProperty("role", "faint")
        self.percent.setFixedWidth(48)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 3, 12, 3)
        layout.setSpacing(8)
        layout.addWidget(self.words, 1)
        for widget in (self.open_folder, self.bar, self.stop):
            layout.addWidget(widget)
            widget.hide()
        self.pixel = QLabel()
        self.pixel.setProperty("role", "faint")
        self.pixel.setToolTip(
            "Place of the pixel, and its red, green and blue in the source and in the result, 0 to 255"
        )
        layout.addWidget(self.pixel)
        layout.addSpacing(16)
        layout.addWidget(self.percent)
        self.zoom_buttons = QButtonGroup(self)
        for words, scale in ZOOM_STEPS:
            button = QToolButton()
            button.setText(words)
            button.setCheckable(True)
            button.setToolTip("Whole picture" if scale is None else f"{words} %")
            button.clicked.connect(lambda _=False, s=scale: self.zoom_wanted.emit(s))
            self.zoom_buttons.addButton(button)
            layout.addWidget(button)

    def say(self, words: str, progress: Progress | None = None) -> None:
        """Show a message; with progress, also a bar and the stop button."""
        if progress is None:
            self._remark = ""
        self.words.setText(words if progress is None else f"{words}: {progress.words}")
        for widget in (self.bar, self.stop):
            widget.setVisible(progress is not None)
        if progress is not None:
            self.bar.setRange(0, progress.total)
            self.bar.setValue(progress.done)

    def remark(self, words: str) -> None:
        """Say what the rendering that it brings about must not wipe away."""
        self.say(words)
        self._remark = words

    def rest(self, words: str) -> None:
        """A rendering is done: show the remark that it came with, or else these words."""
        self.say(self._remark or words)

    def offer_folder(self, folder: Path | None) -> None:
        """Offer to open the folder a result was written to."""
        self.folder = folder
        self.open_folder.setVisible(folder is not None)

    def show_pixel(self, words: str) -> None:
        """Show what is under the pointer."""
        self.pixel.setText(words)

    def show_zoom(self, scale: float | None, fitted: bool) -> None:
        """Show the scale of the easel; None while there is no picture."""
        self.percent.setText("" if scale is None else f"{scale * 100:.0f} %")
        self.zoom_buttons.setExclusive(False)
        for button, (_, step) in zip(self.zoom_buttons.buttons(), ZOOM_STEPS, strict=True):
            matches = scale is not None and step is not None and abs(scale - step) < 1e-6
            button.setChecked(scale is not None and (fitted if step is None else not fitted and matches))

    def _open_folder(self) -> None:
        if self.folder is not None:
            self.open_url(QUrl.fromLocalFile(str(self.folder)))
