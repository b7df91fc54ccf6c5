"""The line-up as a table: a row a shot, sortable by each figure; keys mark, a double click opens the spot."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from crispgrain.desktop.easel.figures import detail_words
from crispgrain.desktop.easel.layer import screen_image
from crispgrain.session.line_up import GAP, SHOWN, Row, Spot
from crispgrain.session.shots import OpenShot, ShotId

COLUMNS = ("Shot", "Source", "Result", "Mark", "Reading", "Detail", "Halo")
SOURCE, RESULT, MARK, READING, STRUCTURE, HALO = range(1, 7)
HELP = {
    STRUCTURE: "How much of the source's detail the treatment took away, or added to it.",
    HALO: "The share of pixels with a halo.",
}
PICTURE = SHOWN  # px, height of a picture
OTHER_SIZE = "other size"  # than the source, so that there is no telling
SORT = Qt.ItemDataRole.UserRole


class _Figure(QTableWidgetItem):
    """A cell that sorts by its number."""

    def __lt__(self, other: QTableWidgetItem) -> bool:
        return float(self.data(SORT)) < float(other.data(SORT))


class LineUpView(QWidget):
    """Shows rows as they come."""

    opened = Signal(object)  # ShotId, to be put on the easel at its spot
    spot_chosen = Signal(object)  # list of Spot
    closed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._wide = PICTURE
        self.heading = QLabel("Line-up")
        self.heading.setProperty("role", "title")
        self.spot = QComboBox()
        for spot in Spot:
            self.spot.addItem(f"At {spot}", spot)
        self.spot.setAccessibleName("Spot")
        self.second = QComboBox()
        self.second.addItem("and nowhere else", "")
        for spot in Spot:
            self.second.addItem(f"and at {spot}", spot)
        self.second.setAccessibleName("Second spot")
        self.said = QLabel()
        self.said.setProperty("role", "faint")
        close = QToolButton()
        close.setText("To the easel")
        close.clicked.connect(self.closed)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels(COLUMNS)
        for column, words in HELP.items():
            self.table.model().setHeaderData(column, Qt.Orientation.Horizontal, words, Qt.ItemDataRole.ToolTipRole)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setIconSize(QSize(PICTURE, PICTURE))
        self.table.verticalHeader().setDefaultSectionSize(PICTURE + 8)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.table.setAccessibleName("Line-up")
        for column, width in enumerate((150, PICTURE + 8, PICTURE + 8, 80, 120, 100, 70)):
            self.table.setColumnWidth(column, width)
        self.table.horizontalHeader().setSectionResizeMode(READING, QHeaderView.ResizeMode.Stretch)
        self.table.horizontalHeader().setHighlightSections(False)
        head = QHBoxLayout()
        head.addWidget(self.heading)
        head.addWidget(self.spot)
        head.addWidget(self.second)
        head.addStretch()
        head.addWidget(self.said)
        head.addWidget(close)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 8)
        layout.addLayout(head)
        layout.addWidget(self.table, 1)
        self.table.cellDoubleClicked.connect(lambda row, _: self.opened.emit(self.id_at(row)))
        for combo in (self.spot, self.second):
            combo.activated.connect(lambda _: self.spot_chosen.emit(self.spots))

    @property
    def spots(self) -> list[Spot]:
        """The one or two spots that are chosen."""
        chosen = [str(combo.currentData()) for combo in (self.spot, self.second)]  # Qt hands plain text back
        return [Spot(spot) for spot in dict.fromkeys(chosen) if spot]

    def show_shots(self, shots: list[OpenShot]) -> None:
        """Begin anew with shots whose rows are still to come."""
        self._wide = SHOWN * len(self.spots) + GAP * (len(self.spots) - 1)
        self.table.setIconSize(QSize(self._wide, PICTURE))
        for column in (SOURCE, RESULT):
            self.table.setColumnWidth(column, self._wide + 8)
        self.table.setSortingEnabled(False)
        self.table.horizontalHeader().setSortIndicator(-1, Qt.SortOrder.AscendingOrder)  # as on the roll
        self.table.setRowCount(len(shots))
        for row, shot in enumerate(shots):
            name = QTableWidgetItem(shot.path.name)
            name.setData(SORT, shot.id)
            self.table.setItem(row, 0, name)
            for column in range(1, len(COLUMNS)):
                self.table.setItem(row, column, _Figure() if column in (STRUCTURE, HALO) else QTableWidgetItem())
            for column in (STRUCTURE, HALO):
                self._item(row, column).setData(SORT, -1e9)
                self._item(row, column).setText("…")
            self._item(row, READING).setText(shot.headline)
            self._item(row, MARK).setText(shot.treatment.mark)
        self.table.setSortingEnabled(True)

    def show_row(self, id: ShotId, row: Row) -> None:
        """Fill in what was computed of a shot."""
        place = self.row_of(id)
        if place < 0:
            return
        self.table.setSortingEnabled(False)
        for column, pixels in ((SOURCE, row.source), (RESULT, row.result)):
            picture = QPixmap.fromImage(screen_image(pixels))
            self._item(place, column).setData(Qt.ItemDataRole.DecorationRole, picture.copy(0, 0, self._wide, PICTURE))
        detail = detail_words(row.structure, 1) if row.structure is not None else OTHER_SIZE
        halo = f"{row.halo:.1%}" if row.halo is not None else OTHER_SIZE
        for column, figure, words in ((STRUCTURE, row.structure, detail), (HALO, row.halo, halo)):
            self._item(place, column).setData(SORT, figure if figure is not None else -1e9)
            self._item(place, column).setText(words)
        self.table.setSortingEnabled(True)

    def take_off(self, gone: set[ShotId]) -> None:
        for row in reversed(range(self.table.rowCount())):
            if self.id_at(row) in gone:
                self.table.removeRow(row)

    def show_trouble(self, id: ShotId, words: str) -> None:
        place = self.row_of(id)
        if place >= 0:
            self._item(place, READING).setText(words)
            for column in (STRUCTURE, HALO):
                self._item(place, column).setText("")

    def show_mark(self, shot: OpenShot) -> None:
        place = self.row_of(shot.id)
        if place >= 0:
            self._item(place, MARK).setText(shot.treatment.mark)

    def id_at(self, row: int) -> ShotId:
        return int(self._item(row, 0).data(SORT))

    def row_of(self, id: ShotId) -> int:
        """-1 if the shot is not in it."""
        return next((row for row in range(self.table.rowCount()) if self.id_at(row) == id), -1)

    @property
    def selected(self) -> list[ShotId]:
        return [self.id_at(index.row()) for index in self.table.selectionModel().selectedRows()]

    def _item(self, row: int, column: int) -> QTableWidgetItem:
        item = self.table.item(row, column)
        assert item is not None
        return item

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)
