"""The contact sheet: a narrow column of thumbnails with each shot's state and headline reading."""

from __future__ import annotations

from PySide6.QtCore import QItemSelectionModel, QModelIndex, QPersistentModelIndex, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from .roll import ENTRY, Entry, Roll, State
from .theme import current_theme

WIDTH = 168
THUMB = QSize(132, 92)
ROW = 140
SELECTING = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


class _FrameDelegate(QStyledItemDelegate):
    """Paints one frame of the sheet."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(WIDTH - 14, ROW)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        entry: Entry = index.data(ENTRY)
        theme = current_theme()
        painter.save()
        area = option.rect.adjusted(8, 6, -8, -4)
        sheet = self.parent()
        assert isinstance(sheet, ContactSheet)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect.adjusted(0, 2, 0, -2), QColor(theme.field))
        if index.row() == sheet.on_easel:
            painter.fillRect(QRect(option.rect.left(), option.rect.top() + 2, 3, ROW - 4), QColor(theme.accent))
        frame = QRect(area.left() + 2, area.top(), THUMB.width(), THUMB.height())
        if entry.thumbnail is not None:
            size = entry.thumbnail.size().scaled(THUMB, Qt.AspectRatioMode.KeepAspectRatio)
            place = QRect(frame.left(), frame.bottom() - size.height() + 1, size.width(), size.height())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(place, entry.thumbnail)
        else:
            painter.setPen(QPen(QColor(theme.hairline)))
            painter.drawRect(frame.adjusted(0, 0, -1, -1))
            painter.setPen(QColor(theme.faint_ink))
            words = "can't be read" if entry.state is State.FAILED else "…"
            painter.drawText(frame, Qt.AlignmentFlag.AlignCenter, words)
        line = painter.fontMetrics().height()
        text = QRect(area.left() + 2, frame.bottom() + 4, area.width() - 2, line)
        painter.setPen(QColor(theme.ink))
        name = painter.fontMetrics().elidedText(entry.path.name, Qt.TextElideMode.ElideMiddle, text.width())
        painter.drawText(text, Qt.AlignmentFlag.AlignLeft, name)
        small = QFont(option.font)
        small.setPixelSize(11)
        painter.setFont(small)
        painter.setPen(QColor(theme.faint_ink))
        below = text.translated(0, line - 1)
        said = entry.problem.partition(": ")[2] if entry.problem else entry.headline
        if entry.state not in (State.UNTOUCHED, State.FAILED):
            said = f"{entry.state} · {said}" if said else str(entry.state)
        painter.drawText(
            below, Qt.AlignmentFlag.AlignLeft,
            painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, below.width()),
        )  # fmt: skip
        painter.restore()


class ContactSheet(QListView):
    """The column of all open shots; several can be selected for sync and export.

    A plain click or key chooses the shot for the easel. Ctrl and Shift only select: what is on the easel stays.
    """

    chosen = Signal(int)  # row, to be put on the easel

    def __init__(self, roll: Roll, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setModel(roll)
        self.setItemDelegate(_FrameDelegate(self))
        self.setFixedWidth(WIDTH)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setUniformItemSizes(True)
        self.setAccessibleName("Contact sheet")
        self.on_easel = -1

    def choose(self, row: int, keep_selection: bool = False) -> None:
        """Put a shot on the easel, as a click does; with ``keep_selection`` the others stay selected."""
        index, flag = self.model().index(row, 0), QItemSelectionModel.SelectionFlag
        self.selectionModel().setCurrentIndex(index, flag.NoUpdate if keep_selection else flag.ClearAndSelect)
        self.scrollTo(index)
        self._put_on_easel(row)

    def step(self, by: int, selected_only: bool = False) -> None:
        """Put the next or previous shot on the easel, or of those selected, which all stay selected."""
        rows = self.selected_rows if selected_only else list(range(self.model().rowCount()))
        ahead = [r for r in rows if (r - self.on_easel) * by > 0]
        if ahead:
            self.choose(min(ahead, key=lambda r: abs(r - self.on_easel)), keep_selection=selected_only)

    def _put_on_easel(self, row: int) -> None:
        if row != self.on_easel:
            self.on_easel = row
            self.viewport().update()
            self.chosen.emit(row)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        index = self.indexAt(event.position().toPoint())
        if event.button() == Qt.MouseButton.LeftButton and not event.modifiers() and index.isValid():
            self._put_on_easel(index.row())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # Letters are the window's keys (hold S to see the source), not a search for names.
        if event.text().isprintable() and event.text() and not event.modifiers():
            event.ignore()
            return
        before = self.currentIndex()
        super().keyPressEvent(event)
        if self.currentIndex() != before and not event.modifiers() & SELECTING:
            self._put_on_easel(self.currentIndex().row())

    @property
    def selected_rows(self) -> list[int]:
        return sorted(i.row() for i in self.selectionModel().selectedIndexes())

    @property
    def visible_rows(self) -> set[int]:
        area, count = self.viewport().rect(), self.model().rowCount()
        first, last = (self.indexAt(QPoint(area.center().x(), y)) for y in (area.top(), area.bottom()))
        return set(range(first.row(), last.row() + 1 if last.isValid() else count)) if first.isValid() else set()
