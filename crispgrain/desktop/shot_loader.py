"""Opening shots in steps: a first look within a moment, then the reading; and which shots stay in memory."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from crispgrain.cancel import CancelToken
from crispgrain.core.files import Source, read_shot
from crispgrain.core.meter import Reading, first_reading, measure
from crispgrain.core.meter.words import headline
from crispgrain.core.model import Stage
from crispgrain.core.render.overview import overview
from crispgrain.core.render.threads import worker_count
from crispgrain.core.resolve import Resolved, resolve
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.store import Stamp, Store

from .background import Background, Urgency
from .layer import to_image
from .roll import Roll, State
from .thumbnails import kept_thumbnail, packed, thumbnail

IN_MEMORY = 5  # shots whose pixels are kept: the current one, its neighbours, and two seen before


def developed(treatment: Treatment) -> Treatment:
    """What counts as the source on the easel: the same development, nothing else."""
    return treatment.only([Stage.DEVELOP])


class ShotLoader(QObject):
    """Reads and measures shots in the background and enters what comes of it in the roll."""

    first_look = Signal(int, object, object, object)  # row, Source, Resolved (Develop only), QImage
    ready = Signal(int)  # the row's shot is in memory and measured
    failed = Signal(int, str)

    def __init__(self, roll: Roll, background: Background, store: Store) -> None:
        super().__init__()
        self._roll, self._background, self._store = roll, background, store
        self._recent: list[int] = []
        self._to_meter: list[int] = []
        self._metering = 0  # jobs under way
        self.in_sight: Callable[[], set[int]] = set  # rows seen now; they are measured first

    def open(self, row: int) -> None:
        """Bring a shot into memory; ``first_look`` comes before ``ready`` unless it is there already."""
        entry = self._roll.entries[row]
        if entry.shot is not None:
            self._keep(row)
            self.ready.emit(row)
            return

        def read() -> tuple[Source, Resolved, QImage, QImage]:
            source = read_shot(entry.path)
            resolved = resolve(developed(entry.treatment), source, first_reading(source))
            return source, resolved, to_image(overview(source, resolved)), thumbnail(source)

        def got(answer: tuple[Source, Resolved, QImage, QImage]) -> None:
            source, resolved, image, entry.thumbnail = answer
            self._roll.touch(row)
            self.first_look.emit(row, source, resolved, image)
            self._background.submit(Urgency.OPENING, lambda: self._measured(source), metered, self._trouble(row))

        def metered(shot: Shot) -> None:
            entry.shot = shot
            self._keep(row)
            self._enter(row, shot.reading)
            self.ready.emit(row)

        self._background.submit(Urgency.OPENING, read, got, self._trouble(row))

    def prepare(self, row: int, cancel: CancelToken, then: Callable[[], None]) -> None:
        """Bring a shot into memory that may be looked at next; nothing is shown of it."""
        entry = self._roll.entries[row]

        def done(shot: Shot) -> None:
            entry.shot = shot
            self._keep(row)
            self._enter(row, shot.reading)
            then()

        self._background.submit(
            Urgency.AHEAD, lambda: self._measured(read_shot(entry.path)), done, self._trouble(row), cancel
        )

    def _measured(self, source: Source) -> Shot:
        """A shot with its reading, found again if the file is as it was when it was measured."""
        stamp = Stamp.of(source.path)
        reading = self._store.reading(stamp)
        if reading is None:
            reading = measure(source)
            self._store.keep_reading(stamp, reading)
        return Shot(source, reading)

    def meter_later(self, rows: list[int]) -> None:
        """Measure shots and make their thumbnails when nothing more urgent is to do, those in sight first."""
        self._to_meter += rows
        self._meter_next()

    def _meter_next(self) -> None:
        # The queue gets no more than the workers can take, so that scrolling still changes what comes next.
        while self._to_meter and self._metering < worker_count():
            seen = self.in_sight()
            row = min(self._to_meter, key=lambda r: (r not in seen, r))
            self._to_meter.remove(row)
            self._metering += 1
            self._meter(row)

    def _meter(self, row: int) -> None:
        entry = self._roll.entries[row]

        def job() -> tuple[Reading, QImage]:
            stamp = Stamp.of(entry.path)
            reading, small = self._store.reading(stamp), kept_thumbnail(self._store, stamp)
            if reading is None or small is None:
                source = read_shot(entry.path)  # its pixels are let go afterwards
                reading, small = self._measured(source).reading, thumbnail(source)
                self._store.keep_thumbnail(stamp, packed(small))
            return reading, small

        def done(answer: tuple[Reading, QImage]) -> None:
            reading, entry.thumbnail = answer
            self._enter(row, reading)
            self._metered()

        def failed(error: Exception) -> None:
            self._trouble(row)(error)
            self._metered()

        self._background.submit(Urgency.METERING, job, done, failed)

    def _metered(self) -> None:
        self._metering -= 1
        self._meter_next()

    def _enter(self, row: int, reading: Reading) -> None:
        entry = self._roll.entries[row]
        entry.headline = headline(reading)
        if entry.state is State.WAITING:
            entry.state = entry.settled_state
        self._roll.touch(row)

    def _trouble(self, row: int) -> Callable[[Exception], None]:
        def failed(error: Exception) -> None:
            entry = self._roll.entries[row]
            entry.state, entry.problem = State.FAILED, str(error) or type(error).__name__
            self._roll.touch(row)
            self.failed.emit(row, entry.problem)

        return failed

    def _keep(self, row: int) -> None:
        """Let go of the pixels of shots not looked at for longest."""
        self._recent = [r for r in self._recent if r != row] + [row]
        while len(self._recent) > IN_MEMORY:
            self._roll.entries[self._recent.pop(0)].shot = None
