"""The contact sheet: a narrow column of thumbnails with each shot's state and headline reading."""

from __future__ import annotations

from PySide6.QtCore import (
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QPoint,
    QRect,
    QSignalBlocker,
    QSize,
    Qt,
)
from PySide6.QtGui import QColor, QFont, QImage, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from crispgrain.desktop.base.theme import current_theme
from crispgrain.session.roll import OpenShot, ShotId, State
from crispgrain.session.session import Session

from .roll_model import SHOT, RollModel

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
        entry: OpenShot = index.data(SHOT)
        thumbnail: QImage | None = index.data(Qt.ItemDataRole.DecorationRole)
        theme = current_theme()
        painter.save()
        area = option.rect.adjusted(8, 6, -8, -4)
        sheet = self.parent()
        assert isinstance(sheet, ContactSheet)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect.adjusted(0, 2, 0, -2), QColor(theme.field))
        if entry.id == sheet.session.current:
            painter.fillRect(QRect(option.rect.left(), option.rect.top() + 2, 3, ROW - 4), QColor(theme.accent))
        frame = QRect(area.left() + 2, area.top(), THUMB.width(), THUMB.height())
        if thumbnail is not None:
            size = thumbnail.size().scaled(THUMB, Qt.AspectRatioMode.KeepAspectRatio)
            place = QRect(frame.left(), frame.bottom() - size.height() + 1, size.width(), size.height())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(place, thumbnail)
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
    """The column of the roll's shots; several can be selected for sync and export.

    A plain click or key chooses the shot for the easel. Ctrl and Shift only select: what is on the easel stays.
    """

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.roll_model = session, RollModel(session.roll)
        self.setModel(self.roll_model)
        self.setItemDelegate(_FrameDelegate(self))
        self.setFixedWidth(WIDTH)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setUniformItemSizes(True)
        self.setAccessibleName("Contact sheet")
        self.selectionModel().selectionChanged.connect(lambda *_: session.select(self._selected))
        session.selection_changed.connect(self._show_selection)
        session.roll.arranged.connect(self._show_selection)
        session.current_changed.connect(self._show_current)

    def _show_current(self) -> None:
        current = self.session.current
        if current is not None and (row := self.roll_model.row_of(current)) >= 0:
            index = self.roll_model.index(row)
            self.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.NoUpdate)
            self.scrollTo(index)
        self.viewport().update()

    def _show_selection(self) -> None:
        wanted = self.session.selection
        if self._selected == wanted:
            return
        selection = QItemSelection()
        for row in (self.roll_model.row_of(id) for id in wanted):
            if row >= 0:
                selection.select(self.roll_model.index(row), self.roll_model.index(row))
        with QSignalBlocker(self.selectionModel()):
            self.selectionModel().select(selection, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        self.viewport().update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        index = self.indexAt(event.position().toPoint())
        if event.button() == Qt.MouseButton.LeftButton and not event.modifiers() and index.isValid():
            self.session.choose(self.roll_model.id_at(index.row()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # Letters are the window's keys (hold S to see the source), not a search for names.
        if event.text().isprintable() and event.text() and not event.modifiers():
            event.ignore()
            return
        before = self.currentIndex()
        super().keyPressEvent(event)
        if self.currentIndex() != before and not event.modifiers() & SELECTING:
            self.session.choose(self.roll_model.id_at(self.currentIndex().row()))

    @property
    def _selected(self) -> list[ShotId]:
        rows = sorted(i.row() for i in self.selectionModel().selectedIndexes())
        return [self.roll_model.id_at(row) for row in rows]

    @property
    def in_sight(self) -> set[ShotId]:
        area, count = self.viewport().rect(), self.roll_model.rowCount()
        first, last = (self.indexAt(QPoint(area.center().x(), y)) for y in (area.top(), area.bottom()))
        if not first.isValid():
            return set()
        return {self.roll_model.id_at(row) for row in range(first.row(), last.row() + 1 if last.isValid() else count)}
