"""Opening shots in steps: a first look within a moment, then the reading; and which shots stay in memory."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from crispgrain.cancel import CancelToken
from crispgrain.core.files import Source, read_shot
from crispgrain.core.files.metadata import read_facts
from crispgrain.core.files.source import Facts
from crispgrain.core.meter import Reading, first_reading
from crispgrain.core.meter.words import headline
from crispgrain.core.render.overview import overview
from crispgrain.core.resolve import Resolved, resolve
from crispgrain.core.shot import Shot
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.contact.contact_sheet import ContactSheet
from crispgrain.desktop.contact.thumbnails import kept_thumbnail, packed, thumbnail
from crispgrain.desktop.easel.layer import to_image
from crispgrain.session.comparing import developed
from crispgrain.session.session import Session
from crispgrain.session.shots import ShotId, State
from crispgrain.store import Stamp
from crispgrain.store.sensors import informed, reading_of
from crispgrain.threads import worker_count

IN_MEMORY = 5  # shots whose pixels are kept: the current one, its neighbours, and two seen before


class ShotLoader(QObject):
    """Reads and measures shots in the background and enters what comes of it in the roll."""

    first_look = Signal(int, object, object, object)  # id, Source, Resolved (Develop only), QImage
    ready = Signal(int)  # the shot is in memory and measured
    failed = Signal(int, str)

    def __init__(self, session: Session, sheet: ContactSheet, background: Background) -> None:
        super().__init__()
        self._session, self._roll, self._store = session, session.roll, session.store
        self._sheet, self._background = sheet, background
        self._recent: list[ShotId] = []
        self._to_meter: list[ShotId] = []
        self._metering = 0  # jobs under way
        session.roll.forgotten.connect(self._again)

    def open(self, id: ShotId) -> None:
        """Bring a shot into memory; ``first_look`` comes before ``ready`` unless it is there already."""
        entry = self._roll[id]
        if entry.shot is not None:
            self._keep(id)
            self.ready.emit(id)
            return

        def read() -> tuple[Source, Resolved, QImage, QImage]:
            source = read_shot(entry.path, entry.treatment.rescue)
            resolved = resolve(developed(entry.treatment), source, first_reading(source))
            return source, resolved, to_image(overview(source, resolved)), thumbnail(source)

        def got(answer: tuple[Source, Resolved, QImage, QImage]) -> None:
            source, resolved, image, small = answer
            self._sheet.roll_model.set_thumbnail(id, small)
            self.first_look.emit(id, source, resolved, image)
            self._background.submit(Urgency.OPENING, lambda: self._measured(source), metered, self._trouble(id))

        def metered(shot: Shot) -> None:
            entry.shot = shot
            self._keep(id)
            self._enter(id, shot.reading, shot.source.facts)
            self.ready.emit(id)

        self._background.submit(Urgency.OPENING, read, got, self._trouble(id))

    def prepare(self, id: ShotId, cancel: CancelToken, then: Callable[[], None]) -> None:
        """Bring a shot into memory that may be looked at next; nothing is shown of it."""
        entry, rescue = self._roll[id], self._roll[id].treatment.rescue

        def done(shot: Shot) -> None:
            entry.shot = shot
            self._keep(id)
            self._enter(id, shot.reading, shot.source.facts)
            then()

        self._background.submit(
            Urgency.AHEAD,
            lambda: self._measured(read_shot(entry.path, rescue)),
            done,
            self._trouble(id),
            cancel,
        )

    def _measured(self, source: Source) -> Shot:
        """A shot with its reading, and what all shots tell of its camera."""
        return informed(Shot(source, reading_of(source, self._store)), self._store)

    def meter_later(self, ids: list[ShotId]) -> None:
        """Measure shots and make their thumbnails when nothing more urgent is to do, those in sight first."""
        self._to_meter += ids
        self._meter_next()

    def _meter_next(self) -> None:
        # The queue gets no more than the workers can take, so that scrolling still changes what comes next.
        self._to_meter = [id for id in self._to_meter if id in self._roll.shots]  # some may have been taken off
        while self._to_meter and self._metering < worker_count():
            seen = self._sheet.in_sight
            id = min(self._to_meter, key=lambda i: (i not in seen, i))
            self._to_meter.remove(id)
            self._metering += 1
            self._meter(id)

    def _meter(self, id: ShotId) -> None:
        entry = self._roll[id]

        def job() -> tuple[Reading, QImage, Facts]:
            stamp = Stamp.of(entry.path)
            reading, small = self._store.reading(stamp), kept_thumbnail(self._store, stamp)
            if reading is None or small is None:
                source = read_shot(entry.path, entry.treatment.rescue)  # its pixels are let go afterwards
                reading, small = reading_of(source, self._store), thumbnail(source)
                self._store.keep_thumbnail(stamp, packed(small))
            return reading, small, read_facts(entry.path)

        def done(answer: tuple[Reading, QImage, Facts]) -> None:
            reading, small, facts = answer
            self._sheet.roll_model.set_thumbnail(id, small)
            self._enter(id, reading, facts)
            self._metered()

        def failed(error: Exception) -> None:
            self._trouble(id)(error)
            self._metered()

        self._background.submit(Urgency.METERING, job, done, failed)

    def _again(self, id: ShotId) -> None:
        """A file has changed."""
        if id == self._session.current:
            self.open(id)
        else:
            self.meter_later([id])

    def _metered(self) -> None:
        self._metering -= 1
        self._meter_next()
        if not self._metering and not self._to_meter:
            self._tell_anew()

    def _tell_anew(self) -> None:
        """Now that all shots are measured, those in memory hear what the others tell of their camera."""
        held = [(entry.id, entry.shot) for entry in self._roll.shots.values() if entry.shot is not None]

        def job() -> list[tuple[ShotId, Shot, Shot]]:
            return [(id, shot, informed(shot, self._store)) for id, shot in held]

        def done(answers: list[tuple[ShotId, Shot, Shot]]) -> None:
            for id, shot, told in answers:
                if told is not shot and id in self._roll.shots and self._roll[id].shot is shot:
                    self._roll[id].shot = told
                    self._enter(id, told.reading, told.source.facts)
                    self.ready.emit(id)

        self._background.submit(Urgency.METERING, job, done)

    def _enter(self, id: ShotId, reading: Reading, facts: Facts) -> None:
        if id not in self._roll.shots:
            return
        entry = self._roll[id]
        entry.facts, entry.reading, entry.headline = facts, reading, headline(reading)
        entry.stamp = Stamp.of(entry.path)
        if entry.state is State.WAITING:
            entry.state = entry.settled_state
        self._roll.touch(id)

    def _trouble(self, id: ShotId) -> Callable[[Exception], None]:
        def failed(error: Exception) -> None:
            words = str(error) or type(error).__name__
            self._roll.fail(id, words)
            self.failed.emit(id, words)

        return failed

    def _keep(self, id: ShotId) -> None:
        """Let go of the pixels of shots not looked at for longest."""
        self._recent = [i for i in self._recent if i != id] + [id]
        while len(self._recent) > IN_MEMORY:
            gone = self._recent.pop(0)
            if gone in self._roll.shots:
                self._roll[gone].shot = None
