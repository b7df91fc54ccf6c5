"""Pages of pictures on a printer, at true size."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QRectF, QSizeF
from PySide6.QtGui import QColor, QColorSpace, QFont, QImage, QPageSize, QPainter
from PySide6.QtPrintSupport import QPrinter

from crispgrain.cancel import check
from crispgrain.core.colour import icc
from crispgrain.core.sheet.layout import Place
from crispgrain.core.sheet.make import NAME
from crispgrain.core.sheet.page import THIN, Page, Picture, cutting_lines


def set_paper(printer: QPrinter, width: float, height: float) -> None:
    """Pages of ``width`` x ``height`` mm, to their very edges: margins are part of what is painted."""
    printer.setPageSize(QPageSize(QSizeF(width, height), QPageSize.Unit.Millimeter))
    printer.setFullPage(True)


def paint_pages(printer: QPrinter, pages: Sequence[Page], pictures: Sequence[Picture]) -> None:
    """Paint pages, in whatever thread; the printer's driver takes the pictures from sRGB to its paper.

    Raises
    ------
    OSError
        If the printer cannot be painted on.
    Cancelled
        If the work is cancelled before it begins (:func:`crispgrain.cancel.check`). Later is too late: Qt's printers
        send what was painted, and have no way to drop it.
    """
    check()
    painter = QPainter()
    if not painter.begin(printer):
        raise OSError("the printer does not take any pages")
    try:
        dots = printer.resolution() / 25.4  # a mm
        for number, page in enumerate(pages):
            if number and not printer.newPage():
                raise OSError("the printer took no further page")
            for place in page.places:
                _paint(painter, place, pictures[place.index], dots)
                if page.marks:
                    for x1, y1, x2, y2 in cutting_lines(place):
                        line = QRectF(x1 * dots, y1 * dots, (x2 - x1) * dots, (y2 - y1) * dots).normalized()
                        painter.fillRect(line.adjusted(0, 0, THIN * dots, THIN * dots), QColor("black"))
    finally:
        painter.end()


def _paint(painter: QPainter, place: Place, picture: Picture, dots: float) -> None:
    area = QRectF(place.left * dots, place.top * dots, place.width * dots, place.height * dots)
    painter.save()
    if place.turned:  # a quarter, clockwise
        painter.translate(area.right(), area.top())
        painter.rotate(90)
        painter.drawImage(QRectF(0, 0, area.height(), area.width()), _image(picture))
    else:
        painter.drawImage(area, _image(picture))
    painter.restore()
    if picture.words:
        font = QFont(painter.font())
        font.setPointSizeF(7)
        painter.setFont(font)
        painter.drawText(QRectF(area.left(), area.bottom(), area.width(), NAME * dots), picture.words)


def _image(picture: Picture) -> QImage:
    """A picture as 8-bit sRGB, which Qt's printing knows."""
    pixels = np.atleast_3d(picture.pixels)
    shown = np.ascontiguousarray(icc.stored_to_srgb8(pixels, picture.profile))
    height, width = shown.shape[:2]
    image = QImage(shown.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
    image.setColorSpace(QColorSpace(QColorSpace.NamedColorSpace.SRgb))
    return image
