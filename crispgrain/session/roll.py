"""The shots that are open, by an id each keeps while they are sorted, hidden or taken off."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from pathlib import Path

from attrs import evolve
from psygnal import Signal

from crispgrain.core.errors import ShotError
from crispgrain.core.files.rating import read_rating
from crispgrain.core.marks import mark_of
from crispgrain.core.shot import saved_treatment
from crispgrain.core.treatment import Treatment

from .listing import Listing, raw_of, series_around, series_of
from .shots import OpenShot, ShotId, State


class Roll:
    """All open shots, and which of them are listed, in which order."""

    opened = Signal(list)  # ids of new shots
    arranged = Signal()  # others are listed, or in another order
    changed = Signal(int)  # how a shot looks in a list
    forgotten = Signal(int)  # is to be read anew
    problem = Signal(str)

    def __init__(self) -> None:
        self.sidecars: Path | None = None  # folder for treatments; beside each shot if None
        self.shots: dict[ShotId, OpenShot] = {}
        self.listed: list[ShotId] = []
        self._ids = itertools.count()
        self.listing = Listing()
        self._series: list[list[ShotId]] = []
        self._twins: dict[ShotId, ShotId] = {}

    def __getitem__(self, id: ShotId) -> OpenShot:
        return self.shots[id]

    def __len__(self) -> int:
        return len(self.shots)

    def open(self, paths: Iterable[Path]) -> list[ShotId]:
        """Append shots that are not open yet, with the treatments kept for them; returns the new ids."""
        known = {shot.path for shot in self.shots.values()}
        new = [self._opened(path) for path in dict.fromkeys(paths) if path not in known]
        if new:
            self.shots.update((shot.id, shot) for shot in new)
            self._arrange()
            self.opened.emit([shot.id for shot in new])
        return [shot.id for shot in new]

    def _opened(self, path: Path) -> OpenShot:
        shot = OpenShot(next(self._ids), path)
        try:
            shot.treatment = saved_treatment(path, self.sidecars) or Treatment()
        except ShotError as error:
            self.problem.emit(f"{error} The shot starts with metered settings.")
        if not shot.treatment.mark and (rating := read_rating(path, self.sidecars)) is not None:
            shot.treatment = evolve(shot.treatment, mark=mark_of(rating))
        return shot

    def lose(self, id: ShotId) -> None:
        """A shot's file is gone: it is said, and what is in memory of it stays to be looked at."""
        shot = self.shots.get(id)
        if shot is not None:
            shot.lost = True
            self.fail(id, f"{shot.path.name}: the file is no longer there")

    def forget(self, id: ShotId) -> None:
        """A shot's file is another one than it was: it is read and measured anew, its treatment stays."""
        shot = self.shots.get(id)
        if shot is not None:
            shot.shot = shot.reading = shot.stamp = None
            shot.problem, shot.headline, shot.state, shot.lost = "", "", State.WAITING, False
            self.changed.emit(id)
            self.forgotten.emit(id)

    def take_off(self, ids: Iterable[ShotId]) -> None:
        """Let go of shots; their files stay where they are."""
        gone = set(ids)
        self.shots = {id: shot for id, shot in self.shots.items() if id not in gone}
        self._arrange()
        self.arranged.emit()

    def arrange(self, listing: Listing) -> None:
        """List the shots in another way."""
        self.listing = listing
        self.refresh()

    def refresh(self) -> None:
        """List the shots anew, as what they are sorted or chosen by may have changed."""
        before = self.listed
        self._arrange()
        if self.listed != before:
            self.arranged.emit()

    def _arrange(self) -> None:
        self._series = series_of(self.shots.values())
        raws = raw_of(self.shots.values())
        self._twins = {**raws, **{raw: id for id, raw in raws.items()}}
        self.listed = self.listing.ids(self.shots.values())

    def twin(self, id: ShotId) -> OpenShot | None:
        """The same shot as RAW, of a finished picture, or the other way round; by name, in the same folder."""
        return self.shots.get(self._twins[id]) if id in self._twins else None

    def series(self, id: ShotId) -> Sequence[ShotId]:
        """The shots that belong to a series with one."""
        return series_around(id, self._series)

    def touch(self, id: ShotId) -> None:
        """Say that a shot looks otherwise now."""
        if id in self.shots:
            self.changed.emit(id)

    def set_state(self, id: ShotId, state: State) -> None:
        """Of a shot that is still there and has not failed."""
        if id in self.shots and self.shots[id].state is not State.FAILED:
            self.shots[id].state = state
            self.touch(id)

    def fail(self, id: ShotId, words: str) -> None:
        """Note what is wrong with a shot."""
        if id in self.shots:
            self.shots[id].state, self.shots[id].problem = State.FAILED, words
            self.touch(id)
