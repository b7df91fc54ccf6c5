"""Painting the easel: the two pictures, and what lies over them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QLineF, QPointF, QRect, QRectF, QSizeF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QRegion

from crispgrain.core.model import Shape
from crispgrain.core.render.views import Approximate, between
from crispgrain.desktop.base.theme import current_theme
from crispgrain.geometry import Rect
from crispgrain.session.comparing import Arrangement

from .guides import paint_guides
from .layer import Layer
from .marks import (
    LOUPE_SCALE,
    loupe_rect,
    paint_caption,
    paint_divider,
    paint_frame,
    paint_healed,
    paint_line,
    paint_navigator,
    paint_path,
)

if TYPE_CHECKING:
    from .easel import Easel

ROOM = 40  # px around a message


def paint_easel(painter: QPainter, easel: Easel) -> None:
    """All of it, once the easel has its size."""
    painter.fillRect(easel.rect(), QColor(easel.surround.value))
    if easel.result.view is None:
        painter.setPen(QColor(easel.surround.ink))
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        painter.drawText(easel.rect().adjusted(ROOM, ROOM, -ROOM, -ROOM), flags, easel.message)
        return
    remark = easel.unfinished or ("approximate" if isinstance(easel.result.view, Approximate) else "")
    said = f"{easel.captions[1]} ({remark})" if remark else easel.captions[1]
    shown = (easel.source, easel.captions[0]) if easel.flipped else (easel.result, said)
    _paint_pictures(painter, easel, shown, said)
    _paint_over(painter, easel)
    if easel.loupe and easel.hand.pointer is not None and easel.hand.pressed is None:
        _paint_loupe(painter, easel, shown[0], easel.hand.pointer)


def _paint_pictures(painter: QPainter, easel: Easel, shown: tuple[Layer, str], said: str) -> None:
    panes, arrangement, source = easel.panes, easel.comparing.arrangement, (easel.source, easel.captions[0])

    def part(which: tuple[Layer, str], pane: QRect, clip: QRect, left: bool) -> None:
        _paint_paper(painter, easel, pane, clip)
        paint_layer(painter, which[0], easel.result, easel.origin(pane), easel.scale, clip)
        paint_caption(painter, clip, which[1], left)

    if arrangement.apart:
        between_them = [(easel.outside, easel.captions[-1])] * (len(panes) - 2)
        for which, pane in zip([source, *between_them, shown], panes, strict=True):
            part(which, pane, pane, pane is not panes[-1])
        painter.setClipRegion(QRegion(easel.rect()) - sum(map(QRegion, panes[1:]), QRegion(panes[0])))
        painter.fillRect(easel.rect(), QColor(current_theme().panel))
        painter.setClipping(False)
    elif easel.flipped or arrangement is Arrangement.RESULT:
        part(shown, panes[0], panes[0], easel.flipped)
    else:
        across, at = arrangement is Arrangement.ACROSS, easel.divider_at
        width, height = easel.width(), easel.height()
        part(source, panes[0], QRect(0, 0, width, at) if across else QRect(0, 0, at, height), True)
        rest = QRect(0, at, width, height - at) if across else QRect(at, 0, width - at, height)
        part((easel.result, said), panes[0], rest, False)
        paint_divider(painter, easel.rect(), at, across)


def _paint_paper(painter: QPainter, easel: Easel, pane: QRect, clip: QRect) -> None:
    """The sheet under both pictures, where the chosen print leaves a border."""
    size, border, scale = easel.viewport.size, easel.viewport.border, easel.scale
    sheet = QSizeF(size.width + 2 * border.width, size.height + 2 * border.height) * scale
    corner = easel.origin(pane) - QPointF(border.width, border.height) * scale
    if border.width or border.height:
        painter.fillRect(QRectF(corner, sheet) & QRectF(clip), easel.result.paper)


def _paint_over(painter: QPainter, easel: Easel) -> None:
    """Patches, the line of a zone or a stroke, the navigator."""
    origin, scale, drawn = easel.origin(easel.panes[-1]), easel.scale, easel.hand.drawn_rect
    patches = [QRectF(p.left, p.top, p.width, p.height) for p in easel.patches]
    for patch in [*patches, *([drawn] if drawn is not None else [])]:
        paint_frame(painter, QRectF(origin + patch.topLeft() * scale, QSizeF(patch.size() * scale)))
    size = easel.result.size
    whole = QRectF(0, 0, size.width, size.height) if drawn is None else drawn
    painter.setClipRect(easel.panes[-1])
    paint_guides(painter, easel.guides, QRectF(origin + whole.topLeft() * scale, QSizeF(whole.size() * scale)))
    painter.setClipping(False)
    hand = easel.hand
    if hand.shape is Shape.PATH and hand.pointer is not None and easel.result.view is not None:
        path = hand.path or [easel.to_picture(hand.pointer)]
        paint_path(painter, [origin + p * scale for p in path], hand.width * scale, hand.away and bool(hand.path))
    for number, (way, radius) in enumerate(easel.result.healed, 1):
        there = QLineF(origin + way.p1() * scale, origin + way.p2() * scale)
        paint_healed(painter, there, radius * scale, number == len(easel.result.healed))
    line = easel.hand.drawn_line or easel.guide
    if line is not None:
        paint_line(painter, QLineF(origin + line.p1() * scale, origin + line.p2() * scale))
    navigator = easel.navigator
    if navigator is not None and easel.source.overview is not None:
        paint_navigator(painter, navigator, easel.source.overview, easel.result.size, easel.visible)


def _paint_loupe(painter: QPainter, easel: Easel, layer: Layer, pointer: QPointF) -> None:
    where, at = loupe_rect(easel.rect(), pointer), easel.to_picture(pointer)
    painter.fillRect(where, QColor(easel.surround.value))
    origin = QPointF(where.center()) + QPointF(0.5, 0.5) - at * LOUPE_SCALE
    whole = QPointF(round(origin.x()), round(origin.y()))
    paint_layer(painter, layer, easel.result, whole, LOUPE_SCALE, where)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(current_theme().panel), 2))
    painter.drawRect(where)


def paint_layer(painter: QPainter, layer: Layer, result: Layer, origin: QPointF, scale: float, clip: QRect) -> None:
    """A layer in the place of the result, whose corner is at ``origin`` and each of whose pixels is ``scale`` wide."""
    if clip.width() <= 0 or clip.height() <= 0 or layer.view is None or result.view is None:
        return
    # Both are turned and cut alike, so only their sizes differ.
    (across, _, right), (_, along, down), _ = between(layer.view, result.view).rows
    painter.save()
    painter.setClipRect(clip)
    # Enlarged pixels are shown as they are; reduced ones must be averaged.
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, across * scale < 1 - 1e-6)

    def place(rect: Rect) -> QRectF:
        left, top = origin.x() + (rect.left * across + right) * scale, origin.y() + (rect.top * along + down) * scale
        end, bottom = left + rect.width * across * scale, top + rect.height * along * scale
        # Neighbouring tiles meet on whole pixels, so that no seam shows.
        return QRectF(QPointF(round(left), round(top)), QPointF(round(end), round(bottom)))

    if layer.overview is not None:
        painter.drawImage(place(layer.size.rect), layer.overview)
    for rect, image in layer.shown(scale):
        where = place(rect)
        if where.intersects(QRectF(clip)):
            painter.drawImage(where, image)
    painter.restore()
