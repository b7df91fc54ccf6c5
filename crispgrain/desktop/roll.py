"""The shots that are open: what the contact sheet lists, and the changes that can be undone."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QImage, QUndoCommand, QUndoStack

from crispgrain.core.errors import ShotError
from crispgrain.core.shot import Shot, saved_treatment
from crispgrain.core.treatment import Treatment, sidecar_path

from .keeper import Keeper

ENTRY = Qt.ItemDataRole.UserRole


class State(StrEnum):
    """What has become of a shot."""

    WAITING = "waiting"
    UNTOUCHED = "untouched"
    TREATED = "treated"
    RENDERING = "rendering"
    FAILED = "failed"
    EXPORTED = "exported"


@dataclass
class Entry:
    """One shot on the contact sheet."""

    path: Path
    treatment: Treatment = field(default_factory=Treatment)
    state: State = State.WAITING
    shot: Shot | None = None
    thumbnail: QImage | None = None
    headline: str = ""
    problem: str = ""

    @property
    def settled_state(self) -> State:
        """The state that follows from the treatment alone."""
        return State.TREATED if self.treatment.stages else State.UNTOUCHED


class Roll(QAbstractListModel):
    """All open shots, in order; the only place their treatments are changed."""

    treatment_changed = Signal(int)
    problem = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.entries: list[Entry] = []
        self.undo = QUndoStack()
        self.sidecars: Path | None = None  # folder for treatments; beside each shot if None
        self.keeper = Keeper()
        self.keeper.problem.connect(self.problem)

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.entries)

    def data(self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        entry = self.entries[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return entry.path.name
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{entry.path}\n{entry.problem or entry.headline}".strip()
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{entry.path.name}, {entry.state}, {entry.problem or entry.headline}"
        return entry if role == ENTRY else None

    def add(self, paths: list[Path]) -> list[int]:
        """Append shots that are not open yet, with the treatments kept for them; returns the new rows."""
        known = {e.path for e in self.entries}
        new = [p for p in dict.fromkeys(paths) if p not in known]
        if not new:
            return []
        first = len(self.entries)
        self.beginInsertRows(QModelIndex(), first, first + len(new) - 1)
        for path in new:
            entry = Entry(path)
            try:
                entry.treatment = saved_treatment(path, self.sidecars) or Treatment()
            except ShotError as error:
                self.problem.emit(f"{error} The shot starts with metered settings.")
            self.entries.append(entry)
        self.endInsertRows()
        return list(range(first, first + len(new)))

    def touch(self, row: int) -> None:
        """Tell the views that a shot's looks changed."""
        index = self.index(row)
        self.dataChanged.emit(index, index)

    def change(self, row: int, treatment: Treatment, words: str, merge: str = "") -> None:
        """Give a shot another treatment, so that it can be undone.

        Changes in a row with the same ``merge`` key are undone as one, as when a slider is dragged.
        """
        self.change_many({row: treatment}, words, merge)

    def change_many(self, treatments: dict[int, Treatment], words: str, merge: str = "") -> None:
        changed = {r: t for r, t in treatments.items() if t != self.entries[r].treatment}
        if changed:
            self.undo.push(_Change(self, changed, words, merge))

    def put_treatment(self, row: int, treatment: Treatment) -> None:
        """Set a treatment and keep it beside the shot; called by undo commands only."""
        entry = self.entries[row]
        entry.treatment = treatment
        if entry.state is not State.FAILED:
            entry.state = entry.settled_state
        self.keeper.keep(sidecar_path(entry.path, self.sidecars), treatment)
        self.touch(row)
        self.treatment_changed.emit(row)


class _Change(QUndoCommand):
    def __init__(self, roll: Roll, treatments: dict[int, Treatment], words: str, merge: str) -> None:
        super().__init__(words)
        self._roll = roll
        self._new = treatments
        self._old = {row: roll.entries[row].treatment for row in treatments}
        self._merge = (merge, tuple(treatments)) if merge else None

    def id(self) -> int:
        return 1 if self._merge else -1

    def mergeWith(self, other: QUndoCommand) -> bool:
        if not isinstance(other, _Change) or other._merge != self._merge:
            return False
        self._new = other._new
        return True

    def redo(self) -> None:
        for row, treatment in self._new.items():
            self._roll.put_treatment(row, treatment)

    def undo(self) -> None:
        for row, treatment in self._old.items():
            self._roll.put_treatment(row, treatment)
