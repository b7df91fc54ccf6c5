"""What the pointer does on the easel: pan, move the divider, draw what was asked for."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent

from crispgrain.core.model import Shape
from crispgrain.session.comparing import Arrangement

if TYPE_CHECKING:
    from .easel import Easel

GRIP = 7  # px either side of the divider in which it can be taken hold of
LEAST = {
    Shape.RECTANGLE: 24.0,
    Shape.LINE: 4.0,
    Shape.PATH: 0.0,
}  # px; less is a slip of the hand
Held = Callable[[float, float], float | None]  # width to height that a rectangle of these sides is to have
Points = tuple[tuple[float, float], ...]  # x and y in px of the result


class Hand:
    """Where the pointer is, and what it has taken hold of."""

    def __init__(self, easel: Easel) -> None:
        self._easel = easel
        self.pointer: QPointF | None = None
        self.pressed: QPointF | None = None
        self.drawn: QLineF | None = None  # from where a stroke began to the pointer, in the result
        self.path: list[QPointF] = []  # of a stroke that is drawn freely, in the result
        self.width = 0.0  # px of the result that a path is wide
        self.away = False  # whether a stroke takes away: drawn with the Alt key, or the right button
        self.shape: Shape | None = None  # what the next stroke is asked for, if for anything but panning
        self._then: Callable[[Points], None] | None = None
        self._while_drawn: Callable[[Points], None] | None = None
        self._held: Held = lambda width, height: None
        self._on_divider = self._in_navigator = False

    def ask(
        self, shape: Shape, then: Callable[[Points], None], held: Held = lambda width, height: None, width: float = 0.0,
        while_drawn: Callable[[Points], None] | None = None,
    ) -> None:  # fmt: skip
        """Let the next stroke draw something instead of panning; a rectangle may be held to a ratio.

        ``while_drawn`` hears of both ends of a line at each move.
        """
        self.shape, self._then, self._held, self.width, self._while_drawn = shape, then, held, width, while_drawn
        self._easel.setCursor(Qt.CursorShape.CrossCursor)

    def call_off(self) -> None:
        """Forget what was asked for; the next stroke pans again."""
        self.shape = self._then = self.drawn = self._while_drawn = None
        self.path = []
        self._easel.setCursor(Qt.CursorShape.ArrowCursor)
        self._easel.show_moving(None)

    @property
    def drawn_rect(self) -> QRectF | None:
        """The rectangle being drawn, within the result."""
        if self.drawn is None or self.shape is not Shape.RECTANGLE:
            return None
        size, start = self._easel.result.size, self.drawn.p1()
        whole = QRectF(0, 0, size.width, size.height)
        end = QPointF(
            min(max(self.drawn.x2(), whole.left()), whole.right()),
            min(max(self.drawn.y2(), whole.top()), whole.bottom()),
        )
        right, down = end.x() - start.x(), end.y() - start.y()
        wanted = self._held(abs(right), abs(down)) if right and down else None
        if wanted is not None:  # from where it began, within what was drawn
            width = min(abs(right), abs(down) * wanted)
            end = start + QPointF(math.copysign(width, right), math.copysign(width / wanted, down))
        return QRectF(start, end).normalized() & whole

    @property
    def drawn_line(self) -> QLineF | None:
        return self.drawn if self.shape is Shape.LINE else None

    def press(self, event: QMouseEvent) -> None:
        easel, at = self._easel, event.position()
        if event.button() == Qt.MouseButton.RightButton and self.shape is not Shape.PATH:
            return
        self.pressed = at
        navigator = easel.navigator
        if navigator is not None and navigator.contains(at):
            self._in_navigator = True
            self._look_at(at, navigator)
        elif self.shape is not None and (event.button() == Qt.MouseButton.LeftButton or self.shape is Shape.PATH):
            start = easel.to_picture(at)
            self.drawn, self.path = QLineF(start, start), [start]
            alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            self.away = alt or event.button() == Qt.MouseButton.RightButton
        else:
            self._on_divider = self._near_divider(at)
            if not self._on_divider:
                easel.setCursor(Qt.CursorShape.ClosedHandCursor)

    def move(self, at: QPointF, straight: bool = False) -> None:
        """The pointer is elsewhere; ``straight`` makes what is drawn freely a line."""
        easel = self._easel
        self.pointer = at
        if self._in_navigator and (navigator := easel.navigator) is not None:
            self._look_at(at, navigator)
        elif self.pressed is None:
            if self.shape is None:
                self._show_divider_cursor(at)
            elif self.shape is Shape.PATH:
                easel.update()
        elif self.drawn is not None:
            there = easel.to_picture(at)
            self.drawn.setP2(there)
            self.path = [self.drawn.p1(), there] if straight else [*self.path, there]
            if self._while_drawn is not None:
                self._while_drawn(((self.drawn.x1(), self.drawn.y1()), (there.x(), there.y())))
            easel.update()
        elif self._on_divider:
            easel.move_divider(at)
        else:
            step, self.pressed = at - self.pressed, at
            easel.viewport.pan(step.x(), step.y())

    def release(self) -> None:
        drawn, rect, shape, then, path = self.drawn, self.drawn_rect, self.shape, self._then, self.path
        self.path = []
        self.pressed, self.drawn, self._on_divider, self._in_navigator = None, None, False, False
        self._easel.setCursor(Qt.CursorShape.ArrowCursor)
        if drawn is None or shape is None or then is None:
            return
        self.shape = self._then = None
        self._easel.update()
        if shape is Shape.PATH:
            then(tuple((p.x(), p.y()) for p in path))
        elif rect is not None and min(rect.width(), rect.height()) >= LEAST[shape]:
            left, top, right, bottom = rect.left(), rect.top(), rect.right(), rect.bottom()
            then(((left, top), (right, top), (right, bottom), (left, bottom)))
        elif rect is None and drawn.length() >= LEAST[shape]:
            then(((drawn.x1(), drawn.y1()), (drawn.x2(), drawn.y2())))
        else:
            self._easel.show_moving(None)

    def _look_at(self, point: QPointF, navigator: QRectF) -> None:
        size = self._easel.result.size
        across, down = (point.x() - navigator.left()) / navigator.width(), (point.y() - navigator.top())
        self._easel.viewport.look_at(across * size.width, down / navigator.height() * size.height)

    def _near_divider(self, point: QPointF) -> bool:
        comparing = self._easel.comparing
        along = point.y() if comparing.arrangement is Arrangement.ACROSS else point.x()
        return comparing.arrangement.divided and abs(along - self._easel.divider_at) <= GRIP

    def _show_divider_cursor(self, point: QPointF) -> None:
        across = self._easel.comparing.arrangement is Arrangement.ACROSS
        split = Qt.CursorShape.SplitVCursor if across else Qt.CursorShape.SplitHCursor
        self._easel.setCursor(split if self._near_divider(point) else Qt.CursorShape.ArrowCursor)
