"""The stage rail: the six stages as a line, each with its lamp, model and strength."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget

from crispgrain.core.model import Stage
from crispgrain.desktop.base.theme import current_theme

HEIGHT = 62
LAMP = 6
REMARK = "remark"


class _StageHead(QWidget):
    """One stage on the rail: click it to open its controls, click its lamp to switch it."""

    chosen = Signal(Stage)
    switched = Signal(Stage, bool)

    def __init__(self, stage: Stage, first: bool, last: bool) -> None:
        super().__init__()
        self.stage = stage
        self.lit = False
        self.active = False
        self.summary = ""
        self.remarks: Sequence[str] = ()
        self._first, self._last = first, last
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(130, HEIGHT)

    @property
    def lamp_rect(self) -> QRect:
        return QRect(8, 9, 4 * LAMP, 4 * LAMP)

    def show_state(self, lit: bool, active: bool, summary: str, remarks: Sequence[str] = ()) -> None:
        self.lit, self.active, self.summary, self.remarks = lit, active, summary, remarks
        self.setAccessibleName(", ".join([self.stage.label, "on" if lit else "off", summary, *remarks]))
        switch = ["The lamp switches it."] if self.stage.switchable else []
        self.setToolTip("\n".join([f"{self.stage.label}: {summary}", *remarks, *switch]))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.stage.switchable and self.lamp_rect.contains(event.position().toPoint()):
            self.switched.emit(self.stage, not self.lit)
        else:
            self.chosen.emit(self.stage)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(self.stage)
        elif event.key() == Qt.Key.Key_Space and self.stage.switchable:
            self.switched.emit(self.stage, not self.lit)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        theme = current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        centre = QPointF(self.lamp_rect.center()) + QPointF(0.5, 0.5)
        line = QPen(QColor(theme.hairline), 1)
        painter.setPen(line)
        if not self._first:
            painter.drawLine(QPointF(0, centre.y()), centre - QPointF(LAMP + 4, 0))
        title = QFont(self.font())
        title.setBold(self.active)
        title.setPixelSize(14)
        painter.setFont(title)
        words = self.stage.label
        left = self.lamp_rect.right() + 4
        end = left + painter.fontMetrics().horizontalAdvance(words) + 8
        if self.remarks:
            end = self._paint_remark_sign(painter, end, int(centre.y())) + 8
        if not self._last:
            painter.drawLine(QPointF(end, centre.y()), QPointF(self.width(), centre.y()))
        painter.setPen(QColor(theme.ink))
        painter.drawText(QRect(left, 0, self.width() - left, 2 * int(centre.y())), Qt.AlignmentFlag.AlignVCenter, words)
        painter.setPen(QPen(QColor(theme.accent if self.lit else theme.faint_ink), 1.5))
        painter.setBrush(QColor(theme.accent) if self.lit else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, LAMP, LAMP)
        small = QFont(self.font())
        small.setPixelSize(12)
        painter.setFont(small)
        painter.setPen(QColor(theme.ink if self.lit else theme.faint_ink))
        room = QRect(left, 34, self.width() - left - 6, 18)
        said = painter.fontMetrics().elidedText(self.summary, Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)
        if self.active:
            painter.fillRect(QRect(left, HEIGHT - 3, self.width() - left - 10, 3), QColor(theme.accent))
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.ink), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -2, -5))

    def _paint_remark_sign(self, painter: QPainter, left: int, middle: int) -> int:
        """A small box like that of the remark itself, on the control sheet; gives its right end."""
        theme = current_theme()
        painter.save()
        small = QFont(self.font())
        small.setPixelSize(11)
        painter.setFont(small)
        box = painter.fontMetrics().boundingRect(REMARK).adjusted(-5, -2, 5, 2)
        box.moveTo(left, middle - box.height() // 2)
        painter.setPen(QColor(theme.hairline))
        painter.setBrush(QColor(theme.field))
        painter.drawRoundedRect(QRectF(box).translated(0.5, 0.5), 2, 2)
        painter.setPen(QColor(theme.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, REMARK)
        painter.restore()
        return box.right()


class StageRail(QWidget):
    """All stages in processing order."""

    chosen = Signal(Stage)
    switched = Signal(Stage, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(HEIGHT)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(6, 0, 6, 0)
        layout.setSpacing(0)
        self.heads: dict[Stage, _StageHead] = {}
        for stage in Stage:
            head = _StageHead(stage, stage is Stage.DEVELOP, stage is Stage.PRINT)
            head.chosen.connect(self.chosen)
            head.switched.connect(self.switched)
            layout.addWidget(head)
            self.heads[stage] = head
