"""Masks taken from grey pictures on disk, and written to them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QWidget

from crispgrain.core.errors import ShotError
from crispgrain.core.masks import Ground, Mask, picture
from crispgrain.core.masks.extent import of_source
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.session.session import Session

Put = Callable[[Mask], None]


class MaskPictures(QObject):
    """Asks for files, reads and writes them; how that went is said in the bottom line."""

    def __init__(self, session: Session, window: QWidget, status: StatusLine, background: Background) -> None:
        super().__init__(window)
        self._session, self._window, self._status, self._background = session, window, status, background

    def ask(self, put: Put) -> None:
        name, _ = QFileDialog.getOpenFileName(self._window, "Grey picture", "", "Pictures (*.png *.tif *.tiff)")
        if name:
            self.take(put, Path(name))

    def take(self, put: Put, path: Path) -> None:
        """Use a grey picture as a mask."""
        try:
            put(picture.from_file(path))
        except ShotError as error:
            self._status.say(str(error))

    def ask_save(self, mask: Mask) -> None:
        on_easel = self._session.on_easel
        if on_easel is None:
            return
        start = str(on_easel.path.with_name(f"{on_easel.path.stem}-{self._session.operation}.png"))
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the mask", start, "Grey pictures (*.png *.tif)")
        if name:
            self.save(mask, Path(name))

    def save(self, mask: Mask, path: Path) -> None:
        """Write a mask in the pixels of the source, 16 bits."""
        pipeline = self._session.pipeline
        if pipeline is None:
            return

        def done(saved: Path | ShotError) -> None:
            self._status.say(str(saved) if isinstance(saved, ShotError) else f"The mask is in {saved}.")

        self._background.submit(Urgency.VISIBLE, partial(_saved, mask, pipeline.ground, path), done)


def _saved(mask: Mask, ground: Ground, path: Path) -> Path | ShotError:
    try:
        return picture.write(of_source(mask, ground), path if path.suffix else path.with_suffix(".png"), 16)
    except ShotError as error:
        return error
