"""Thumbnails of shots nobody has looked at yet: what the file carries, as it scrolls into sight."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice
from PySide6.QtGui import QImage

from crispgrain.core.files import RAW_SUFFIXES, Source, read_shot
from crispgrain.core.files.preview import decoded_small, embedded_preview
from crispgrain.core.meter import first_reading
from crispgrain.core.render.overview import overview
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.store import Stamp, Store

from .background import Background, Urgency
from .layer import image_of, to_image
from .roll import Roll

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

    def __init__(self, roll: Roll, in_sight: Callable[[], set[int]], store: Store) -> None:
        self._roll, self._in_sight, self._store = roll, in_sight, store
        self._background = Background(1)  # one that never has to wait for a shot being measured
        self._waiting: set[int] = set()
        self._busy = False

    def want(self, rows: list[int]) -> None:
        self._waiting.update(rows)
        self._next()

    def close(self) -> None:
        self._waiting.clear()
        self._background.close()

    def _next(self) -> None:
        self._waiting = {r for r in self._waiting if self._roll.entries[r].thumbnail is None}
        if self._busy or not self._waiting:
            return
        row = min(self._waiting & self._in_sight() or self._waiting)
        self._waiting.discard(row)
        self._busy = True
        entry = self._roll.entries[row]

        def done(image: QImage) -> None:
            if entry.thumbnail is None:
                entry.thumbnail = image
                self._roll.touch(row)
            over()

        def over(error: Exception | None = None) -> None:  # what is wrong with a file is said when it is measured
            self._busy = False
            self._next()

        def job() -> QImage:
            kept = kept_thumbnail(self._store, Stamp.of(entry.path))
            return kept if kept is not None else quick_thumbnail(entry.path)

        self._background.submit(Urgency.VISIBLE, job, done, over)
