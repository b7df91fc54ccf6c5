"""A slider with a mark at the metered value, to which it can be returned."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from crispgrain.desktop.base.theme import current_theme

HANDLE = 6
EDGE = 8


class MeteredSlider(QWidget):
    """Horizontal slider; the small wedge shows the metered value, a click on it returns there."""

    moved = Signal(float)
    returned = Signal()

    def __init__(self, minimum: float, maximum: float, step: float) -> None:
        super().__init__()
        self.minimum, self.maximum, self.step = minimum, maximum, step
        self.value = minimum
        self.metered = minimum
        self.following = True
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip("The wedge is the metered value. Click it, or press Delete, to return there.")

    def sizeHint(self) -> QSize:
        return QSize(150, 28)

    def show_value(self, value: float, metered: float, following: bool) -> None:
        self.value, self.metered, self.following = value, metered, following
        self.update()

    def x_of(self, value: float) -> float:
        share = (value - self.minimum) / (self.maximum - self.minimum)
        return EDGE + share * (self.width() - 2 * EDGE)

    def _value_at(self, x: float) -> float:
        share = (x - EDGE) / max(self.width() - 2 * EDGE, 1)
        value = self.minimum + min(max(share, 0), 1) * (self.maximum - self.minimum)
        return self._snapped(value)

    def _snapped(self, value: float) -> float:
        steps = round((value - self.minimum) / self.step)
        return min(max(round(self.minimum + steps * self.step, 6), self.minimum), self.maximum)

    def _on_wedge(self, point: QPointF) -> bool:
        return point.y() < 10 and abs(point.x() - self.x_of(self.metered)) <= 7

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._on_wedge(event.position()):
            self.returned.emit()
            return
        self._dragging = True
        self.moved.emit(self._value_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self.moved.emit(self._value_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._dragging = False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._dragging = False
        self.returned.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()  # a wheel that scrolls the sheet must not change settings

    def keyPressEvent(self, event: QKeyEvent) -> None:
        big = (self.maximum - self.minimum) / 10
        change = {
            Qt.Key.Key_Left: -self.step, Qt.Key.Key_Down: -self.step, Qt.Key.Key_Right: self.step,
            Qt.Key.Key_Up: self.step, Qt.Key.Key_PageUp: big, Qt.Key.Key_PageDown: -big,
        }.get(Qt.Key(event.key()))  # fmt: skip
        if change is not None:
            self.moved.emit(self._snapped(self.value + change))
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.returned.emit()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        theme = current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = 18.0
        x, wedge = self.x_of(self.value), self.x_of(self.metered)
        painter.setPen(QPen(QColor(theme.faint_ink), 1))
        painter.drawLine(QPointF(EDGE, y), QPointF(self.width() - EDGE, y))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.ink))
        painter.drawPolygon(QPolygonF([QPointF(wedge - 4, 3), QPointF(wedge + 4, 3), QPointF(wedge, 10)]))
        painter.setPen(QPen(QColor(theme.ink if self.hasFocus() else theme.faint_ink), 1.5))
        painter.setBrush(QColor(theme.field if self.following else theme.ink))
        if not self.isEnabled():
            painter.setBrush(QColor(theme.panel))
        painter.drawEllipse(QRectF(x - HANDLE, y - HANDLE, 2 * HANDLE, 2 * HANDLE))
