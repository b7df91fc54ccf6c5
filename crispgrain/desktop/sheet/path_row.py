"""The blur path of a shaken shot as a small picture, which can be corrected with the pointer."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout, QWidget

from crispgrain.arrays import Array
from crispgrain.core.model import Parameter, Value
from crispgrain.desktop.base.theme import current_theme
from crispgrain.restoration.point_spread import as_text, from_text

SIDE = 150  # screen px
STROKE = 0.6  # of the peak, that a touch adds


class PathPicture(QWidget):
    """A kernel, bright on dark, enlarged. The left button adds to it, the right one takes away."""

    corrected = Signal(object)  # the new kernel

    def __init__(self) -> None:
        super().__init__()
        self.kernel: Array | None = None
        self._touched = False
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName("Blur path")

    def sizeHint(self) -> QSize:
        return QSize(SIDE, SIDE)

    def show_kernel(self, kernel: Array | None) -> None:
        self.kernel = kernel
        self.setEnabled(kernel is not None)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        theme = current_theme()
        painter.fillRect(self.rect(), QColor("#161616"))
        if self.kernel is None:
            painter.setPen(QColor("#b8b8b8"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "finding it \u2026")
            return
        levels = np.ascontiguousarray(22 + 233 * (self.kernel / self.kernel.max()) ** 0.7).astype(np.uint8)
        edge = len(levels)
        image = QImage(levels.tobytes(), edge, edge, edge, QImage.Format.Format_Grayscale8)
        painter.drawImage(QRectF(self.rect()), image)
        painter.setPen(QColor(theme.faint_ink))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._touch(event.position(), event.buttons())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._touch(event.position(), event.buttons())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._touched and self.kernel is not None:
            self._touched = False
            self.corrected.emit(self.kernel / self.kernel.sum())

    def _touch(self, at: QPointF, buttons: Qt.MouseButton) -> None:
        if self.kernel is None or buttons == Qt.MouseButton.NoButton:
            return
        edge = len(self.kernel)
        row, column = int(at.y() / self.height() * edge), int(at.x() / self.width() * edge)
        if not (0 <= row < edge and 0 <= column < edge):
            return
        kernel, peak = self.kernel.copy(), self.kernel.max()
        adds = bool(buttons & Qt.MouseButton.LeftButton)
        kernel[row, column] = max(kernel[row, column], STROKE * peak) if adds else 0
        if kernel.any():  # the last of the light stays
            self.kernel, self._touched = kernel, True
            self.update()


class PathRow(QWidget):
    """The path's picture with its name and where it comes from."""

    changed = Signal(str, object)

    def __init__(self, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        self.picture = PathPicture()
        self.origin = QLabel()
        self.origin.setProperty("role", "faint")
        self.origin.setWordWrap(True)
        self.setToolTip(f"{parameter.help} Left button: add. Right button: take away.")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.addWidget(QLabel(parameter.name))
        layout.addWidget(self.picture)
        layout.addWidget(self.origin)
        self.picture.corrected.connect(lambda kernel: self.changed.emit(parameter.id, as_text(kernel)))

    def show_value(self, value: Value, metered: Value, following: bool) -> None:
        text = str(value)
        self.origin.setText("Kept with this shot." if text else "Found in the picture; draw on it to correct it.")
        self.picture.show_kernel(from_text(text) if text else None)

    def show_found(self, kernel: Array) -> None:
        """Show the path that was found, where none is set by hand."""
        self.picture.show_kernel(kernel)
