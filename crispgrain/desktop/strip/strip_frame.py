"""One picture of a test strip, with its label; all frames of a strip share one way of looking."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QEnterEvent,
    QFont,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QApplication, QMenu, QWidget

from crispgrain.desktop.base.theme import current_theme
from crispgrain.desktop.easel.figures import detail_words
from crispgrain.session.candidates import Candidate

SURROUND = "#777777"  # as the easel's
LINE = 18  # px; of a label under the picture
ZOOMS = (1.0, 2.0, 3.0, 4.0, 6.0, 8.0)


@dataclass
class SharedLook:
    """Zoom and place that all frames of a strip share: zoom 0 is as large as fits, ``shift`` is in picture pixels."""

    zoom: float = 0.0
    shift: QPointF = field(default_factory=QPointF)


class Frame(QWidget):
    """A candidate's picture of one patch. Click it to adopt it, drag or wheel to look elsewhere in all frames."""

    adopted = Signal(object)  # Candidate
    kept = Signal(object)  # Candidate
    look_changed = Signal()

    def __init__(self, candidate: Candidate, size: QSize, look: SharedLook, lines: int) -> None:
        super().__init__()
        self.candidate, self.look, self.lines = candidate, look, lines  # of the label: none, name, name and figures
        self.hidden_name = False
        self.image: QImage | None = None
        self.seconds = 0.0
        self.psnr: float | None = None
        self.rung: tuple[float, float] | None = None  # of a ladder: shares of halo and of structure taken away
        self.problem = ""
        self._pressed: QPointF | None = None
        self._dragged = False
        self.setFixedSize(size.width(), size.height() + lines * LINE + 4)
        self._size = size
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._name()

    def hide_name(self, hidden: bool) -> None:
        """Keep the candidate's name, time and error to itself, for a blind choice."""
        self.hidden_name = hidden
        self._name()
        self.update()

    def _name(self) -> None:
        name = "a candidate" if self.hidden_name else self.candidate.label
        self.setToolTip("\n".join([f"Click to adopt: {name}", *self.explained]))
        self.setAccessibleName(name)

    @property
    def scale(self) -> float:
        """Screen pixels per picture pixel."""
        if self.look.zoom or self.image is None:
            return self.look.zoom or 1.0
        fits = min(self._size.width() // self.image.width(), self._size.height() // self.image.height())
        return float(max(1, fits))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._dragged = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        moved = event.position() - self._pressed
        if self._dragged or moved.manhattanLength() >= QApplication.startDragDistance():
            self._dragged = True
            self.look.shift -= moved / self.scale
            self._pressed = event.position()
            self.look_changed.emit()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        clicked = self._pressed is not None and not self._dragged
        self._pressed = None
        if clicked and self.rect().contains(event.position().toPoint()):
            self.adopted.emit(self.candidate)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if self.hidden_name:
            return
        menu = QMenu(self)
        menu.addAction("Adopt").triggered.connect(lambda: self.adopted.emit(self.candidate))
        menu.addAction("Keep as a take").triggered.connect(lambda: self.kept.emit(self.candidate))
        menu.popup(event.globalPos())

    def wheelEvent(self, event: QWheelEvent) -> None:
        up, scale = event.angleDelta().y() > 0, self.scale
        steps = [z for z in ZOOMS if (z > scale if up else z < scale)]
        if steps:
            self.look.zoom = steps[0] if up else steps[-1]
            self.look_changed.emit()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.adopted.emit(self.candidate)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        theme = current_theme()
        painter = QPainter(self)
        area = QRect(0, 0, self._size.width(), self._size.height())
        painter.fillRect(area, QColor(SURROUND))
        if self.image is not None:
            scale = self.scale
            middle = QPointF(self.image.width() / 2, self.image.height() / 2) + self.look.shift
            corner = QPointF(area.width() / 2, area.height() / 2) - middle * scale
            QRectF(round(corner.x()), round(corner.y()), self.image.width() * scale, self.image.height() * scale)
            painter.setClipRect(area)
            painter.drawImage(QRectF(corner, QSizeF(self.image.size()) * scale), self.image)
            painter.setClipping(False)
        else:
            painter.setPen(QColor("#f2f2f2"))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, self.problem or "rendering …")
        self._paint_label(painter)
        if self.hasFocus() or self.underMouse():
            painter.setPen(QPen(QColor(theme.accent), 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))

    @property
    def figures(self) -> str:
        """Time and, where the truth is known, PSNR."""
        if self.image is None or self.hidden_name:
            return ""
        error = f"{self.psnr:.1f} dB, " if self.psnr is not None else ""
        return f"{error}{self.seconds:.1f} s"

    @property
    def rung_words(self) -> tuple[str, ...]:
        """Of a ladder: the share of pixels with a halo, and that of the detail that was taken away or added."""
        if self.rung is None:
            return ()
        halo, taken = self.rung
        return f"halo {halo:.1%}", detail_words(taken)

    @property
    def explained(self) -> list[str]:
        """The figures once more, in words for who does not know them."""
        if not self.figures:
            return []
        words = [f"Rendered in {self.seconds:.1f} s"]
        if self.psnr is not None:
            words.append(f"PSNR {self.psnr:.1f} dB: how near it is to the scene without noise and blur; more is nearer")
        if self.rung is not None:
            halo, taken = self.rung
            words.append(f"Halo: {halo:.1%} of the pixels are brighter or darker than all around them was before")
            words.append(f"{abs(taken):.0%} of the detail is {'taken away' if taken > 0 else 'added'}")
        return words

    def _paint_label(self, painter: QPainter) -> None:
        theme = current_theme()
        name = "?" if self.hidden_name else self.candidate.label
        said = [name, self.figures.partition(",")[0] if self.rung else self.figures, *self.rung_words]
        for line, words in enumerate(said[: self.lines]):
            room = QRect(1, self._size.height() + 3 + line * LINE, self._size.width() - 2, LINE)
            painter.setPen(QColor(theme.faint_ink if line else theme.ink))
            if line and self.lines > 2:  # the rungs of a ladder are narrow
                small = QFont(self.font())
                small.setPixelSize(11)
                painter.setFont(small)
            fitting = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room.width())
            painter.drawText(room, Qt.AlignmentFlag.AlignLeft, fitting)

    def enterEvent(self, event: QEnterEvent) -> None:
        self.update()

    def leaveEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.update()
