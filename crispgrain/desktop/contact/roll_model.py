"""The roll as a list that Qt's views can show: rows are what is listed, in order."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QImage

from crispgrain.core.treatment import Treatment
from crispgrain.session.roll import Roll
from crispgrain.session.shots import OpenShot, ShotId

MOST_RESULTS = 400
SHOT = Qt.ItemDataRole.UserRole


class RollModel(QAbstractListModel):
    """Mirrors a roll; knows the thumbnails besides."""

    def __init__(self, roll: Roll) -> None:
        super().__init__()
        self._roll = roll
        self._ids = list(roll.listed)
        self.thumbnails: dict[ShotId, QImage] = {}
        self._results: dict[ShotId, tuple[Treatment, QImage]] = {}
        self._shows_results = False
        roll.opened.connect(self._opened)
        roll.arranged.connect(self._arranged)
        roll.changed.connect(self._changed)

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self._ids)

    def data(self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        shot = self._roll[self._ids[index.row()]]
        if role == Qt.ItemDataRole.DisplayRole:
            return shot.path.name
        if role == Qt.ItemDataRole.DecorationRole:
            treatment, result = self._results.get(shot.id, (None, None))
            return result if self._shows_results and treatment == shot.treatment else self.thumbnails.get(shot.id)
        if role == Qt.ItemDataRole.ToolTipRole:
            return "\n".join(w for w in (str(shot.path), shot.problem or shot.headline, shot.why) if w)
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{shot.path.name}, {shot.state}, {shot.problem or shot.headline}"
        return shot if role == SHOT else None

    def id_at(self, row: int) -> ShotId:
        return self._ids[row]

    def row_of(self, id: ShotId) -> int:
        """-1 if it is not listed."""
        return self._ids.index(id) if id in self._ids else -1

    def set_thumbnail(self, id: ShotId, image: QImage) -> None:
        self.thumbnails[id] = image
        self._changed(id)

    def show_results(self, on: bool) -> None:
        """Show what treatments make of the shots, as far as that is known."""
        self._shows_results = on
        if self._ids:
            self.dataChanged.emit(self.index(0), self.index(len(self._ids) - 1))

    def has_result(self, shot: OpenShot) -> bool:
        return shot.id in self._results and self._results[shot.id][0] == shot.treatment

    def set_result(self, id: ShotId, treatment: Treatment, image: QImage) -> None:
        """Keep a small result; those made longest ago are let go of."""
        self._results.pop(id, None)
        self._results[id] = treatment, image
        while len(self._results) > MOST_RESULTS:
            del self._results[next(iter(self._results))]
        self._changed(id)

    def _opened(self, new: list[ShotId]) -> None:
        listed = self._roll.listed
        if listed != [*self._ids, *new]:
            self._arranged()
            return
        self.beginInsertRows(QModelIndex(), len(self._ids), len(listed) - 1)
        self._ids = list(listed)
        self.endInsertRows()

    def _arranged(self) -> None:
        self.beginResetModel()
        self._ids = list(self._roll.listed)
        self.endResetModel()

    def _changed(self, id: ShotId) -> None:
        row = self.row_of(id)
        if row >= 0:
            self.dataChanged.emit(self.index(row), self.index(row))
