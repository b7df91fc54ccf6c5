"""A tone curve by hand: points are set by a click, dragged, and taken away by a double click."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout, QWidget

from crispgrain.core.model import Parameter, Value
from crispgrain.desktop.base.theme import current_theme
from crispgrain.restoration.curves import Points, points_of, risen, through, written

STRAIGHT: Points = ((0.0, 0.0), (1.0, 1.0))
HEIGHT, EDGE, NEAR = 150, 6, 10  # px
STEP = 0.01  # of the range, by which an arrow key moves a point
MOVES = {
    Qt.Key.Key_Left: (-STEP, 0.0), Qt.Key.Key_Right: (STEP, 0.0),
    Qt.Key.Key_Up: (0.0, STEP), Qt.Key.Key_Down: (0.0, -STEP),
}  # fmt: skip


class CurveField(QWidget):
    """The curve over a square of tones, dark at the left and below."""

    moved = Signal(object)  # Points

    def __init__(self) -> None:
        super().__init__()
        self.points: Points = STRAIGHT
        self.held: int | None = None  # the point that keys and the pointer move
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip("Click for a point and drag it; arrow keys move it, a double click or Delete takes it away.")

    def sizeHint(self) -> QSize:
        return QSize(200, HEIGHT)

    @property
    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(EDGE, EDGE, -EDGE, -EDGE)

    def place(self, point: tuple[float, float]) -> QPointF:
        """Where a point of the curve lies on the widget."""
        area = self._area
        return QPointF(area.left() + point[0] * area.width(), area.bottom() - point[1] * area.height())

    def _at(self, place: QPointF) -> tuple[float, float]:
        area = self._area
        x, y = (place.x() - area.left()) / area.width(), (area.bottom() - place.y()) / area.height()
        return round(min(max(x, 0.0), 1.0), 3), round(min(max(y, 0.0), 1.0), 3)

    def _put(self, index: int, point: tuple[float, float]) -> None:
        """Move a point, no farther than its neighbours let it."""
        before = self.points[index - 1] if index else (-0.01, 0.0)
        after = self.points[index + 1] if index + 1 < len(self.points) else (1.01, 1.0)
        x = min(max(point[0], before[0] + 0.01), after[0] - 0.01)
        y = min(max(point[1], before[1]), after[1])
        points = risen((*self.points[:index], (round(x, 3), y), *self.points[index + 1 :]))
        if points != self.points:
            self.points = points
            self.update()
            self.moved.emit(points)

    def _take_away(self, index: int | None) -> None:
        if index is not None and 0 < index < len(self.points) - 1:
            self.points, self.held = (*self.points[:index], *self.points[index + 1 :]), None
            self.update()
            self.moved.emit(self.points)

    def _nearest(self, place: QPointF) -> int | None:
        far = [(self.place(p) - place).manhattanLength() for p in self.points]
        index = int(np.argmin(far))
        return index if far[index] <= NEAR else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.held = self._nearest(event.position())
        if self.held is None:
            x, _ = self._at(event.position())
            self.held = sum(p[0] < x for p in self.points)
            # On the curve first, so that a click alone changes nothing.
            self.points = risen((*self.points, (x, float(through(self.points)(np.array(x))))))
            self.held = min(max(self.held, 1), len(self.points) - 2)
            self._put(self.held, self._at(event.position()))
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.held is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._put(self.held, self._at(event.position()))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._take_away(self._nearest(event.position()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = MOVES.get(Qt.Key(event.key()))
        if self.held is not None and step is not None:
            x, y = self.points[self.held]
            self._put(self.held, (x + step[0], min(max(y + step[1], 0.0), 1.0)))
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._take_away(self.held)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        theme, area = current_theme(), self._area
        painter = QPainter(self)
        painter.fillRect(area, QColor(theme.field))
        painter.setPen(QPen(QColor(theme.hairline), 1))
        painter.drawRect(area)
        painter.drawLine(area.bottomLeft(), area.topRight())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        tones = np.linspace(0, 1, 65)
        values = np.clip(through(self.points)(tones), 0, 1)
        painter.setPen(QPen(QColor(theme.ink), 1.5))
        painter.drawPolyline(QPolygonF([self.place(p) for p in zip(tones.tolist(), values.tolist(), strict=True)]))
        for index, point in enumerate(self.points):
            painter.setBrush(QColor(theme.ink if index == self.held and self.hasFocus() else theme.field))
            painter.drawEllipse(self.place(point), 4, 4)


class CurveRow(QWidget):
    """A curve: its name over the field it is drawn in."""

    changed = Signal(str, object)

    def __init__(self, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        self.field = CurveField()
        self.field.setAccessibleName(parameter.name)
        self.setToolTip(parameter.help)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(2)
        layout.addWidget(QLabel(parameter.name))
        layout.addWidget(self.field)
        self.field.moved.connect(self._moved)

    def _moved(self, points: Points) -> None:
        self.changed.emit(self.parameter.id, None if points == STRAIGHT else written(points))

    def show_value(self, value: Value, metered: Value, following: bool) -> None:
        points = points_of(str(value)) or STRAIGHT
        if points != self.field.points:
            self.field.points = points
            self.field.update()
