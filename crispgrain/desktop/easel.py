"""The easel: source and result of the current shot, under a movable divider or beside each other."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum

from PySide6.QtCore import QEvent, QLineF, QPoint, QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from crispgrain.core.render.views import Approximate
from crispgrain.geometry import Rect, Size

from .easel_marks import (
    LOUPE,
    LOUPE_SCALE,
    loupe_rect,
    navigator_rect,
    paint_caption,
    paint_divider,
    paint_frame,
    paint_line,
    paint_navigator,
)
from .layer import Layer
from .theme import Surround, current_theme

ZOOMS = (0.0625, 0.125, 0.25, 1 / 3, 0.5, 2 / 3, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0)
GRIP = 7  # px either side of the divider in which it can be taken hold of
LEAST_PATCH = 24  # px of the result; a smaller drag is a slip of the hand
LEAST_LINE = 2.0  # px of the result


class Arrangement(Enum):
    """How source and result share the easel."""

    DIVIDER = "Divider"
    ACROSS = "Divider across"
    SIDE_BY_SIDE = "Side by side"
    STACKED = "One above the other"
    RESULT = "Result only"


DIVIDED = (Arrangement.DIVIDER, Arrangement.ACROSS)
APART = (Arrangement.SIDE_BY_SIDE, Arrangement.STACKED)


class Easel(QWidget):
    """Shows two layers with shared pan and zoom. Lengths are in pixels of the result."""

    view_changed = Signal()
    pointed = Signal(object)  # QPoint in the result, or None

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.source, self.result = Layer(), Layer()
        self.arrangement = Arrangement.DIVIDER
        self.surround = Surround.MID_GREY
        self.divider = 0.5
        self.fitted = True
        self.flipped = False
        self.patches: list[Rect] = []
        self.guide: QLineF | None = None  # of the zone whose settings are shown, in the result's pixels
        self.captions = ("source", "result")
        self.loupe = False
        self._scale = 1.0
        self._centre = QPointF(0, 0)
        self._centred_in: Size | None = None  # the size of the result that the centre is in
        self.message = ""  # what is said in place of a picture
        self._pressed: QPointF | None = None
        # What the next drag is asked for, if for anything but panning: a patch or a line.
        self._patch_asked: Callable[[Rect], None] | None = None
        self._line_asked: Callable[[QLineF], None] | None = None
        self._drag: QLineF | None = None  # from its start to the pointer, in the result
        self._on_divider = self._in_navigator = False
        self._pointer: QPointF | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMinimumSize(320, 240)
        self.setAccessibleName("Easel")

    # ---- geometry ----------------------------------------------------------
    @property
    def panes(self) -> list[QRect]:
        """The screen rectangle(s) in which the picture is laid out: one, or two beside each other."""
        if self.arrangement not in APART:
            return [self.rect()]
        if self.arrangement is Arrangement.SIDE_BY_SIDE:
            half = self.width() // 2
            return [QRect(0, 0, half - 1, self.height()), QRect(half + 1, 0, self.width() - half - 1, self.height())]
        half = self.height() // 2
        return [QRect(0, 0, self.width(), half - 1), QRect(0, half + 1, self.width(), self.height() - half - 1)]

    @property
    def scale(self) -> float:
        """Screen pixels per pixel of the result."""
        return self.scale_of(self.result.size)

    def scale_of(self, size: Size) -> float:
        """Screen pixels per pixel of a result of that size."""
        if not self.fitted:
            return self._scale
        pane = self.panes[0]
        return min((pane.width() - 24) / size.width, (pane.height() - 24) / size.height, 8.0)

    def origin(self, pane: QRect) -> QPointF:
        """Screen position of the picture's top left corner, on whole pixels so that 100 % is exact."""
        size, scale = self.result.size, self.scale
        centre = QPointF(size.width / 2, size.height / 2) if self.fitted else self._centre
        return QPointF(
            round(pane.center().x() + 0.5 - centre.x() * scale), round(pane.center().y() + 0.5 - centre.y() * scale)
        )

    def to_picture(self, point: QPointF) -> QPointF:
        pane = next((p for p in self.panes if p.contains(point.toPoint())), self.panes[0])
        return (point - self.origin(pane)) / self.scale

    @property
    def visible(self) -> Rect:
        """The part of the result that is on screen."""
        pane = self.panes[-1]
        origin, scale, size = self.origin(pane), self.scale, self.result.size
        left, top = ((pane.left() - origin.x()) / scale, (pane.top() - origin.y()) / scale)
        return Rect.between(
            int(top), int(left), int(top + pane.height() / scale) + 2, int(left + pane.width() / scale) + 2
        ).intersect(size.rect)

    def looked_at(self, side: int) -> Rect:
        """A square of the result where one is looking: under the pointer, else in the middle of what is seen of it."""
        first, last = QPointF(self.panes[-1].topLeft()), QPointF(self.panes[-1].bottomRight())
        if self.arrangement is Arrangement.DIVIDER:
            first.setX(self.divider_at)
        elif self.arrangement is Arrangement.ACROSS:
            first.setY(self.divider_at)
        seen = self._pointer if self._pointer is not None else (first + last) / 2
        at, size = self.to_picture(seen), self.result.size
        left = min(max(int(at.x()) - side // 2, 0), max(size.width - side, 0))
        top = min(max(int(at.y()) - side // 2, 0), max(size.height - side, 0))
        return Rect(top, left, side, side).intersect(size.rect)

    @property
    def divider_at(self) -> int:
        """Where the divider is: its column, or its row if it runs across."""
        across = self.arrangement is Arrangement.ACROSS
        return round(self.divider * (self.height() if across else self.width()))

    @property
    def loupe_view(self) -> Rect:
        """The part of the result under the loupe; empty without one."""
        if not self.loupe or self._pointer is None or self.result.view is None:
            return Rect(0, 0, 0, 0)
        at, half = self.to_picture(self._pointer), LOUPE / LOUPE_SCALE / 2
        return Rect.between(
            int(at.y() - half), int(at.x() - half), int(at.y() + half) + 1, int(at.x() + half) + 1
        ).intersect(self.result.size.rect)

    @property
    def navigator(self) -> QRectF | None:
        """Where the navigator is; None while the whole picture is in view."""
        whole = self.visible == self.result.size.rect
        if self.result.view is None or self.fitted or whole or self.source.overview is None:
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
            self._paint_layer(painter, layer, self.origin(pane), self.scale, pane)
            painter.end()
            images.append(image)
        return images[0], images[1]

    # ---- what the window asks for -------------------------------------------
    def set_zoom(self, scale: float | None, about: QPointF | None = None) -> None:
        """Zoom to a scale (None is fit) keeping the picture still under a screen point."""
        if scale is None:
            self.fitted = True
        else:
            about = QPointF(self.panes[0].center()) if about is None else about
            still = self.to_picture(about)
            pane = next((p for p in self.panes if p.contains(about.toPoint())), self.panes[0])
            self.fitted, self._scale = False, scale
            self._centre = still - (about - QPointF(pane.center()) - QPointF(0.5, 0.5)) / scale
            self._keep_inside()
        self._moved()

    def keep_place(self, size: Size | None) -> None:
        """Go on looking at the same part of the picture when another shot or Enlarge changes the result's size."""
        before = self._centred_in
        if size is None or size == before:
            return
        self._centred_in = size
        if before is not None:
            self._centre = QPointF(
                self._centre.x() * size.width / before.width, self._centre.y() * size.height / before.height
            )

    def set_arrangement(self, arrangement: Arrangement) -> None:
        self.arrangement = arrangement
        self._moved()

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

    def ask_patch(self, then: Callable[[Rect], None]) -> None:
        """Let the next drag choose a patch of the result instead of panning."""
        self._patch_asked, self._line_asked = then, None
        self.setCursor(Qt.CursorShape.CrossCursor)

    def ask_line(self, then: Callable[[QLineF], None]) -> None:
        """Let the next drag draw a line on the result instead of panning."""
        self._patch_asked, self._line_asked = None, then
        self.setCursor(Qt.CursorShape.CrossCursor)

    def call_off(self) -> None:
        """Forget the drag that was asked for; the next one pans again."""
        self._patch_asked = self._line_asked = self._drag = None
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.update()

    @property
    def asked(self) -> bool:
        """Whether the next drag is for something else than panning."""
        return self._patch_asked is not None or self._line_asked is not None

    @property
    def _dragged_patch(self) -> Rect | None:
        """The patch being dragged."""
        if self._drag is None or self._patch_asked is None:
            return None
        a, b = self._drag.p1(), self._drag.p2()
        drawn = Rect.between(
            int(min(a.y(), b.y())), int(min(a.x(), b.x())), int(max(a.y(), b.y())), int(max(a.x(), b.x()))
        )
        return drawn.intersect(self.result.size.rect)

    def _keep_inside(self) -> None:
        size = self.result.size
        self._centre = QPointF(min(max(self._centre.x(), 0), size.width), min(max(self._centre.y(), 0), size.height))

    def _moved(self) -> None:
        self.update()
        self.view_changed.emit()

    # ---- hand and wheel ------------------------------------------------------
    def resizeEvent(self, event: QResizeEvent) -> None:
        self._moved()

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y()
        if not steps:
            return
        scale = self.scale
        if steps > 0:
            target = next((z for z in ZOOMS if z > scale * 1.01), ZOOMS[-1])
        else:
            target = next((z for z in reversed(ZOOMS) if z < scale * 0.99), ZOOMS[0])
        self.set_zoom(target, event.position())
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() not in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            return
        self._pressed = event.position()
        navigator = self.navigator
        if navigator is not None and navigator.contains(event.position()):
            self._in_navigator = True
            self._look_at(event.position(), navigator)
        elif self.asked and event.button() == Qt.MouseButton.LeftButton:
            start = self.to_picture(event.position())
            self._drag = QLineF(start, start)
        else:
            self._on_divider = self._near_divider(event.position())
            if not self._on_divider:
                self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def _look_at(self, point: QPointF, navigator: QRectF) -> None:
        share = QPointF(
            (point.x() - navigator.left()) / navigator.width(), (point.y() - navigator.top()) / navigator.height()
        )
        self._centre = QPointF(share.x() * self.result.size.width, share.y() * self.result.size.height)
        self._keep_inside()
        self._moved()

    def leaveEvent(self, event: QEvent) -> None:
        self._pointer = None
        self.pointed.emit(None)
        if self.loupe:
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point(event.position())
        if self._in_navigator and (navigator := self.navigator) is not None:
            self._look_at(event.position(), navigator)
            return
        if self._pressed is None:
            if not self.asked:
                self._show_divider_cursor(event.position())
            return
        if self._drag is not None:
            self._drag.setP2(self.to_picture(event.position()))
            self.update()
        elif self._on_divider:
            across = self.arrangement is Arrangement.ACROSS
            at, span = (event.position().y(), self.height()) if across else (event.position().x(), self.width())
            self.divider = min(max(at / max(span, 1), 0.0), 1.0)
            self.update()
        else:
            if self.fitted:
                self._scale, self.fitted = self.scale, False
                self._centre = QPointF(self.result.size.width / 2, self.result.size.height / 2)
            self._centre -= (event.position() - self._pressed) / self.scale
            self._pressed = event.position()
            self._keep_inside()
            self._moved()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, patch = self._drag, self._dragged_patch
        self._pressed, self._drag, self._on_divider, self._in_navigator = None, None, False, False
        self.setCursor(Qt.CursorShape.ArrowCursor)
        if drag is None:
            return
        with_patch, with_line = self._patch_asked, self._line_asked
        self._patch_asked = self._line_asked = None
        self.update()
        if with_patch is not None and patch is not None and min(patch.width, patch.height) >= LEAST_PATCH:
            with_patch(patch)
        if with_line is not None and drag.length() >= LEAST_LINE:
            with_line(drag)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.set_zoom(1.0 if self.fitted else None, event.position())

    def _near_divider(self, point: QPointF) -> bool:
        along = point.y() if self.arrangement is Arrangement.ACROSS else point.x()
        return self.arrangement in DIVIDED and abs(along - self.divider_at) <= GRIP

    def _show_divider_cursor(self, point: QPointF) -> None:
        across = self.arrangement is Arrangement.ACROSS
        split = Qt.CursorShape.SplitVCursor if across else Qt.CursorShape.SplitHCursor
        self.setCursor(split if self._near_divider(point) else Qt.CursorShape.ArrowCursor)

    def _point(self, at: QPointF) -> None:
        """Follow the pointer with readout and loupe."""
        self._pointer = at
        if self.result.view is None:
            return
        place = self.to_picture(at)
        x, y, size = int(place.x()), int(place.y()), self.result.size
        inside = 0 <= place.x() < size.width and 0 <= place.y() < size.height
        self.pointed.emit(QPoint(x, y) if inside else None)
        if self.loupe:
            self._moved()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        pan = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)
        }.get(Qt.Key(event.key()))  # fmt: skip
        if pan is None or self.fitted:
            super().keyPressEvent(event)
            return
        self._centre += QPointF(*pan) * (self.width() / 8 / self.scale)
        self._keep_inside()
        self._moved()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.set_flipped(False)
        super().focusOutEvent(event)

    # ---- painting -------------------------------------------------------------
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.surround.value))
        if self.result.view is None:
            self._paint_message(painter)
            return
        panes = self.panes
        said = self.captions[1] + (" (approximate)" if isinstance(self.result.view, Approximate) else "")
        shown = (self.source, self.captions[0]) if self.flipped else (self.result, said)
        if self.arrangement in APART:
            self._paint_part(painter, self.source, panes[0], panes[0], self.captions[0], left=True)
            self._paint_part(painter, shown[0], panes[1], panes[1], shown[1], left=False)
            self._paint_gap(painter, panes[0])
        elif self.flipped or self.arrangement is Arrangement.RESULT:
            self._paint_part(painter, shown[0], panes[0], panes[0], shown[1], left=self.flipped)
        else:
            across, at = self.arrangement is Arrangement.ACROSS, self.divider_at
            width, height = self.width(), self.height()
            first = QRect(0, 0, width, at) if across else QRect(0, 0, at, height)
            second = QRect(0, at, width, height - at) if across else QRect(at, 0, width - at, height)
            self._paint_part(painter, self.source, panes[0], first, self.captions[0], left=True)
            self._paint_part(painter, self.result, panes[0], second, said, left=False)
            paint_divider(painter, self.rect(), at, across)
        dragged, origin, scale = self._dragged_patch, self.origin(panes[-1]), self.scale
        for patch in [*self.patches, *([dragged] if dragged is not None else [])]:
            where = QRectF(patch.left, patch.top, patch.width, patch.height)
            paint_frame(painter, QRectF(origin + where.topLeft() * scale, where.size() * scale))
        drawing = self._drag if self._drag is not None and self._line_asked is not None else self.guide
        if drawing is not None:
            paint_line(painter, QLineF(origin + drawing.p1() * scale, origin + drawing.p2() * scale))
        navigator = self.navigator
        if navigator is not None and self.source.overview is not None:
            paint_navigator(painter, navigator, self.source.overview, self.result.size, self.visible)
        if self.loupe and self._pointer is not None and self._pressed is None:
            self._paint_loupe(painter, shown[0])

    def _paint_message(self, painter: QPainter) -> None:
        painter.setPen(QColor(self.surround.ink))
        room = self.rect().adjusted(40, 40, -40, -40)
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.message)

    def show_guide(self, line: QLineF | None) -> None:
        """Draw a line over the result, from where a zone is whole to where it ends; None takes it away."""
        self.guide = line
        self.update()

    def show_message(self, words: str) -> None:
        """Say something where the picture would be, as long as there is none."""
        self.message = words
        self.update()

    def _paint_part(
        self, painter: QPainter, layer: Layer, pane: QRect, clip: QRect, caption: str, left: bool
    ) -> None:  # fmt: skip
        self._paint_layer(painter, layer, self.origin(pane), self.scale, clip)
        paint_caption(painter, clip, caption, left)

    def _paint_gap(self, painter: QPainter, first: QRect) -> None:
        if self.arrangement is Arrangement.STACKED:
            gap = QRect(0, first.bottom() + 1, self.width(), 2)
        else:
            gap = QRect(first.right() + 1, 0, 2, self.height())
        painter.fillRect(gap, QColor(current_theme().panel))

    def _paint_loupe(self, painter: QPainter, layer: Layer) -> None:
        assert self._pointer is not None
        where, at = loupe_rect(self.rect(), self._pointer), self.to_picture(self._pointer)
        painter.fillRect(where, QColor(self.surround.value))
        origin = QPointF(where.center()) + QPointF(0.5, 0.5) - at * LOUPE_SCALE
        self._paint_layer(painter, layer, QPointF(round(origin.x()), round(origin.y())), LOUPE_SCALE, where)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(current_theme().panel), 2))
        painter.drawRect(where)

    def _paint_layer(self, painter: QPainter, layer: Layer, origin: QPointF, scale: float, clip: QRect) -> None:
        if clip.width() <= 0 or clip.height() <= 0 or layer.view is None:
            return
        painter.save()
        painter.setClipRect(clip)
        stretch = self.result.size.width / layer.size.width * scale
        stretch_y = self.result.size.height / layer.size.height * scale
        # Enlarged pixels are shown as they are; reduced ones must be averaged.
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, stretch < 1)

        def place(rect: Rect) -> QRectF:
            left, top = origin.x() + rect.left * stretch, origin.y() + rect.top * stretch_y
            right, bottom = origin.x() + rect.right * stretch, origin.y() + rect.bottom * stretch_y
            # Neighbouring tiles meet on whole pixels, so that no seam shows.
            return QRectF(QPointF(round(left), round(top)), QPointF(round(right), round(bottom)))

        if layer.overview is not None:
            painter.drawImage(place(layer.size.rect), layer.overview)
        clip_f = QRectF(clip)
        for rect, image in layer.shown(scale):
            where = place(rect)
            if where.intersects(clip_f):
                painter.drawImage(where, image)
        painter.restore()

    def sizeHint(self) -> QSize:
        return QSize(800, 600)
