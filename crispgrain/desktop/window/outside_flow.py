"""Laying another picture of the scene beside the result, and taking it away."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QWidget

from crispgrain.core.errors import ShotError
from crispgrain.core.files import PICTURE_SUFFIXES, read_shot
from crispgrain.core.files.source import PictureSource
from crispgrain.core.outside import OutsidePicture, laid_over
from crispgrain.core.render.overview import overview
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.session.candidates import Candidate
from crispgrain.session.session import Session


class OutsideFlow(QObject):
    """Asks for a file and finds where it lies on the shot; it goes when another shot comes onto the easel."""

    def __init__(self, session: Session, background: Background, status: StatusLine, window: QWidget) -> None:
        super().__init__(window)
        self._session, self._background, self._status, self._window = session, background, status, window
        session.current_changed.connect(self.take_away)

    def ask(self) -> None:
        kinds = " ".join(f"*{suffix}" for suffix in sorted(PICTURE_SUFFIXES))
        name, _ = QFileDialog.getOpenFileName(self._window, "Another picture of this scene", "", f"Pictures ({kinds})")
        if name:
            self.lay(Path(name))

    def lay(self, path: Path) -> None:
        """Lay a file in the source's place; what is wrong with it is said."""
        shot = self._session.shot
        if shot is None:
            return
        self._status.say(f"Finding where {path.name} lies on {shot.path.name} …")

        def job() -> OutsidePicture:
            other = read_shot(path)
            if not isinstance(other, PictureSource):
                raise ShotError(path, "only a finished picture can be laid beside the result")
            own = shot.source
            plain = resolve(Treatment(), own, shot.reading)
            pixels = own.region(own.size.rect) if isinstance(own, PictureSource) else overview(own, plain)
            return laid_over(other, pixels, own.size)

        def done(picture: OutsidePicture) -> None:
            if self._session.shot is shot:
                self._session.comparing.set_outside(picture)
                apart = self._session.comparing.arrangement.apart
                where = "lies between source and result" if apart else "stands in the source's place"
                self._status.say(f"{path.name} {where}; the residual looks show the difference.")

        self._background.submit(Urgency.OPENING, job, done, lambda error: self._status.say(str(error)))

    def take_away(self) -> None:
        """The source stands in its own place again."""
        if self._session.comparing.outside is not None:
            self._session.comparing.set_outside(None)

    def candidates(self) -> list[Candidate]:
        """The picture as a candidate of a test strip."""
        picture = self._session.comparing.outside
        return [Candidate(picture.name, self._session.treatment, "outside", picture)] if picture is not None else []
