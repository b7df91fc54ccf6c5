"""What is drawn over the pictures on the easel: divider, captions, patches, navigator, loupe frame."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRect, QRectF, QSizeF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from crispgrain.desktop.base.theme import current_theme
from crispgrain.geometry import Rect, Size

MARGIN = 8  # px from the edge of a pane
NAVIGATOR = QSizeF(150, 112)
LOUPE = 216  # px; edge of the loupe
LOUPE_SCALE = 4.0
FROM_POINTER = 24  # px between pointer and loupe


def paint_divider(painter: QPainter, area: QRect, at: int, across: bool) -> None:
    """The movable line between source and result with its grip; ``across`` is a horizontal one."""
    theme = current_theme()
    if across:
        painter.fillRect(QRect(0, at - 1, area.width(), 2), QColor(theme.panel))
        grip = QRectF(area.width() / 2 - 18, at - 4, 36, 8)
    else:
        painter.fillRect(QRect(at - 1, 0, 2, area.height()), QColor(theme.panel))
        grip = QRectF(at - 4, area.height() / 2 - 18, 8, 36)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(theme.faint_ink), 1))
    painter.setBrush(QColor(theme.panel))
    painter.drawRoundedRect(grip, 3, 3)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


LEAST_WORDS = 4  # letters; what is cut shorter says nothing


def paint_caption(painter: QPainter, area: QRect, words: str, left: bool) -> None:
    """A word or two in a lower corner of a pane, if there is room."""
    theme = current_theme()
    metrics = painter.fontMetrics()
    words = metrics.elidedText(words, Qt.TextElideMode.ElideRight, area.width() - 14 - 2 * MARGIN)
    width, height = metrics.horizontalAdvance(words) + 14, metrics.height() + 4
    if area.width() < width + MARGIN or area.height() < height + 2 * MARGIN or len(words) < LEAST_WORDS:
        return
    x = area.left() + MARGIN if left else area.right() - width - MARGIN
    label = QRect(x, area.bottom() - height - MARGIN, width, height)
    painter.fillRect(label, QColor(theme.panel))
    painter.setPen(QColor(theme.ink))
    painter.drawText(label, Qt.AlignmentFlag.AlignCenter, words)


def paint_frame(painter: QPainter, where: QRectF) -> None:
    """A thin frame that shows on any picture."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor("#ffffff"), 3))
    painter.drawRect(where)
    painter.setPen(QPen(QColor(current_theme().accent), 1))
    painter.drawRect(where)


def paint_line(painter: QPainter, line: QLineF) -> None:
    """A line with small bars at its ends that shows on any picture."""
    end = line.normalVector().unitVector()
    across = QPointF(end.dx(), end.dy()) * 5
    parts = [line, *(QLineF(p - across, p + across) for p in (line.p1(), line.p2()))]
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for colour, width in (("#ffffff", 4), (current_theme().accent, 2)):
        painter.setPen(QPen(QColor(colour), width))
        painter.drawLines(parts)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_path(painter: QPainter, points: list[QPointF], width: float, away: bool) -> None:
    """A stroke as wide as it is, or the outline of the brush where there is none yet."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if len(points) == 1:
        for ring, line in (("#ffffff", 3), ("#202020", 1)):
            painter.setPen(QPen(QColor(ring), line))
            painter.drawEllipse(points[0], max(width / 2, 2), max(width / 2, 2))
    else:
        colour = QColor("#ffffff" if away else current_theme().accent)
        colour.setAlpha(130)
        cap, join = Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin
        painter.setPen(QPen(colour, max(width, 2), Qt.PenStyle.SolidLine, cap, join))
        painter.drawPolyline(QPolygonF(points))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_healed(painter: QPainter, way: QLineF, radius: float, linked: bool) -> None:
    """A ring around a spot that is healed; with a line to where its patch is from, and a ring there, if ``linked``."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    rim = radius / max(way.length(), 1e-6)
    between = QLineF(way.pointAt(rim), way.pointAt(1 - rim))
    for colour, width in (("#ffffff", 3), ("#202020", 1)):
        painter.setPen(QPen(QColor(colour), width))
        painter.drawEllipse(way.p1(), max(radius, 2), max(radius, 2))
        if linked:
            painter.drawLine(between)
            painter.drawEllipse(way.p2(), max(radius, 2), max(radius, 2))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def navigator_rect(area: QRect, size: Size) -> QRectF:
    """Where the small whole picture lies: in the upper right corner."""
    shown = QSizeF(size.width, size.height).scaled(NAVIGATOR, Qt.AspectRatioMode.KeepAspectRatio)
    return QRectF(QPointF(area.right() - MARGIN - shown.width(), area.top() + MARGIN), shown)


def paint_navigator(painter: QPainter, where: QRectF, overview: QImage, size: Size, visible: Rect) -> None:
    """The whole picture, small, with a frame round what is in view."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.setPen(QPen(QColor(current_theme().panel), 2))
    painter.drawRect(where)
    painter.drawImage(where, overview)
    fx, fy = where.width() / size.width, where.height() / size.height
    seen = QRectF(
        where.left() + visible.left * fx, where.top() + visible.top * fy, visible.width * fx, visible.height * fy
    )
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    paint_frame(painter, seen)
    painter.restore()


def loupe_rect(area: QRect, pointer: QPointF) -> QRect:
    """Where the loupe lies: beside the pointer, on the side where there is room."""
    right = pointer.x() + FROM_POINTER + LOUPE <= area.width()
    below = pointer.y() + FROM_POINTER + LOUPE <= area.height()
    x = pointer.x() + FROM_POINTER if right else pointer.x() - FROM_POINTER - LOUPE
    y = pointer.y() + FROM_POINTER if below else pointer.y() - FROM_POINTER - LOUPE
    return QRect(round(x), round(y), LOUPE, LOUPE)
