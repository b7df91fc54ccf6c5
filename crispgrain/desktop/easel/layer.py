"""What the easel has of a picture: parts of it at several levels of reduction, some of them still missing."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF
from PySide6.QtGui import QColor, QImage

from crispgrain.arrays import Array
from crispgrain.cancel import CancelToken
from crispgrain.core.colour import icc
from crispgrain.core.render.pieces import pieces, uncovered
from crispgrain.core.render.reach import near_first
from crispgrain.core.render.views import Approximate, Result, View
from crispgrain.desktop.base.monitor import on_monitor
from crispgrain.geometry import Rect, Size, tile_rect

DEEPEST = 5
MOST_PARTS = 400  # kept at hand
MOST_STALE = 300  # parts kept on show until their successors come


def to_image(pixels: Array) -> QImage:
    """Working-space pixels (H x W x 3) to an 8-bit sRGB image, as an exported sRGB file would have them."""
    return image_of(icc.from_working(pixels, icc.profile("srgb"), 8))


def screen_image(stored: NDArray[np.uint8]) -> QImage:
    """8-bit sRGB values (H x W x 3) as an image for the monitor there is."""
    return image_of(on_monitor(stored))


def image_of(stored: NDArray[np.uint8]) -> QImage:
    """8-bit RGB values (H x W x 3) as an image that owns its memory."""
    height, width = stored.shape[:2]
    stored = np.ascontiguousarray(stored)
    return QImage(stored.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def level_for(scale: float) -> int:
    """How often tiles are halved for a display scale (screen pixels per picture pixel)."""
    level = 0
    while level < DEEPEST and scale <= 0.5 ** (level + 1):
        level += 1
    return level


@dataclass(frozen=True)
class Part:
    """A part of a view to be shown: a rectangle in its pixels, and how often they are halved.

    ``place`` is its row and column on the tile grid, for a view that is computed in tiles.
    """

    rect: Rect
    level: int
    place: tuple[int, int] | None = None


@dataclass
class Layer:
    """What there is of a view.

    Old parts stay on show until their successors come, unless the size changed.
    A spot shows what is coming while the part it lies in is computed.
    """

    view: View | None = None
    overview: QImage | None = None
    images: dict[Part, QImage] = field(default_factory=dict)
    stale: list[tuple[Rect, QImage]] = field(default_factory=list)
    spot: tuple[Rect, QImage] | None = None
    moving: QImage | None = None  # what all of it would be like, while that is drawn
    key: Hashable = None
    healed: list[tuple[QLineF, float]] = field(default_factory=list)  # from each spot to its patch, and its radius, px
    paper: QColor = field(default_factory=lambda: QColor(255, 255, 255))  # around it, where the chosen print has some

    @property
    def size(self) -> Size:
        return self.view.size if self.view is not None else Size(1, 1)

    def set_view(self, view: View | None, overview: QImage | None = None) -> None:
        """Show another view; parts of the same one are kept."""
        key = view.key if view is not None else None
        if key != self.key:
            before, self.view = self.view, view
            same_shot = view is not None and before is not None and view.source is before.source
            kept = same_shot and view is not None and before is not None and view.size == before.size
            if kept and before is not None:
                shown = [(part.rect, image) for part, image in self._by_level()]
                self.stale = [*self.stale, *shown][-MOST_STALE:]
            else:
                self.stale = []
            if self.moving is not None and view is not None:
                self.stale = [(view.size.rect, self.moving)]
            self.moving = None
            self.images, self.spot = {}, None
        self.key, self.view = key, view
        self.overview = overview

    def missing(self, visible: Rect, scale: float, under_way: Collection[Part] = ()) -> list[Part]:
        """Parts needed to fill a visible rectangle beside those under way, nearest to its middle first."""
        return [p for p in parts_over(self.view, visible, scale, {*self.images, *under_way}) if p not in self.images]

    def put(self, part: Part, image: QImage) -> None:
        self.images[part] = image
        self.stale = [(rect, old) for rect, old in self.stale if rect.intersect(part.rect) != rect]
        while len(self.images) > MOST_PARTS:
            del self.images[next(iter(self.images))]

    def colour_at(self, x: int, y: int) -> QColor | None:
        """The shown colour of a pixel of this layer, from the finest part there is."""
        for part, image in sorted(self.images.items(), key=lambda item: item[0].level):
            at, here = part.rect, Rect(y, x, 1, 1)
            if here.intersect(at) == here:
                column = min((x - at.left) * image.width() // at.width, image.width() - 1)
                row = min((y - at.top) * image.height() // at.height, image.height() - 1)
                return image.pixelColor(column, row)
        return None

    def shown(self, scale: float) -> Iterator[tuple[Rect, QImage]]:
        """What there is to paint at a scale, best last: rectangles in the result's pixels with their images."""
        if self.view is None:
            return
        yield from self.stale
        if self.spot is not None:
            yield self.spot
        for part, image in self._by_level(_level(self.view, scale)):
            yield part.rect, image
        if self.moving is not None:
            yield self.size.rect, self.moving

    def _by_level(self, best: int = 0) -> list[tuple[Part, QImage]]:
        """All parts, those of the best level last: coarser or finer ones fill in until they are there."""
        return sorted(self.images.items(), key=lambda item: (item[0].level == best, -item[0].level))


def parts_over(view: View | None, visible: Rect, scale: float, there: Collection[Part] = ()) -> list[Part]:
    """Parts that fill a visible rectangle of a view, nearest to its middle first.

    Of a view that can be computed in pieces, just those beside what is ``there``; of others, all tiles.
    """
    if view is None:
        return []
    level = _level(view, scale)
    if isinstance(view, Result) and view.in_pieces:
        covers = [part.rect for part in there if part.level == level]
        return [Part(p, level) for bare in uncovered(visible, covers) for p in pieces(bare, view.size, level)]
    centre = (visible.top + visible.height / 2, visible.left + visible.width / 2)
    places = near_first(visible, view.tile, centre)
    return [Part(tile_rect(*place, view.tile, view.size), level, place) for place in places]


def _level(view: View, scale: float) -> int:
    """How often parts are halved: an approximation is as small as it is shown already."""
    return 0 if isinstance(view, Approximate) else level_for(scale)


def render_part(view: View, part: Part, cancel: CancelToken) -> QImage:
    """Compute a part; called off the window's thread."""
    if part.place is None:
        assert isinstance(view, Result)
        return screen_image(view.patch(part.rect, part.level, cancel))
    return screen_image(view.display(*part.place, part.level, cancel))
