"""The shots that are open, by an id each keeps while they are sorted, hidden or taken off."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Any

from psygnal import Signal

from crispgrain.core.errors import ShotError
from crispgrain.core.shot import Shot, saved_treatment
from crispgrain.core.treatment import Treatment

ShotId = int


class State(StrEnum):
    """What has become of a shot."""

    WAITING = "waiting"
    UNTOUCHED = "untouched"
    TREATED = "treated"
    RENDERING = "rendering"
    FAILED = "failed"
    EXPORTED = "exported"


@dataclass(eq=False)
class OpenShot:
    """A shot on the roll: its file, its treatment, and how far it has got; its pixels while they are in memory."""

    id: ShotId
    path: Path
    treatment: Treatment = field(default_factory=Treatment)
    state: State = State.WAITING
    shot: Shot | None = None
    headline: str = ""
    problem: str = ""

    @property
    def settled_state(self) -> State:
        """The state that follows from the treatment alone."""
        return State.TREATED if self.treatment.stages else State.UNTOUCHED


class Roll:
    """All open shots, and which of them are listed, in which order."""

    opened = Signal(list)  # ids of new shots
    arranged = Signal()  # others are listed, or in another order
    changed = Signal(int)  # how a shot looks in a list
    problem = Signal(str)

    def __init__(self) -> None:
        self.sidecars: Path | None = None  # folder for treatments; beside each shot if None
        self.shots: dict[ShotId, OpenShot] = {}
        self.listed: list[ShotId] = []
        self._ids = itertools.count()
        self._key: Callable[[OpenShot], Any] = lambda shot: shot.id
        self._wanted: Callable[[OpenShot], bool] = lambda shot: True

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
        return shot

    def take_off(self, ids: Iterable[ShotId]) -> None:
        """Let go of shots; their files stay where they are."""
        gone = set(ids)
        self.shots = {id: shot for id, shot in self.shots.items() if id not in gone}
        self._arrange()
        self.arranged.emit()

    def arrange(
        self, key: Callable[[OpenShot], Any] | None = None, wanted: Callable[[OpenShot], bool] | None = None
    ) -> None:
        """List the shots that are ``wanted``, sorted by a key; without them, all, as they were opened."""
        self._key = key or (lambda shot: shot.id)
        self._wanted = wanted or (lambda shot: True)
        self._arrange()
        self.arranged.emit()

    def _arrange(self) -> None:
        self.listed = [shot.id for shot in sorted(self.shots.values(), key=self._key) if self._wanted(shot)]

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
