"""The easel: source and result of the current shot, under a movable divider or side by side."""

from __future__ import annotations

from enum import Enum

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from crispgrain.core.geometry import Rect

from .layer import Layer
from .theme import Surround, current_theme

ZOOMS = (0.0625, 0.125, 0.25, 1 / 3, 0.5, 2 / 3, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0)
GRIP = 7  # px either side of the divider in which it can be taken hold of
LEAST_PATCH = 24  # px of the result; a smaller drag is a slip of the hand


class Arrangement(Enum):
    """How source and result share the easel."""

    DIVIDER = "Divider"
    SIDE_BY_SIDE = "Side by side"
    RESULT = "Result only"


class Easel(QWidget):
    """Shows two layers with shared pan and zoom. Lengths are in pixels of the result."""

    view_changed = Signal()
    patch_chosen = Signal(object)  # Rect in the result

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.source, self.result = Layer(), Layer()
        self.arrangement = Arrangement.DIVIDER
        self.surround = Surround.MID_GREY
        self.divider = 0.5
        self.fitted = True
        self.flipped = False
        self.choosing_patch = False
        self.patch: Rect | None = None
        self._scale = 1.0
        self._centre = QPointF(0, 0)
        self._pressed: QPointF | None = None
        self._patch_start: QPointF | None = None
        self._on_divider = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMinimumSize(320, 240)
        self.setAccessibleName("Easel")

    # ---- geometry ----------------------------------------------------------
    @property
    def panes(self) -> list[QRect]:
        """The screen rectangle(s) in which the picture is laid out: one, or two side by side."""
        if self.arrangement is not Arrangement.SIDE_BY_SIDE:
            return [self.rect()]
        half = self.width() // 2
        return [QRect(0, 0, half - 1, self.height()), QRect(half + 1, 0, self.width() - half - 1, self.height())]

    @property
    def scale(self) -> float:
        """Screen pixels per pixel of the result."""
        if not self.fitted:
            return self._scale
        pane, size = self.panes[0], self.result.size
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

    @property
    def divider_x(self) -> int:
        return round(self.divider * self.width())

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

    def show_whole(self) -> None:
        """Forget the view of an earlier shot."""
        self.fitted, self.patch = True, None
        self._moved()

    def result_resized(self, before: QSize, after: QSize) -> None:
        """Keep looking at the same spot when Enlarge changes the size of the result."""
        if not self.fitted and before.width() > 1:
            self._centre = QPointF(
                self._centre.x() * after.width() / before.width(), self._centre.y() * after.height() / before.height()
            )
            self._keep_inside()

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

    def choose_patch(self, on: bool) -> None:
        """Let the next drag choose a patch instead of panning."""
        self.choosing_patch = on
        self.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)
        self.update()

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
        if self.choosing_patch and event.button() == Qt.MouseButton.LeftButton:
            self._patch_start = self.to_picture(event.position())
        else:
            self._on_divider = self._near_divider(event.position())
            if not self._on_divider:
                self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            if not self.choosing_patch:
                near = self._near_divider(event.position())
                self.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor)
            return
        if self._patch_start is not None:
            a, b = self._patch_start, self.to_picture(event.position())
            self.patch = Rect.between(
                int(min(a.y(), b.y())), int(min(a.x(), b.x())), int(max(a.y(), b.y())), int(max(a.x(), b.x()))
            ).intersect(self.result.size.rect)
            self.update()
        elif self._on_divider:
            self.divider = min(max(event.position().x() / max(self.width(), 1), 0.0), 1.0)
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
        chosen = self._patch_start is not None
        self._pressed, self._patch_start, self._on_divider = None, None, False
        self.setCursor(Qt.CursorShape.ArrowCursor)
        if chosen:
            self.choose_patch(False)
            if self.patch is not None and min(self.patch.width, self.patch.height) >= LEAST_PATCH:
                self.patch_chosen.emit(self.patch)
            else:
                self.patch = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.set_zoom(1.0 if self.fitted else None, event.position())

    def _near_divider(self, point: QPointF) -> bool:
        return self.arrangement is Arrangement.DIVIDER and abs(point.x() - self.divider_x) <= GRIP

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
        panes = self.panes
        if self.result.pipeline is None:
            return
        if self.arrangement is Arrangement.SIDE_BY_SIDE:
            self._paint_layer(painter, self.source, panes[0], panes[0])
            self._paint_layer(painter, self.source if self.flipped else self.result, panes[1], panes[1])
            painter.fillRect(QRect(panes[0].right() + 1, 0, 2, self.height()), QColor(current_theme().panel))
            self._caption(painter, panes[0], "source", left=True)
            self._caption(painter, panes[1], "source" if self.flipped else "result", left=False)
        elif self.flipped or self.arrangement is Arrangement.RESULT:
            layer = self.source if self.flipped else self.result
            self._paint_layer(painter, layer, panes[0], panes[0])
            self._caption(painter, panes[0], "source" if self.flipped else "result", left=self.flipped)
        else:
            pane, x = panes[0], self.divider_x
            self._paint_layer(painter, self.source, pane, QRect(0, 0, x, self.height()))
            self._paint_layer(painter, self.result, pane, QRect(x, 0, self.width() - x, self.height()))
            self._paint_divider(painter, x)
            self._caption(painter, QRect(0, 0, x, self.height()), "source", left=True)
            self._caption(painter, QRect(x, 0, self.width() - x, self.height()), "result", left=False)
        if self.patch is not None:
            self._paint_patch(painter, panes[-1])

    def _paint_layer(self, painter: QPainter, layer: Layer, pane: QRect, clip: QRect) -> None:
        if clip.width() <= 0 or layer.pipeline is None:
            return
        painter.save()
        painter.setClipRect(clip)
        origin, scale = self.origin(pane), self.scale
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
        for rect, image in layer.parts(scale):
            where = place(rect)
            if where.intersects(clip_f):
                painter.drawImage(where, image)
        painter.restore()

    def _paint_divider(self, painter: QPainter, x: int) -> None:
        theme = current_theme()
        painter.fillRect(QRect(x - 1, 0, 2, self.height()), QColor(theme.panel))
        grip = QRectF(x - 4, self.height() / 2 - 18, 8, 36)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.faint_ink), 1))
        painter.setBrush(QColor(theme.panel))
        painter.drawRoundedRect(grip, 3, 3)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    def _caption(self, painter: QPainter, area: QRect, words: str, left: bool) -> None:
        theme = current_theme()
        metrics = painter.fontMetrics()
        width, height = metrics.horizontalAdvance(words) + 14, metrics.height() + 4
        if area.width() < width + 8:
            return
        x = area.left() + 8 if left else area.right() - width - 8
        label = QRect(x, area.bottom() - height - 8, width, height)
        painter.fillRect(label, QColor(theme.panel))
        painter.setPen(QColor(theme.ink))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_patch(self, painter: QPainter, pane: QRect) -> None:
        assert self.patch is not None
        origin, scale, p = self.origin(pane), self.scale, self.patch
        where = QRectF(origin.x() + p.left * scale, origin.y() + p.top * scale, p.width * scale, p.height * scale)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor("#ffffff"), 3))
        painter.drawRect(where)
        painter.setPen(QPen(QColor(current_theme().accent), 1))
        painter.drawRect(where)

    def sizeHint(self) -> QSize:
        return QSize(800, 600)
