"""Lines over the picture that help to place a crop."""

from __future__ import annotations

from enum import Enum

from PySide6.QtCore import QLineF, QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen


class Guides(Enum):
    """Which lines there are."""

    NONE = "No guides"
    THIRDS = "Thirds"
    DIAGONALS = "Diagonals"
    CENTRE = "Centre"

    def lines(self, area: QRectF) -> list[QLineF]:
        """Where they lie over an area."""
        if self is Guides.DIAGONALS:
            return [
                QLineF(area.topLeft(), area.bottomRight()), QLineF(area.topRight(), area.bottomLeft())
            ]  # fmt: skip
        shares = {Guides.THIRDS: (1 / 3, 2 / 3), Guides.CENTRE: (0.5,)}.get(self, ())
        upright = [QPointF(area.left() + share * area.width(), area.top()) for share in shares]
        level = [QPointF(area.left(), area.top() + share * area.height()) for share in shares]
        return [
            *(QLineF(p, QPointF(p.x(), area.bottom())) for p in upright),
            *(QLineF(p, QPointF(area.right(), p.y())) for p in level),
        ]


def paint_guides(painter: QPainter, guides: Guides, area: QRectF) -> None:
    """Fine light lines with a dark edge: seen on any picture, without a colour of their own."""
    for colour, width in ((QColor(0, 0, 0, 90), 3), (QColor(255, 255, 255, 200), 1)):
        painter.setPen(QPen(colour, width))
        painter.drawLines(guides.lines(area))
