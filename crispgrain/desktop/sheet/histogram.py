"""How often each tone occurs in what is in view: in the source and in the result."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from crispgrain.desktop.base.theme import current_theme

HEIGHT = 74
BINS = 64
THINNED = 2
CHANNELS = ("red", "green", "blue")
TOLD = 0.001  # share of the pixels from which clipping is worth a word
RESTING = 120  # ms after which a picture that moves no more is counted


def luma_counts(image: QImage) -> NDArray[np.float64]:
    """Shares of the tones of an image's opaque pixels, in 64 steps from black to white; zeros if there are none.

    Every other row and column is looked at.
    """
    rgba = image.convertToFormat(QImage.Format.Format_RGBA8888)
    rows = np.frombuffer(rgba.constBits(), np.uint8).reshape(rgba.height(), rgba.bytesPerLine())
    pixels = rows[:, : 4 * rgba.width()].reshape(rgba.height(), rgba.width(), 4)[::THINNED, ::THINNED]
    luma, opaque = cv2.cvtColor(pixels, cv2.COLOR_RGBA2GRAY), np.where(pixels[..., 3] > 0, np.uint8(1), np.uint8(0))
    counts = cv2.calcHist([luma], [0], opaque, [BINS], [0, 256]).ravel().astype(np.float64)
    return counts / max(counts.sum(), 1)


def lost_words(image: QImage) -> str:
    """Which channels of an image's opaque pixels are at their end, and in what share of them; empty if none is."""
    rgba = image.convertToFormat(QImage.Format.Format_RGBA8888)
    rows = np.frombuffer(rgba.constBits(), np.uint8).reshape(rgba.height(), rgba.bytesPerLine())
    pixels = rows[:, : 4 * rgba.width()].reshape(-1, 4) if rgba.width() else np.zeros((0, 4), np.uint8)
    opaque = pixels[pixels[:, 3] > 0][::THINNED]
    if not len(opaque):
        return ""
    light = (opaque[:, :3] == 255).mean(axis=0)
    named = [f"{name} {share:.1%}" for name, share in zip(CHANNELS, light, strict=True) if share >= TOLD]
    black = float((opaque[:, :3] == 0).all(axis=1).mean())
    named += [f"black {black:.1%}"] if black >= TOLD else []
    return f"Clipped in view: {', '.join(named)}".replace("%", " %") if named else ""


class Histogram(QWidget):
    """The source as a line over the result as a surface."""

    told = Signal(str)  # what of the result is clipped

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.source = self.result = np.zeros(BINS)
        self._pictures: Callable[[], tuple[QImage, QImage]] | None = None
        self._resting = QTimer(self)
        self._resting.setSingleShot(True)
        self._resting.setInterval(RESTING)
        self._resting.timeout.connect(self._count)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip("Tones of what is in view: the result filled, the source as a line")
        self.setAccessibleName("Histogram")

    def sizeHint(self) -> QSize:
        return QSize(200, HEIGHT)

    def follow(self, pictures: Callable[[], tuple[QImage, QImage]]) -> None:
        """Count the tones of source and result, as ``pictures`` gives them, once they have come to rest."""
        self._pictures = pictures
        self._resting.start()

    def _count(self) -> None:
        if self._pictures is not None:
            pictures = self._pictures()
            self.source, self.result = map(luma_counts, pictures)
            self.told.emit(lost_words(pictures[1]))
            self.update()

    def _curve(self, shares: NDArray[np.float64], top: float) -> QPolygonF:
        area = QRectF(self.rect()).adjusted(0.5, 4, -0.5, -0.5)
        # Square roots, so that small shares still show.
        heights = np.sqrt(shares / top) * area.height()
        step = area.width() / (BINS - 1)
        return QPolygonF([QPointF(area.left() + i * step, area.bottom() - float(h)) for i, h in enumerate(heights)])

    def paintEvent(self, event: QPaintEvent) -> None:
        theme = current_theme()
        painter = QPainter(self)
        painter.setPen(QPen(QColor(theme.hairline), 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        top = float(max(self.source.max(), self.result.max()))
        if top <= 0:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        filled = self._curve(self.result, top)
        filled.append(QPointF(self.width() - 0.5, self.height() - 0.5))
        filled.append(QPointF(0.5, self.height() - 0.5))
        painter.setPen(QColor(0, 0, 0, 0))
        painter.setBrush(QColor(theme.hairline))
        painter.drawPolygon(filled)
        painter.setPen(QPen(QColor(theme.ink), 1))
        painter.drawPolyline(self._curve(self.source, top))
