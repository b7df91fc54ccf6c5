"""What the easel has of a picture: display tiles at several levels of reduction, some of them still missing."""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import Array
from crispgrain.core.geometry import Rect, Size, tile_rect
from crispgrain.core.render.pipeline import CancelToken, Pipeline, near_first

DEEPEST = 5


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
    """Display tiles of a pipeline's result.

    Old tiles stay on show until their successors come, unless the size changed.
    """

    pipeline: Pipeline | None = None
    overview: QImage | None = None
    images: dict[TileRef, QImage] = field(default_factory=dict)
    stale: dict[TileRef, QImage] = field(default_factory=dict)
    key: Hashable = None

    @property
    def size(self) -> Size:
        return self.pipeline.size if self.pipeline is not None else Size(1, 1)

    def set_pipeline(self, pipeline: Pipeline | None, overview: QImage | None = None) -> None:
        """Show another pipeline; tiles of the same result are kept."""
        key = pipeline.steps[-1].key if pipeline is not None else None
        if key != self.key:
            same_size = pipeline is not None and self.pipeline is not None and pipeline.size == self.size
            same_shot = same_size and pipeline.source is self.pipeline.source  # type: ignore[union-attr]
            self.stale = {**self.stale, **self.images} if same_shot else {}
            self.images = {}
        self.key, self.pipeline = key, pipeline
        self.overview = overview

    def missing(self, visible: Rect, scale: float) -> list[TileRef]:
        """Tiles needed to fill a visible rectangle, nearest to its middle first."""
        if self.pipeline is None:
            return []
        level = level_for(scale)
        centre = (visible.top + visible.height / 2, visible.left + visible.width / 2)
        refs = (TileRef(r, c, level) for r, c in near_first(visible, self.pipeline.tile, centre))
        return [ref for ref in refs if ref not in self.images]

    def put(self, ref: TileRef, image: QImage) -> None:
        self.images[ref] = image
        self.stale.pop(ref, None)

    def parts(self, scale: float) -> Iterator[tuple[Rect, QImage]]:
        """What there is to paint at a scale, best last: rectangles in the result's pixels with their images."""
        if self.pipeline is None:
            return
        level = level_for(scale)
        for store in (self.stale, self.images):
            # Coarser or finer tiles fill in until the right level is there.
            for ref in sorted(store, key=lambda r: (r.level == level, -r.level)):
                yield tile_rect(ref.row, ref.column, self.pipeline.tile, self.size), store[ref]


def render_tile(pipeline: Pipeline, ref: TileRef, cancel: CancelToken) -> QImage:
    """Compute a display tile; called off the window's thread."""
    pixels = pipeline.tile_pixels(ref.row, ref.column, len(pipeline.steps), cancel)
    if ref.level:
        height, width = (max(1, -(-n // 2**ref.level)) for n in pixels.shape[:2])
        pixels = cv2.resize(pixels, (width, height), interpolation=cv2.INTER_AREA)
    return to_image(pixels)
