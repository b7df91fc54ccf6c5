"""The queue: every job of all orders, how far it is, and what can be done about it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDoubleSpinBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.render.progress import Progress
from crispgrain.orders.job import Job, JobState

COLUMNS = ("Order", "Shot", "State", "Result")
STATE = COLUMNS.index("State")
ID = Qt.ItemDataRole.UserRole


class QueueView(QWidget):
    """A table of jobs and buttons for those selected; says what is wanted by its signals."""

    closed = Signal()
    pause_wanted = Signal(bool)
    first_wanted = Signal(list)  # ids
    shift_wanted = Signal(list, int)
    cancel_wanted = Signal(list)
    folder_wanted = Signal(list)
    report_wanted = Signal()
    at_once_changed = Signal(int)
    limit_changed = Signal(float)  # GB

    def __init__(self) -> None:
        super().__init__()
        self.said = QLabel("Nothing is to be written.")
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels(list(COLUMNS))
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        for column, mode in enumerate(
            (QHeaderView.ResizeMode.ResizeToContents, QHeaderView.ResizeMode.Stretch, QHeaderView.ResizeMode.Fixed,
             QHeaderView.ResizeMode.Stretch)
        ):  # fmt: skip
            header.setSectionResizeMode(column, mode)
        self.table.setColumnWidth(STATE, 150)
        self.pause = QPushButton("Pause")
        self.pause.setCheckable(True)
        self.pause.clicked.connect(self.pause_wanted)
        self.first = self._button("First", lambda: self.first_wanted.emit(self.selected))
        self.earlier = self._button("Earlier", lambda: self.shift_wanted.emit(self.selected, -1))
        self.later = self._button("Later", lambda: self.shift_wanted.emit(self.selected, 1))
        self.cancel = self._button("Cancel", lambda: self.cancel_wanted.emit(self.selected))
        self.folder = self._button("Open folder", lambda: self.folder_wanted.emit(self.selected))
        self.report = self._button("Save a report …", self.report_wanted.emit)
        back = self._button("Back to the easel", self.closed.emit)
        self.at_once, self.limit = QSpinBox(), QDoubleSpinBox()
        self.at_once.setRange(1, 64)
        for number in (self.at_once, self.limit):
            number.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.at_once.setAccessibleName("Shots at once")
        self.limit.setRange(1, 4096)
        self.limit.setDecimals(1)
        self.limit.setSuffix(" GB")
        self.limit.setAccessibleName("Memory for all of them")
        self.at_once.valueChanged.connect(self.at_once_changed)
        self.limit.valueChanged.connect(self.limit_changed)
        top, below = QHBoxLayout(), QHBoxLayout()
        top.addWidget(self.said, 1)
        for words, field in (("At once", self.at_once), ("Memory", self.limit)):
            top.addWidget(QLabel(words))
            top.addWidget(field)
        top.addWidget(back)
        for button in (self.pause, self.first, self.earlier, self.later, self.cancel, self.folder, self.report):
            below.addWidget(button)
        below.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.setSpacing(10)
        layout.addLayout(top)
        layout.addWidget(self.table, 1)
        layout.addLayout(below)
        self.table.itemSelectionChanged.connect(self._enable)
        self._enable()

    def _button(self, words: str, does: object) -> QPushButton:
        button = QPushButton(words)
        button.clicked.connect(does)
        return button

    @property
    def selected(self) -> list[int]:
        """Ids of the jobs that are selected, as they are listed."""
        rows = sorted({index.row() for index in self.table.selectedIndexes()})
        return [self._id_at(row) for row in rows]

    def _id_at(self, row: int) -> int:
        return int(self.table.model().index(row, 0).data(ID))

    def show_jobs(self, jobs: Sequence[Job], paused: bool) -> None:
        """List the jobs; the same ones stay selected."""
        chosen = set(self.selected)
        self.table.blockSignals(True)
        self.table.setRowCount(len(jobs))
        self.table.clearSelection()
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.MultiSelection)
        for row, job in enumerate(jobs):
            target = str(job.result.name) if job.result is not None and job.state is JobState.DONE else job.words
            for column, words in enumerate((str(job.order), job.path.name, _state(job), target or f"in {job.folder}")):
                item = QTableWidgetItem(words)
                item.setData(ID, job.id)
                item.setToolTip(str(job.path) if column == 1 else words)
                self.table.setItem(row, column, item)
            if job.id in chosen:
                self.table.selectRow(row)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.blockSignals(False)
        self.pause.setChecked(paused)
        self.pause.setText("Go on" if paused else "Pause")
        self._enable()

    def show_progress(self, id: int, progress: Progress) -> None:
        """How far a running job is."""
        for row in range(self.table.rowCount()):
            state = self.table.item(row, STATE)
            if state is not None and self._id_at(row) == id:
                state.setText(f"running, {progress.done / max(progress.total, 1):.0%}")
                return

    def _enable(self) -> None:
        any_selected = bool(self.table.selectedIndexes())
        for button in (self.first, self.earlier, self.later, self.cancel, self.folder):
            button.setEnabled(any_selected)
        self.report.setEnabled(self.table.rowCount() > 0)


def _state(job: Job) -> str:
    return f"{job.state}, {job.seconds:.0f} s" if job.state is JobState.DONE and job.seconds else job.state.value
