"""What is known of a camera's noise: variance against signal, the points of its shots and the line through them."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from crispgrain.core.meter.sensor import SensorNoise
from crispgrain.desktop.base.theme import current_theme

MARGIN = 34  # px, left and below, for the words on the axes
ROOM = 2.5  # the plot ends at so much more than the line has at its end; what lies above is texture


class NoisePlot(QWidget):
    """Points (signal, variance) of many shots, and variance = a x signal + b."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sensor: SensorNoise | None = None
        self.setMinimumSize(self.sizeHint())

    def sizeHint(self) -> QSize:
        return QSize(420, 240)

    def show_sensor(self, sensor: SensorNoise) -> None:
        self.sensor = sensor
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        theme, painter = current_theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(MARGIN, 8, self.width() - MARGIN - 10, self.height() - MARGIN - 8)
        painter.setPen(QPen(QColor(theme.hairline), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        painter.drawLine(area.bottomLeft(), area.topLeft())
        painter.setPen(QColor(theme.faint_ink))
        below = QRectF(area.left(), area.bottom() + 6, area.width(), MARGIN - 6)
        painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, "signal, share of saturation")
        painter.save()
        painter.rotate(-90)
        painter.drawText(
            QRectF(-area.bottom(), 4, area.height(), MARGIN - 8), Qt.AlignmentFlag.AlignHCenter, "variance"
        )
        painter.restore()
        if self.sensor is None or not self.sensor.points:
            return
        signal, variance, _ = np.array(self.sensor.points).T
        widest = float(signal.max())
        highest = ROOM * (self.sensor.a * widest + self.sensor.b) or 1.0

        def place(x: float, y: float) -> QPointF:
            return QPointF(area.left() + x / widest * area.width(), area.bottom() - y / highest * area.height())

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.faint_ink))
        for x, y in zip(signal, variance, strict=True):
            if y < highest:
                painter.drawEllipse(place(x, y), 1.6, 1.6)
        painter.setPen(QPen(QColor(theme.ink), 1.6))
        painter.drawLine(place(0, self.sensor.b), place(widest, self.sensor.a * widest + self.sensor.b))


class NoiseDialog(QDialog):
    """The noise of one camera, an ISO at a time."""

    def __init__(self, camera: str, known: dict[int, SensorNoise], iso: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Noise of {camera}")
        self._known = known
        self.isos, self.plot, self.words = QComboBox(), NoisePlot(), QLabel()
        for each in sorted(known):
            self.isos.addItem(f"ISO {each}", each)
        self.isos.setCurrentIndex(max(self.isos.findData(min(known, key=lambda i: abs(i - iso))), 0))
        row = QHBoxLayout()
        row.addWidget(self.isos)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(10)
        layout.addLayout(row)
        layout.addWidget(self.plot, 1)
        self.words.setWordWrap(True)
        self.words.setProperty("role", "faint")
        layout.addWidget(self.words)
        self.isos.currentIndexChanged.connect(self._show)
        self._show()

    def _show(self) -> None:
        sensor = self._known[self.isos.currentData()]
        self.plot.show_sensor(sensor)
        self.words.setText(
            f"From {sensor.shots} shots: variance = {sensor.a:.3g} × signal + {sensor.b:.3g}. Points above the line "
            "are texture in a shot; the line follows the lowest. Every shot at this ISO is denoised by it."
        )
