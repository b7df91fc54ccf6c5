"""Which part of the result is looked at, and how large: zoom and place, without a window."""

from __future__ import annotations

from psygnal import Signal

from crispgrain.geometry import Rect, Size

ZOOMS = (0.0625, 0.125, 0.25, 1 / 3, 0.5, 2 / 3, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0)
MOST = 8.0
NO_BORDER = Size(0, 0)
FRAME = 24  # screen px of air around a picture that is shown whole
Point = tuple[float, float]  # x to the right, y down


class Viewport:
    """Zoom and place of a result in panes of the screen; the place is kept when the result changes its size.

    Attributes
    ----------
    pane : Size
        Of the pane that a whole picture is fitted into, in screen pixels.
    size : Size
        Of the result.
    border : Size
        Of the paper around it, above and below, left and right: fitted in, too.
    fitted : bool
        Whether the whole picture is shown.
    centre : tuple of float
        The point of the result in the middle of every pane, in its pixels, when it is not shown whole.
    """

    changed = Signal()

    def __init__(self) -> None:
        self.pane = Size(600, 800)
        self.size, self.border = Size(1, 1), NO_BORDER
        self.fitted = True
        self.centre: Point = (0.0, 0.0)
        self._scale = 1.0
        self._placed = False  # whether the size is that of a picture

    def scale_of(self, size: Size) -> float:
        """Screen pixels per pixel of a result of that size."""
        if not self.fitted:
            return self._scale
        width, height = size.width + 2 * self.border.width, size.height + 2 * self.border.height
        return min((self.pane.width - FRAME) / width, (self.pane.height - FRAME) / height, MOST)

    @property
    def scale(self) -> float:
        """Screen pixels per pixel of the result."""
        return self.scale_of(self.size)

    def origin(self, pane: Size) -> Point:
        """Where the result's corner is in a pane, on whole screen pixels so that 100 % is exact."""
        x, y = self._middle
        return round(_middle(pane.width) - x * self.scale), round(_middle(pane.height) - y * self.scale)

    def to_picture(self, at: Point, pane: Size) -> Point:
        """The point of the result at a point of a pane."""
        left, top = self.origin(pane)
        return (at[0] - left) / self.scale, (at[1] - top) / self.scale

    def visible(self, pane: Size) -> Rect:
        """The part of the result that is in sight in a pane."""
        left, top = self.to_picture((0, 0), pane)
        bottom, right = int(top + pane.height / self.scale) + 2, int(left + pane.width / self.scale) + 2
        return Rect.between(int(top), int(left), bottom, right).intersect(self.size.rect)

    def place(self, size: Size, border: Size = NO_BORDER) -> None:
        """Show a result of that size, at the same place in shares of it, perhaps with paper around it."""
        if self._placed:
            x, y = self.centre
            self.centre = x * size.width / self.size.width, y * size.height / self.size.height
        self.size, self.border, self._placed = size, border, True

    def restore(self, scale: float | None, centre: Point) -> None:
        """Look at a place, in shares of a result that is yet to come, at a scale (None is the whole picture)."""
        self.size, self.centre, self._placed = Size(1, 1), centre, True
        self.fitted, self._scale = scale is None, scale or self._scale
        self.changed.emit()

    def resize(self, pane: Size) -> None:
        self.pane = pane
        self.changed.emit()

    def zoom(self, scale: float | None, about: Point | None = None, pane: Size | None = None) -> None:
        """Zoom to a scale (None is the whole picture), keeping still what is at a point of a pane."""
        pane = pane or self.pane
        if scale is not None:
            about = about if about is not None else (_middle(pane.width), _middle(pane.height))
            x, y = self.to_picture(about, pane)
            self._scale = scale
            self._centre_on(x - (about[0] - _middle(pane.width)) / scale, y - (about[1] - _middle(pane.height)) / scale)
        self.fitted = scale is None
        self.changed.emit()

    def zoom_by(self, steps: int, about: Point, pane: Size) -> None:
        """To the next larger scale of the list, or with ``steps`` below 0 the next smaller one."""
        if steps > 0:
            target = next((z for z in ZOOMS if z > self.scale * 1.01), ZOOMS[-1])
        else:
            target = next((z for z in reversed(ZOOMS) if z < self.scale * 0.99), ZOOMS[0])
        self.zoom(target, about, pane)

    def pan(self, right: float, down: float) -> None:
        """Move the picture under the panes by screen pixels."""
        x, y = self._middle
        scale = self.scale
        self.fitted, self._scale = False, scale
        self._centre_on(x - right / scale, y - down / scale)
        self.changed.emit()

    def look_at(self, x: float, y: float) -> None:
        """Bring a point of the result into the middle."""
        self._centre_on(x, y)
        self.changed.emit()

    @property
    def _middle(self) -> Point:
        return (self.size.width / 2, self.size.height / 2) if self.fitted else self.centre

    def _centre_on(self, x: float, y: float) -> None:
        self.centre = min(max(x, 0.0), self.size.width), min(max(y, 0.0), self.size.height)


def _middle(extent: int) -> float:
    """The middle of that many pixels as screens count it."""
    return (extent - 1) // 2 + 0.5
