"""Thumbnails of results: what each treatment makes of its shot, in small, for those in sight."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer
from PySide6.QtGui import QImage

from crispgrain.core.render.cache import TileCache
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.easel.layer import to_image
from crispgrain.session.session import Session
from crispgrain.session.shots import OpenShot, State
from crispgrain.store.sensors import known_shot

from .contact_sheet import ContactSheet
from .thumbnails import SIDE

LOOK = 250  # ms between two looks for what is in sight and missing
CACHE = 150_000_000  # bytes, for one shot at a time


class ResultThumbnails(QObject):
    """Makes them one after the other while they are wanted; they follow each change of a treatment."""

    def __init__(self, session: Session, sheet: ContactSheet, background: Background) -> None:
        super().__init__(sheet)
        self._session, self._sheet, self._background = session, sheet, background
        self._busy = False
        self._failed: list[tuple[int, Treatment]] = []
        self._looking = QTimer(self)
        self._looking.setInterval(LOOK)
        self._looking.timeout.connect(self._next)

    def show(self, on: bool) -> None:
        """Show results in place of sources, as they come; or sources again."""
        self._sheet.roll_model.show_results(on)
        (self._looking.start if on else self._looking.stop)()

    def _next(self) -> None:
        if self._busy:
            return
        model, roll = self._sheet.roll_model, self._session.roll
        for shot in (roll.shots[id] for id in sorted(self._sheet.in_sight) if id in roll.shots):
            ready = shot.state not in (State.FAILED, State.WAITING) and (shot.id, shot.treatment) not in self._failed
            if ready and not model.has_result(shot):
                self._make(shot)
                return

    def _make(self, entry: OpenShot) -> None:
        self._busy = True
        treatment, store, model = entry.treatment, self._session.store, self._sheet.roll_model

        def job() -> QImage:
            shot = entry.shot or known_shot(entry.path, store)
            pipeline = shot.pipeline(treatment, TileCache(CACHE))
            small = pipeline.reduced(max(1, max(pipeline.size.height, pipeline.size.width) // SIDE))
            return to_image(small.region(small.size.rect))

        def done(image: QImage) -> None:
            self._busy = False
            model.set_result(entry.id, treatment, image)

        def failed(error: Exception) -> None:
            self._busy = False
            self._failed.append((entry.id, treatment))

        self._background.submit(Urgency.METERING, job, done, failed)
