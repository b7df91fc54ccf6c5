"""The contact sheet: thumbnails with each shot's mark, state and headline reading, narrow or wide."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence

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
    Signal,
)
from PySide6.QtGui import QColor, QFont, QFontMetrics, QImage, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from crispgrain.core.files import RAW_SUFFIXES
from crispgrain.desktop.base.monitor import image_on_monitor
from crispgrain.desktop.base.theme import current_theme
from crispgrain.session.session import Session
from crispgrain.session.shots import OpenShot, ShotId, State

from .roll_model import SHOT, RollModel

WIDTH = 168
THUMB = QSize(132, 92)
ROW = 140
SELECTING = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


class _FrameDelegate(QStyledItemDelegate):
    """Paints one frame of the sheet: thumbnail, mark, name, state and headline."""

    def __init__(self, sheet: ContactSheet) -> None:
        super().__init__(sheet)
        self._sheet = sheet

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return self._sheet.frame

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        shot: OpenShot = index.data(SHOT)
        theme, session = current_theme(), self._sheet.session
        painter.save()
        room, area = option.rect, option.rect.adjusted(8, 6, -8, -4)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(room.adjusted(0, 2, 0, -2), QColor(theme.field))
        if shot.id == session.current:
            painter.fillRect(QRect(room.left(), room.top() + 2, 3, room.height() - 4), QColor(theme.accent))
        frame = QRect(area.topLeft() + QPoint(2, 0), self._sheet.thumbnail)
        self._paint_thumbnail(painter, shot, index.data(Qt.ItemDataRole.DecorationRole), frame)
        line = painter.fontMetrics().height()
        text = QRect(area.left() + 2, frame.bottom() + 4, area.width() - 2, line)
        painter.setPen(QColor(theme.ink))
        painter.drawText(
            text, Qt.AlignmentFlag.AlignLeft,
            painter.fontMetrics().elidedText(shot.path.name, Qt.TextElideMode.ElideMiddle, text.width()),
        )  # fmt: skip
        small = QFont(option.font)
        small.setPixelSize(11)
        painter.setFont(small)
        painter.setPen(QColor(theme.faint_ink))
        below = text.translated(0, line - 1)
        painter.drawText(
            below, Qt.AlignmentFlag.AlignLeft,
            painter.fontMetrics().elidedText(self._said(shot), Qt.TextElideMode.ElideRight, below.width()),
        )  # fmt: skip
        painter.restore()

    def _paint_thumbnail(self, painter: QPainter, shot: OpenShot, thumbnail: QImage | None, frame: QRect) -> None:
        theme, mark = current_theme(), shot.treatment.mark
        if thumbnail is None:
            painter.setPen(QPen(QColor(theme.hairline)))
            painter.drawRect(frame.adjusted(0, 0, -1, -1))
            painter.setPen(QColor(theme.faint_ink))
            words = "can't be read" if shot.state is State.FAILED else "…"
            painter.drawText(frame, Qt.AlignmentFlag.AlignCenter, words)
        else:
            size = thumbnail.size().scaled(frame.size(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRect(frame.left(), frame.bottom() - size.height() + 1, size.width(), size.height())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(place, image_on_monitor(thumbnail))
        if mark:
            small = QFont(painter.font())
            small.setPixelSize(11)
            metrics = QFontMetrics(small)
            box = QRect(frame.left(), frame.bottom() - metrics.height() - 1, metrics.horizontalAdvance(mark) + 10, 0)
            box.setHeight(metrics.height() + 2)
            painter.fillRect(box, QColor(theme.panel))
            painter.setPen(QColor(theme.ink))
            before = painter.font()
            painter.setFont(small)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, mark)
            painter.setFont(before)

    def _said(self, shot: OpenShot) -> str:
        said = shot.problem.partition(": ")[2] if shot.problem else shot.headline
        if shot.state not in (State.UNTOUCHED, State.FAILED):
            said = f"{shot.state} · {said}" if said else str(shot.state)
        twin = self._sheet.session.roll.twin(shot.id)
        if twin is not None:
            kind = "RAW" if shot.path.suffix.lower() in RAW_SUFFIXES else "finished"
            said = f"{kind}, also {twin.path.suffix[1:].upper()}" + (f" · {said}" if said else "")
        folded = len(self._sheet.session.roll.series(shot.id)) if self._sheet.session.roll.listing.folded else 1
        return f"{folded} shots · {said}" if folded > 1 else said


class ContactSheet(QListView):
    """The column of the roll's shots; several can be selected for sync and export.

    A plain click or key chooses the shot for the easel. Ctrl and Shift only select: what is on the easel stays. A wide
    sheet only selects, until a double click or Enter.
    """

    opened = Signal()  # a shot was put on the easel from a wide sheet

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.roll_model = session, RollModel(session.roll)
        self.setModel(self.roll_model)
        self.setItemDelegate(_FrameDelegate(self))
        self.wide = False
        self.thumbnail, self.frame = THUMB, QSize(WIDTH - 14, ROW)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setUniformItemSizes(True)
        self.setAccessibleName("Contact sheet")
        self.selectionModel().selectionChanged.connect(lambda *_: session.select(self._selected))
        session.selection_changed.connect(self._show_selection)
        session.roll.arranged.connect(self._show_selection)
        session.current_changed.connect(self._show_current)

    def set_wide(self, wide: bool, width: int) -> None:
        """A grid of thumbnails of a width, or the narrow column."""
        self.wide = wide
        self.setFlow(QListView.Flow.LeftToRight if wide else QListView.Flow.TopToBottom)
        self.setWrapping(wide)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.set_thumbnail(width)

    def set_thumbnail(self, width: int) -> None:
        """Change the size of a wide sheet's thumbnails (px)."""
        self.thumbnail = QSize(width, width * THUMB.height() // THUMB.width()) if self.wide else THUMB
        self.frame = self.thumbnail + QSize(WIDTH - 14 - THUMB.width(), ROW - THUMB.height())
        self.setGridSize(self.frame if self.wide else QSize())
        self.doItemsLayout()

    def dataChanged(
        self, top_left: QModelIndex | QPersistentModelIndex, bottom_right: QModelIndex | QPersistentModelIndex,
        roles: Sequence[int] = (),
    ) -> None:  # fmt: skip
        """Paint changed frames anew; QListView would lay out the whole roll, though all frames are of one size."""
        if top_left.row() == bottom_right.row():
            self.update(self.roll_model.index(top_left.row()))
        else:
            self.viewport().update()

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
        plain = event.button() == Qt.MouseButton.LeftButton and not event.modifiers()
        if plain and index.isValid() and not self.wide:  # a wide sheet hides the easel, and only selects
            self.session.choose(self.roll_model.id_at(index.row()))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._open(self.indexAt(event.position().toPoint()))

    def _open(self, index: QModelIndex) -> None:
        """Put a shot of the wide sheet on the easel."""
        if self.wide and index.isValid():
            self.session.choose(self.roll_model.id_at(index.row()))
            self.opened.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._open(self.currentIndex())
            return
        # Letters are the window's keys (hold S to see the source), not a search for names.
        if event.text().isprintable() and event.text() and not event.modifiers():
            event.ignore()
            return
        before = self.currentIndex()
        super().keyPressEvent(event)
        if self.currentIndex() != before and not self.wide and not event.modifiers() & SELECTING:
            self.session.choose(self.roll_model.id_at(self.currentIndex().row()))

    @property
    def _selected(self) -> list[ShotId]:
        rows = sorted(i.row() for i in self.selectionModel().selectedIndexes())
        return [self.roll_model.id_at(row) for row in rows]

    @property
    def in_sight(self) -> set[ShotId]:
        seen, rows = self.viewport().rect(), range(self.roll_model.rowCount())

        def end(row: int) -> int:
            return self.visualRect(self.roll_model.index(row)).bottom()

        def start(row: int) -> int:
            return self.visualRect(self.roll_model.index(row)).top()

        first = bisect_left(rows, seen.top(), key=end)
        return {self.roll_model.id_at(row) for row in rows[first : bisect_right(rows, seen.bottom(), key=start)]}
