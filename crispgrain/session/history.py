"""Undo and redo of treatments."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from psygnal import Signal

from crispgrain.core.treatment import Treatment

from .shots import ShotId

Treatments = Mapping[ShotId, Treatment]


@dataclass(frozen=True)
class Step:
    """A change of some shots' treatments; steps in a row with the same ``merge`` are one, as of a dragged slider."""

    words: str
    before: Treatments
    after: Treatments
    merge: str = ""


def _merge(last: Step, step: Step) -> bool:
    return bool(step.merge) and step.merge == last.merge and step.before.keys() == last.before.keys()


class History:
    """Steps done and undone; ``put`` is what sets treatments."""

    changed = Signal()

    def __init__(self, put: Callable[[Treatments], None]) -> None:
        self._put = put
        self._done: list[Step] = []
        self._undone: list[Step] = []
        self._closed = True  # whether the last step takes no more in

    def do(self, step: Step) -> None:
        last = self._done[-1] if self._done else None
        if last is not None and not self._closed and _merge(last, step):
            self._done.pop()
            step = replace(step, before=last.before)
        self._done.append(step)
        self._undone.clear()
        self._closed = False
        self._put(step.after)
        self.changed.emit()

    def undo(self) -> None:
        if self._done:
            step = self._done.pop()
            self._undone.append(step)
            self._closed = True
            self._put(step.before)
            self.changed.emit()

    def redo(self) -> None:
        if self._undone:
            step = self._undone.pop()
            self._done.append(step)
            self._closed = True
            self._put(step.after)
            self.changed.emit()

    @property
    def next_undo(self) -> str:
        """What would be undone, in words; empty if there is nothing."""
        return self._done[-1].words if self._done else ""

    @property
    def next_redo(self) -> str:
        return self._undone[-1].words if self._undone else ""
