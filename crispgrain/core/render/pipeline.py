"""A shot's stages chained over tiles: ask for a rectangle, get its pixels."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass

import numpy as np

from ..cancel import NEVER, CancelToken, cancelled_by
from ..colour.spaces import Array
from ..files.source import RawSource, Source
from ..geometry import Rect, Size, tile_rect, tiles_over
from ..meter.reading import Reading
from ..model import Domain, Knowledge, Model, Stage, Values
from ..stages.enlarge.size import target_size
from ..treatment import Resolved
from .approximate import reduce_shot, reduce_treatment
from .cache import TileCache

TILE = 768  # px; of a network's work on 512 px half would be margin
ALIGN = 32  # tiles and their margins start on this grid: whole sensor cells and whole bands of blocks

WRAPPING = (Stage.DENOISE, Stage.SHARPEN)  # stages that look beyond the side edges of a panorama
PIXEL_STAGES = (Stage.DEVELOP, Stage.DENOISE, Stage.SHARPEN, Stage.ENLARGE, Stage.FINISH)


@dataclass(frozen=True)
class Step:
    """One model at work in a chain."""

    stage: Stage
    model: Model
    values: Values
    key: Hashable  # everything the pixels depend on up to here
    before: Size
    after: Size


class Pipeline:
    """The chain of a shot's stages, computed tile by tile on demand.

    The result does not depend on the tile size: each tile is computed with the
    margin its models ask for, and tiles start on a common grid.

    Parameters
    ----------
    source, reading, resolved
        The shot, what the meter found, and its treatment with nothing left metered.
    cache : TileCache
        Shared by pipelines; tiles are found again as long as nothing they
        depend on has changed, so a change to Sharpen leaves Denoise alone.
    tile : int
        Edge of a tile in pixels, a multiple of 32; more if a model asks for it, and
        just what the models ask for if one of them needs the same tiles everywhere.
    """

    def __init__(
        self, source: Source, reading: Reading, resolved: Resolved, cache: TileCache | None = None, tile: int = TILE
    ) -> None:
        if tile % ALIGN:
            raise ValueError(f"the tile size must be a multiple of {ALIGN}")
        self.source = source
        self.reading = reading
        self.resolved = resolved
        self.cache = cache if cache is not None else TileCache()
        self.steps = self._chain()
        self.fixed = any(s.model.same_tiles for s in self.steps)  # to one grid of tiles, whatever is asked for
        self.tile = max(0 if self.fixed else tile, *(s.model.tile(s.values) for s in self.steps))

    def _chain(self) -> list[Step]:
        on = [self.resolved[s] for s in PIXEL_STAGES if self.resolved[s].on or s is Stage.DEVELOP]
        if isinstance(self.source, RawSource):
            # Models that work on the mosaic go before Develop, which demosaics.
            on.sort(key=lambda r: r.model.domain is not Domain.MOSAIC)
        steps: list[Step] = []
        size = self.source.size
        key: Hashable = self.source.serial
        for r in on:
            after = target_size(size, r.values) if r.stage is Stage.ENLARGE else size
            # Develop does not look at the reading, so its tiles outlast a new one.
            reading = None if r.stage is Stage.DEVELOP else self.reading
            key = (key, r.stage, r.model.id, tuple(sorted(r.values.items())), reading)
            steps.append(Step(r.stage, r.model, r.values, key, size, after))
            size = after
        return steps

    @property
    def size(self) -> Size:
        """Size of the result."""
        return self.steps[-1].after

    def reduced(self, factor: int) -> Pipeline:
        """An approximation of the result, a whole factor smaller, from a reduced shot.

        That is reduced no more than it is still shown with a pixel for each of the result's, if Enlarge is on.
        """
        full, result = self.source.size, self.size
        own = max(1, int(factor * full.width / result.width + 1e-6))
        small = self.cache.get(
            (self.source.serial, "reduced", own, self.reading), lambda: reduce_shot(self.source, self.reading, own)
        )
        enlarge = -(-result.width // factor) / small.source.size.width
        whole = Knowledge(self.reading, self.source, full.rect, full, full.rect, full)
        treatment = reduce_treatment(self.resolved, whole, own, enlarge)
        pipeline = Pipeline(small.source, small.reading, treatment, self.cache, self.tile)
        pipeline.tile = self.tile  # whatever the models left out would have asked for
        return pipeline

    def region(self, rect: Rect, depth: int | None = None, cancel: CancelToken = NEVER) -> Array:
        """Pixels of a rectangle of the result, or of the first ``depth`` steps.

        Raises
        ------
        Cancelled
            If ``cancel`` was set.
        """
        depth = len(self.steps) if depth is None else depth
        if depth == 0:
            return self.source.region(rect)
        full = self.steps[depth - 1].after
        parts = {}
        for row, column in tiles_over(rect, self.tile):
            cancel.check()
            parts[row, column] = self.tile_pixels(row, column, depth, cancel)
        if len(parts) == 1:
            (place, pixels), = parts.items()  # fmt: skip
            return pixels[rect.within(tile_rect(*place, self.tile, full)).slices]
        first = next(iter(parts.values()))
        out = np.empty((rect.height, rect.width, *first.shape[2:]), np.float32)
        for place, pixels in parts.items():
            at = tile_rect(*place, self.tile, full)
            shared = at.intersect(rect)
            out[shared.within(rect).slices] = pixels[shared.within(at).slices]
        return out

    def tile_key(self, row: int, column: int, depth: int) -> Hashable:
        return self.steps[depth - 1].key, self.tile, row, column

    def holds(self, rect: Rect) -> bool:
        """Whether a rectangle of the result, or the tile that is just that, need not be computed any more."""
        last = len(self.steps)
        place = rect.top // self.tile, rect.left // self.tile
        return (self.steps[-1].key, rect) in self.cache or (
            tile_rect(*place, self.tile, self.size) == rect and self.tile_key(*place, last) in self.cache
        )

    def tile_pixels(self, row: int, column: int, depth: int, cancel: CancelToken = NEVER) -> Array:
        """One tile after ``depth`` steps, from the cache or computed with all it depends on."""
        wanted = tile_rect(row, column, self.tile, self.steps[depth - 1].after)
        return self.cache.get(
            self.tile_key(row, column, depth), lambda: self._compute(wanted, depth, cancel, self.region)
        )

    def untiled(self, rect: Rect, depth: int | None = None, cancel: CancelToken = NEVER) -> Array:
        """As :meth:`region`, computing what the rectangle depends on and no whole tiles: cheaper for a part.

        Found again by who asks for the same rectangle. Not quite the same pixels if the chain is ``fixed``.
        """
        depth = len(self.steps) if depth is None else depth
        if depth == 0:
            return self.source.region(rect)
        return self.cache.get(
            (self.steps[depth - 1].key, rect), lambda: self._compute(rect, depth, cancel, self.untiled)
        )

    def _compute(
        self, wanted: Rect, depth: int, cancel: CancelToken, before: Callable[[Rect, int, CancelToken], Array]
    ) -> Array:
        """A rectangle after ``depth`` steps, from what ``before`` gives of the step before."""
        step = self.steps[depth - 1]

        def knowledge(rect: Rect) -> Knowledge:
            done = self.steps[: depth - 1]
            brighter = next((float(s.values["exposure"]) for s in done if s.stage is Stage.DEVELOP), 0.0)
            denoised = any(s.stage is Stage.DENOISE for s in done)
            demosaiced = any(s.model.demosaics for s in done)
            reading = self.reading.brightened(brighter)
            return Knowledge(reading, self.source, rect, step.before, wanted, step.after, denoised, demosaiced)

        margin = step.model.margin(step.values, knowledge(wanted))
        wraps = self.source.wraps and step.stage in WRAPPING
        rect = needed(wanted, step.before, step.after, margin, wraps)
        if rect.left < 0 or rect.right > step.before.width:
            pieces = [before(piece, depth - 1, cancel) for piece in wrapped(rect, step.before.width)]
            pixels = np.concatenate(pieces, axis=1)
        else:
            pixels = before(rect, depth - 1, cancel)
        cancel.check()
        with cancelled_by(cancel):
            result = step.model.run(pixels, step.values, knowledge(rect))
        if step.stage is not Stage.ENLARGE:
            result = result[wanted.within(rect).slices]
        return np.ascontiguousarray(result)


def needed(wanted: Rect, before: Size, after: Size, margin: int, wraps: bool = False) -> Rect:
    """The input rectangle, on the alignment grid, that a wanted output rectangle depends on.

    If the picture ``wraps``, it may reach beyond the left and the right edge.
    """
    top, bottom = (v * before.height / after.height for v in (wanted.top, wanted.bottom))
    left, right = (v * before.width / after.width for v in (wanted.left, wanted.right))
    grown = Rect.between(int(top) - margin, int(left) - margin, -int(-bottom // 1) + margin, -int(-right // 1) + margin)
    aligned = Rect.between(
        grown.top // ALIGN * ALIGN, grown.left // ALIGN * ALIGN, -(-grown.bottom // ALIGN) * ALIGN,
        -(-grown.right // ALIGN) * ALIGN,
    )  # fmt: skip
    inside = aligned.intersect(before.rect)
    return Rect(inside.top, aligned.left, inside.height, aligned.width) if wraps else inside


def wrapped(rect: Rect, width: int) -> list[Rect]:
    """Parts, within a picture of ``width``, of a rectangle that goes on round its left and right edges."""
    parts, left = [], rect.left
    while left < rect.right:
        start = left % width
        columns = min(width - start, rect.right - left)
        parts.append(Rect(rect.top, start, rect.height, columns))
        left += columns
    return parts


def near_first(rect: Rect, tile: int, centre: tuple[float, float]) -> list[tuple[int, int]]:
    """Tiles over a rectangle, those nearest to a point (row, column) first."""

    def distance(place: tuple[int, int]) -> float:
        row, column = place
        return ((row + 0.5) * tile - centre[0]) ** 2 + ((column + 0.5) * tile - centre[1]) ** 2

    return sorted(tiles_over(rect, tile), key=distance)
