"""The easel: source and result of the current shot, under a movable divider or beside each other."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QLineF, QPoint, QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from crispgrain.desktop.base.theme import Surround
from crispgrain.geometry import Rect, Size
from crispgrain.session.comparing import Arrangement, Comparing
from crispgrain.session.viewport import NO_BORDER, Viewport

from .guides import Guides
from .hand import Hand
from .layer import Layer
from .marks import LOUPE, LOUPE_SCALE, navigator_rect
from .painting import paint_easel, paint_layer

BETWEEN = 2  # px, from picture to picture
KEY_PAN = 1 / 8  # of the width
PAN_KEYS = {Qt.Key.Key_Left: (1, 0), Qt.Key.Key_Right: (-1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}


class Easel(QWidget):
    """Shows two layers with shared pan and zoom, as a viewport and a way of comparing say."""

    view_changed = Signal()
    pointed = Signal(object)  # QPoint in the result, or None

    def __init__(self, viewport: Viewport, comparing: Comparing, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.viewport, self.comparing = viewport, comparing
        self.source, self.result, self.outside = Layer(), Layer(), Layer()
        self.hand = Hand(self)
        self.surround = Surround.MID_GREY
        self.flipped = False
        self.loupe = False
        self.patches: list[Rect] = []
        self.guide: QLineF | None = None  # of the zone whose settings are shown, in the result's pixels
        self.captions: tuple[str, ...] = ("source", "result")  # and that of the outside picture
        self.unfinished = ""  # what is said of a result parts of which are missing on screen
        self.guides = Guides.NONE
        self.message = ""  # what is said in place of a picture
        viewport.changed.connect(self._moved)
        comparing.changed.connect(self._arranged)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMinimumSize(320, 240)
        self.setAccessibleName("Easel")

    def sizeHint(self) -> QSize:
        return QSize(800, 600)

    # ---- geometry: screen points are the widget's, lengths those of the result -----------
    @property
    def panes(self) -> list[QRect]:
        """The screen rectangle(s) in which the picture is laid out: one, or several of one size beside each other."""
        count = self.comparing.apart
        if count == 1:
            return [self.rect()]
        stacked = self.comparing.arrangement is Arrangement.STACKED
        each = ((self.height() if stacked else self.width()) - BETWEEN * (count - 1)) // count
        starts = [n * (each + BETWEEN) for n in range(count)]
        if stacked:
            return [QRect(0, top, self.width(), each) for top in starts]
        return [QRect(left, 0, each, self.height()) for left in starts]

    @property
    def scale(self) -> float:
        """Screen pixels per pixel of the result."""
        return self.viewport.scale

    def origin(self, pane: QRect) -> QPointF:
        """Screen position of the picture's top left corner in a pane."""
        return QPointF(*self.viewport.origin(_size(pane))) + QPointF(pane.topLeft())

    def to_picture(self, point: QPointF) -> QPointF:
        return (point - self.origin(self._pane_at(point))) / self.scale

    def _pane_at(self, point: QPointF) -> QRect:
        return next((p for p in self.panes if p.contains(point.toPoint())), self.panes[0])

    @property
    def visible(self) -> Rect:
        """The part of the result that is on screen."""
        return self.viewport.visible(_size(self.panes[-1]))

    @property
    def divider_at(self) -> int:
        """Where the divider is: its column, or its row if it runs across."""
        across = self.comparing.arrangement is Arrangement.ACROSS
        return round(self.comparing.divider * (self.height() if across else self.width()))

    def show_moving(self, image: QImage | None) -> None:
        """Show what all of it would be like under a stroke that is being drawn, or no longer."""
        self.source.moving = self.result.moving = image
        self.update()

    def move_divider(self, at: QPointF) -> None:
        across = self.comparing.arrangement is Arrangement.ACROSS
        share = at.y() / max(self.height(), 1) if across else at.x() / max(self.width(), 1)
        self.comparing.divider = min(max(share, 0.0), 1.0)
        self.update()

    def looked_at(self, side: int) -> Rect:
        """A square of the result where one is looking: under the pointer, else in the middle of what is seen of it."""
        first, last = QPointF(self.panes[-1].topLeft()), QPointF(self.panes[-1].bottomRight())
        if self.comparing.arrangement is Arrangement.DIVIDER:
            first.setX(self.divider_at)
        elif self.comparing.arrangement is Arrangement.ACROSS:
            first.setY(self.divider_at)
        pointer = self.hand.pointer
        at, size = self.to_picture(pointer if pointer is not None else (first + last) / 2), self.result.size
        left = min(max(int(at.x()) - side // 2, 0), max(size.width - side, 0))
        top = min(max(int(at.y()) - side // 2, 0), max(size.height - side, 0))
        return Rect(top, left, side, side).intersect(size.rect)

    @property
    def loupe_view(self) -> Rect:
        """The part of the result under the loupe; empty without one."""
        if not self.loupe or self.hand.pointer is None or self.result.view is None:
            return Rect(0, 0, 0, 0)
        at, half = self.to_picture(self.hand.pointer), LOUPE / LOUPE_SCALE / 2
        return Rect.between(
            int(at.y() - half), int(at.x() - half), int(at.y() + half) + 1, int(at.x() + half) + 1
        ).intersect(self.result.size.rect)

    @property
    def navigator(self) -> QRectF | None:
        """Where the navigator is; None while the whole picture is in view."""
        whole = self.visible == self.result.size.rect
        if self.result.view is None or self.viewport.fitted or whole or self.source.overview is None:
            return None
        return navigator_rect(self.panes[-1], self.result.size)

    def both_in_view(self) -> tuple[QImage, QImage]:
        """What source and result show in the last pane, transparent where the picture ends."""
        pane, images = self.panes[-1], []
        for layer in (self.source, self.result):
            image = QImage(pane.size(), QImage.Format.Format_RGBA8888)
            image.fill(Qt.GlobalColor.transparent)
            painter = QPainter(image)
            painter.translate(-pane.topLeft())
            paint_layer(painter, layer, self.result, self.origin(pane), self.scale, pane)
            painter.end()
            images.append(image)
        return images[0], images[1]

    # ---- what is shown -----------------------------------------------------------------
    def set_zoom(self, scale: float | None, about: QPointF | None = None) -> None:
        """Zoom to a scale (None is fit) keeping the picture still under a screen point."""
        if about is None:
            self.viewport.zoom(scale)
            return
        pane = self._pane_at(about)
        at = about - QPointF(pane.topLeft())
        self.viewport.zoom(scale, (at.x(), at.y()), _size(pane))

    def keep_place(self, size: Size | None, border: Size = NO_BORDER) -> None:
        """Go on looking at the same part of the picture when another shot or Enlarge changes the result's size."""
        if size is not None:
            self.viewport.place(size, border)

    def set_surround(self, surround: Surround) -> None:
        self.surround = surround
        self.update()

    def set_flipped(self, flipped: bool) -> None:
        """Show the source alone while a key is held."""
        if flipped != self.flipped:
            self.flipped = flipped
            self.update()

    def set_loupe(self, on: bool) -> None:
        """Show what is under the pointer at 400 %."""
        self.loupe = on
        self._moved()

    def show_guide(self, line: QLineF | None) -> None:
        """Draw a line over the result, from where a zone is whole to where it ends; None takes it away."""
        self.guide = line
        self.update()

    def show_message(self, words: str) -> None:
        """Say something where the picture would be, as long as there is none."""
        self.message = words
        self.update()

    def _arranged(self) -> None:
        self.viewport.resize(_size(self.panes[0]))

    def _moved(self) -> None:
        self.update()
        self.view_changed.emit()

    # ---- events --------------------------------------------------------------------------
    def paintEvent(self, event: QPaintEvent) -> None:
        paint_easel(QPainter(self), self)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._arranged()

    def wheelEvent(self, event: QWheelEvent) -> None:
        pane = self._pane_at(event.position())
        at = event.position() - QPointF(pane.topLeft())
        if steps := event.angleDelta().y():
            self.viewport.zoom_by(steps, (at.x(), at.y()), _size(pane))
            event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.hand.press(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.hand.move(event.position(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        if self.result.view is None:
            return
        place, size = self.to_picture(event.position()), self.result.size
        inside = 0 <= place.x() < size.width and 0 <= place.y() < size.height
        self.pointed.emit(QPoint(int(place.x()), int(place.y())) if inside else None)
        if self.loupe:
            self._moved()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.hand.release()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.set_zoom(1.0 if self.viewport.fitted else None, event.position())

    def leaveEvent(self, event: QEvent) -> None:
        self.hand.pointer = None
        self.pointed.emit(None)
        if self.loupe:
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        pan = PAN_KEYS.get(Qt.Key(event.key()))
        if pan is None or self.viewport.fitted:
            super().keyPressEvent(event)
            return
        step = self.width() * KEY_PAN
        self.viewport.pan(pan[0] * step, pan[1] * step)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.set_flipped(False)
        super().focusOutEvent(event)


def _size(rect: QRect) -> Size:
    return Size(rect.height(), rect.width())
