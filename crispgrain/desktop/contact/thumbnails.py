"""Thumbnails of shots nobody has looked at yet: what the file carries, as it scrolls into sight."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice
from PySide6.QtGui import QImage

from crispgrain.core.files import RAW_SUFFIXES, Source, read_shot
from crispgrain.core.files.metadata import read_facts
from crispgrain.core.files.preview import decoded_small, embedded_preview
from crispgrain.core.files.source import Facts
from crispgrain.core.meter import first_reading
from crispgrain.core.render.overview import overview
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.easel.layer import image_of, to_image
from crispgrain.session.session import Session
from crispgrain.session.shots import ShotId
from crispgrain.store import Stamp, Store

from .contact_sheet import ContactSheet

SIDE = 264  # px


def thumbnail(source: Source) -> QImage:
    """A small picture of a shot that has been read, as it is developed without a treatment."""
    return to_image(overview(source, resolve(Treatment(), source, first_reading(source)), SIDE))


def quick_thumbnail(path: Path) -> QImage:
    """A small picture of a file, from its embedded preview or a reduced decode where there is one.

    Raises
    ------
    ShotError
        If it has to be read for that, and cannot be.
    """
    raw = path.suffix.lower() in RAW_SUFFIXES
    small = embedded_preview(path, SIDE) if raw else decoded_small(path, SIDE)
    return image_of(small) if small is not None else thumbnail(read_shot(path))


def packed(image: QImage) -> bytes:
    """A thumbnail as it is kept: a JPEG."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "JPEG", 90)  # type: ignore[call-overload]
    return bytes(buffer.data().data())


def kept_thumbnail(store: Store, stamp: Stamp | None) -> QImage | None:
    """The thumbnail kept of a file as it is now."""
    stored = store.thumbnail(stamp)
    image = QImage.fromData(stored) if stored is not None else QImage()
    return None if image.isNull() else image


class Thumbnails:
    """Makes missing thumbnails one after the other, those in sight first, beside all other work."""

    def __init__(self, session: Session, sheet: ContactSheet) -> None:
        self._roll, self._store = session.roll, session.store
        self._sheet, self._model = sheet, sheet.roll_model
        self._background = Background(1)  # one that never has to wait for a shot being measured
        self._waiting: set[ShotId] = set()
        self._busy = False

    def want(self, ids: list[ShotId]) -> None:
        self._waiting.update(ids)
        self._next()

    def close(self) -> None:
        self._waiting.clear()
        self._background.close()

    def _next(self) -> None:
        self._waiting = {id for id in self._waiting if id in self._roll.shots and id not in self._model.thumbnails}
        if self._busy or not self._waiting:
            return
        id = min(self._waiting & self._sheet.in_sight or self._waiting)
        self._waiting.discard(id)
        self._busy = True
        path = self._roll[id].path

        def done(answer: tuple[QImage, Facts]) -> None:
            image, facts = answer
            if id in self._roll.shots:
                self._roll[id].facts = facts
            if id not in self._model.thumbnails:
                self._model.set_thumbnail(id, image)
            over()

        def over(error: Exception | None = None) -> None:  # what is wrong with a file is said when it is measured
            self._busy = False
            self._next()

        def job() -> tuple[QImage, Facts]:
            kept = kept_thumbnail(self._store, Stamp.of(path))
            return kept if kept is not None else quick_thumbnail(path), read_facts(path)

        self._background.submit(Urgency.VISIBLE, job, done, over)
