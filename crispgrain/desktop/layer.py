"""What the easel has of a picture: display tiles at several levels of reduction, some of them still missing."""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor, QImage

from crispgrain.core.cancel import CancelToken
from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import Array
from crispgrain.core.geometry import Rect, Size, tile_rect
from crispgrain.core.render.pipeline import near_first
from crispgrain.core.render.views import Approximate, View

DEEPEST = 5
MOST_STALE = 300  # tiles kept on show until their successors come


def to_image(pixels: Array) -> QImage:
    """Working-space pixels (H x W x 3) to an 8-bit sRGB image, as an exported sRGB file would have them."""
    return image_of(icc.from_working(pixels, icc.profile("srgb"), 8))


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
class TileRef:
    """A display tile: place on the tile grid, and level of reduction."""

    row: int
    column: int
    level: int


@dataclass
class Layer:
    """Display tiles of a view.

    Old tiles stay on show until their successors come, unless the size changed.
    A spot shows what is coming while the tile it lies in is computed.
    """

    view: View | None = None
    overview: QImage | None = None
    images: dict[TileRef, QImage] = field(default_factory=dict)
    stale: list[tuple[Rect, QImage]] = field(default_factory=list)
    spot: tuple[Rect, QImage] | None = None
    key: Hashable = None

    @property
    def size(self) -> Size:
        return self.view.size if self.view is not None else Size(1, 1)

    def set_view(self, view: View | None, overview: QImage | None = None) -> None:
        """Show another view; tiles of the same one are kept."""
        key = view.key if view is not None else None
        if key != self.key:
            before, self.view = self.view, view
            same_shot = view is not None and before is not None and view.source is before.source
            kept = same_shot and view is not None and before is not None and view.size == before.size
            if kept and before is not None:
                shown = [(tile_rect(r.row, r.column, before.tile, before.size), i) for r, i in self._by_level()]
                self.stale = [*self.stale, *shown][-MOST_STALE:]
            else:
                self.stale = []
            self.images, self.spot = {}, None
        self.key, self.view = key, view
        self.overview = overview

    def missing(self, visible: Rect, scale: float) -> list[TileRef]:
        """Tiles needed to fill a visible rectangle, nearest to its middle first."""
        if self.view is None:
            return []
        level = self._level(scale)
        centre = (visible.top + visible.height / 2, visible.left + visible.width / 2)
        refs = (TileRef(r, c, level) for r, c in near_first(visible, self.view.tile, centre))
        return [ref for ref in refs if ref not in self.images]

    def put(self, ref: TileRef, image: QImage) -> None:
        assert self.view is not None
        self.images[ref] = image
        new = tile_rect(ref.row, ref.column, self.view.tile, self.size)
        self.stale = [(rect, old) for rect, old in self.stale if rect.intersect(new) != rect]

    def colour_at(self, x: int, y: int) -> QColor | None:
        """The shown colour of a pixel of this layer, from the finest tile there is."""
        if self.view is None:
            return None
        tile = self.view.tile
        for level in range(DEEPEST + 1):
            ref = TileRef(y // tile, x // tile, level)
            image = self.images.get(ref)
            if image is not None:
                at = tile_rect(ref.row, ref.column, tile, self.size)
                column = min((x - at.left) * image.width() // at.width, image.width() - 1)
                row = min((y - at.top) * image.height() // at.height, image.height() - 1)
                return image.pixelColor(column, row)
        return None

    def parts(self, scale: float) -> Iterator[tuple[Rect, QImage]]:
        """What there is to paint at a scale, best last: rectangles in the result's pixels with their images."""
        if self.view is None:
            return
        yield from self.stale
        if self.spot is not None:
            yield self.spot
        for ref, image in self._by_level(self._level(scale)):
            yield tile_rect(ref.row, ref.column, self.view.tile, self.size), image

    def _by_level(self, best: int = 0) -> list[tuple[TileRef, QImage]]:
        """All tiles, those of the best level last: coarser or finer ones fill in until they are there."""
        return sorted(self.images.items(), key=lambda item: (item[0].level == best, -item[0].level))

    def _level(self, scale: float) -> int:
        """How often tiles are halved: an approximation is as small as it is shown already."""
        return 0 if isinstance(self.view, Approximate) else level_for(scale)


def render_tile(view: View, ref: TileRef, cancel: CancelToken) -> QImage:
    """Compute a display tile; called off the window's thread."""
    return image_of(view.display(ref.row, ref.column, ref.level, cancel))
