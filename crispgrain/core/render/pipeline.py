"""A shot's stages chained over tiles: ask for a rectangle, get its pixels."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from crispgrain.arrays import Array
from crispgrain.cancel import NEVER, CancelToken, cancelled_by
from crispgrain.geometry import Rect, Size, tile_rect, tiles_over

from ..colour.spaces import luminance
from ..files.source import PictureSource, RawSource, Source
from ..frame import Frame
from ..masks import Ground, Mask, blended
from ..meter.reading import Reading
from ..model import Context, Domain, Model, Product, Role, Stage, Values
from ..resolve import Resolved, ResolvedOperation
from ..sphere import Sphere
from ..stages.develop import lens
from ..transform import Transform
from . import poles
from .approximate import reduce_shot, reduce_treatment
from .cache import TileCache
from .order import Told, ended, in_order, parted, resamples
from .products import product_of
from .reach import needed, whole_shift, wrapped

TILE = 960  # px; of a network's work on 512 px a third would be margin
ALIGN = 32  # tiles start on this grid: whole sensor cells and whole bands of blocks

WRAPPING = (Stage.DENOISE, Stage.SHARPEN, Stage.ENLARGE, Stage.FINISH)  # that look beyond the side edges of a panorama
HEEDING = (Stage.SHARPEN,)  # stages that heed what zones before them did to noise; Denoise comes before light changes


@dataclass(frozen=True)
class Step:
    """One model at work in a chain."""

    stage: Stage
    model: Model
    values: Values
    key: Hashable  # everything the pixels depend on up to here
    told: tuple[Told, ...]  # for a picture that zones have changed in places: first what is so outside of them
    mask: Mask | None = None  # where it shows
    aside: Pipeline | None = None  # what shows elsewhere, if that is not what the step was given

    @property
    def before(self) -> Frame:
        """Of what the step is given, outside of all zones."""
        return self.told[0].before

    @property
    def after(self) -> Frame:
        """Of what the step gives, outside of all zones."""
        return self.told[0].after


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
        self.ground = Ground.of(source, self.cache.get)  # what masks look at
        self.tile = tile
        self.steps = self._chain()
        self.fixed = any(s.model.same_tiles for s in self.steps)  # to one grid of tiles, whatever is asked for
        self.tile = max(0 if self.fixed else tile, *(s.model.tile(s.values) for s in self.steps))

    def _chain(self) -> list[Step]:
        steps: list[Step] = []
        places = [Told(self.first_frame, self.first_frame)]  # alike within each
        key: Hashable = self.source.serial
        on_mosaic: Mask | None = None  # of a model on the mosaic: what it is mixed with has to be demosaiced first
        shapes: tuple[ResolvedOperation, ...] = ()  # whose resampling is part of the next step's
        order = in_order(self.resolved)
        for o, following in zip(order, [*order[1:], None], strict=True):
            if o.model.may_be(Role.SHAPE) and following is not None and resamples(following):
                shapes = (*shapes, o)
                continue
            ends = [ended(o, told.after, shapes) for told in places]
            told = tuple(Told(t.after, outside, t.where) for t, (outside, _) in zip(places, ends, strict=True))
            mask, aside = o.mask, None
            if o.model.domain is Domain.MOSAIC and mask is not None:
                mask, on_mosaic = None, mask
            elif on_mosaic is not None:
                mask, on_mosaic = on_mosaic, None
                aside = self._without(o.stage)
            # Develop does not look at the reading, so its tiles outlast a new one.
            reading = None if o.stage is Stage.DEVELOP else self.reading
            shaped = tuple((s.id, *sorted(s.values.items())) for s in shapes)
            key = (key, o.stage, o.model.id, tuple(sorted(o.values.items())), shaped, reading, mask)
            heard = told if o.stage in HEEDING else (replace(told[0], where=()),)
            steps.append(Step(o.stage, o.model, o.values, key, heard, mask, aside))
            places, shapes = parted(told, ends, o.mask), ()
        return steps

    def _without(self, until: Stage) -> Pipeline:
        """The chain up to a stage, with no model on the mosaic."""
        stages = {s: o if s is until else replace(o, on=False) for s, o in self.resolved.stages.items()}
        return Pipeline(self.source, self.reading, Resolved(stages), self.cache, self.tile)

    @property
    def first_frame(self) -> Frame:
        """What the meter found of the pixels as they are stored."""
        source = self.source
        mosaic, softness = isinstance(source, RawSource), self.reading.blur.softness
        grey = isinstance(source, PictureSource) and source.grey
        return Frame(source.size, self.reading.noise, 0.0, softness, mosaic, wraps=source.wraps, grey=grey)

    @property
    def unbent(self) -> Transform:
        """From the picture as its lens should have drawn it to the source."""
        found = next((o for o in self.resolved.beside if o.model is lens.MODEL and o.on), None)
        return lens.MODEL.after(self.first_frame, found.values).to_source if found is not None else Transform()

    @property
    def size(self) -> Size:
        """Size of the result."""
        return self.steps[-1].after.size

    def reduced(self, factor: int) -> Pipeline:
        """An approximation of the result, a whole factor smaller, from a reduced shot.

        That is reduced no more than it is still shown with a pixel for each of the result's, if Enlarge is on.
        """
        full = self.source.size
        last = self.steps[-1].after
        looked = last.to_source.lens
        # Px of the source for one of the result, before a view of it is taken: that has its share of them by itself.
        stretch = last.stretch / (looked.stretch if isinstance(looked, Sphere) else 1)
        own = max(1, int(factor * stretch + 1e-6))
        small = self.cache.get(
            (self.source.serial, "reduced", own, self.reading), lambda: reduce_shot(self.source, self.reading, own)
        )
        enlarge = own / (factor * stretch)
        whole = Context(
            self.reading, self.source, self.first_frame, self.first_frame, full.rect, full.rect, self.product
        )
        treatment = reduce_treatment(self.resolved, whole, own, enlarge)
        pipeline = Pipeline(small.source, small.reading, treatment, self.cache, self.tile)
        pipeline.ground = self.ground.reduced(small.source)
        pipeline.tile = self.tile  # whatever the models left out would have asked for
        return pipeline

    def product(self, product: Product, values: Values) -> Array:
        """Something worked out from the whole shot under some settings, once for all tiles."""
        return product_of(product, self.source, self.reading, values, self.cache, self.cache.kept)

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
        full = self.steps[depth - 1].after.size
        parts = {}
        left = list(tiles_over(rect, self.tile))
        while left:
            cancel.check()
            # What another thread is at comes last: waiting for it first, threads would go one after the other.
            place = next((p for p in left if not self.cache.is_coming(self.tile_key(*p, depth))), left[0])
            left.remove(place)
            parts[place] = self.tile_pixels(*place, depth, cancel)
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

    def is_cached(self, rect: Rect) -> bool:
        """Whether a rectangle of the result, or the tile that is just that, need not be computed any more."""
        last = len(self.steps)
        place = rect.top // self.tile, rect.left // self.tile
        return (self.steps[-1].key, rect) in self.cache or (
            tile_rect(*place, self.tile, self.size) == rect and self.tile_key(*place, last) in self.cache
        )

    def tile_pixels(self, row: int, column: int, depth: int, cancel: CancelToken = NEVER) -> Array:
        """One tile after ``depth`` steps, from the cache or computed with all it depends on."""
        wanted = tile_rect(row, column, self.tile, self.steps[depth - 1].after.size)
        return self.cache.get(self.tile_key(row, column, depth), lambda: self._compute(wanted, depth, cancel, True))

    def untiled(self, rect: Rect, depth: int | None = None, cancel: CancelToken = NEVER) -> Array:
        """As :meth:`region`, computing what the rectangle depends on and no whole tiles: cheaper for a part.

        Found again by who asks for the same rectangle. Not quite the same pixels if the chain is ``fixed``.
        """
        depth = len(self.steps) if depth is None else depth
        if depth == 0:
            return self.source.region(rect)
        return self.cache.get((self.steps[depth - 1].key, rect), lambda: self._compute(rect, depth, cancel, False))

    def _compute(self, wanted: Rect, depth: int, cancel: CancelToken, tiled: bool) -> Array:
        """A rectangle after ``depth`` steps, from what is ``tiled`` or not of the step before."""
        step = self.steps[depth - 1]

        def given(rect: Rect) -> Array:
            return (self.region if tiled else self.untiled)(rect, depth - 1, cancel)

        def elsewhere(rect: Rect) -> Array:
            if step.aside is None:
                return given(rect)
            return (step.aside.region if tiled else step.aside.untiled)(rect, cancel=cancel)

        moved = whole_shift(step.model, step.before, step.after)
        if moved is not None:
            return given(wanted.moved(*moved))
        blends = step.mask is not None and step.stage is not Stage.ENLARGE  # there is nothing of its size to blend with
        mask = step.mask.values(step.after, self.ground, wanted) if step.mask is not None and blends else None
        if mask is not None and not mask.any():
            return elsewhere(wanted)
        result = self._mixed(step, wanted, given, cancel)
        return result if mask is None else blended(elsewhere(wanted), result, mask)

    def _mixed(self, step: Step, wanted: Rect, given: Callable[[Rect], Array], cancel: CancelToken) -> Array:
        """What a step's model makes of what it is given, told in each place what is so there."""
        result: Array | None = None
        for told in step.told:
            share = np.ones((wanted.height, wanted.width), np.float32)
            for mask, inside in told.where:
                values = mask.values(step.after, self.ground, wanted)
                share *= values if inside else 1 - values
            if share.min() == 1:
                return self._run(step, told, wanted, given, cancel)
            if share.any():
                part = self._run(step, told, wanted, given, cancel) * share[..., None]
                result = part if result is None else result + part
        if result is None:
            raise AssertionError("the shares of all places make one")
        return result

    def _mask_seen(self, step: Step, told: Told, rect: Rect, wanted: Rect) -> Array | None:
        """A step's mask for a model that sees it: over what it is given, or where sizes differ, what is wanted."""
        if step.mask is None or not step.model.sees_mask:
            return None
        if step.stage is Stage.ENLARGE:
            return step.mask.values(told.after, self.ground, wanted)
        return step.mask.values(told.before, self.ground, rect)

    def _run(self, step: Step, told: Told, wanted: Rect, given: Callable[[Rect], Array], cancel: CancelToken) -> Array:
        """What a step's model makes of what it is given, told the same everywhere."""
        size = told.before.size

        def context(rect: Rect) -> Context:
            mask = self._mask_seen(step, told, rect, wanted)
            return Context(self.reading, self.source, told.before, told.after, rect, wanted, self.product, mask)

        margin = step.model.margin(step.values, context(wanted))
        wraps = told.before.wraps and (step.stage in WRAPPING or step.model.may_be(Role.SHAPE))
        wraps = wraps and not (step.stage is Stage.FINISH and step.model.sees_mask)  # masks end at edges
        rect = needed(wanted, told.before, told.after, margin, step.model.grid, wraps)
        if rect.left < 0 or rect.right > size.width:
            pixels = np.concatenate([given(piece) for piece in wrapped(rect, size.width)], axis=1)
        else:
            pixels = given(rect)
        if step.stage is Stage.DENOISE and told.before.wraps and poles.is_all_round(size):
            pixels = self._without_noise_of_poles(pixels, step, told, rect, given, cancel)
        cancel.check()
        with cancelled_by(cancel):
            result = step.model.run(pixels, step.values, context(rect))
        if told.after.grey and result.ndim == 3:
            result = np.repeat(luminance(result)[..., None], 3, axis=-1)  # what networks bring in is no colour
        if step.stage is not Stage.ENLARGE and not step.model.may_be(Role.SHAPE):  # those give just what is wanted
            result = result[wanted.within(rect).slices]
        return np.ascontiguousarray(result)

    def _without_noise_of_poles(
        self, pixels: Array, step: Step, told: Told, rect: Rect, given: Callable[[Rect], Array], cancel: CancelToken
    ) -> Array:
        """What Denoise is given of a picture all round, without what its model finds looking straight up and down."""
        size = told.before.size

        def context(rect: Rect, whole: Size) -> Context:
            before, after = (replace(frame, size=whole, wraps=False) for frame in (told.before, told.after))
            return Context(self.reading, self.source, before, after, rect, rect, self.product)

        def run(part: Array, at: Rect, whole: Size) -> Array:
            cancel.check()
            with cancelled_by(cancel):
                return step.model.run(part, step.values, context(at, whole))

        margin = step.model.margin(step.values, context(rect, size))
        for up in (True, False):
            if poles.share(rect, size, up).any():
                key = (step.key, "pole", up)
                noise = self.cache.get(key, partial(poles.noise_at, up, size, given, run, margin))
                pixels = poles.without(pixels, noise, rect, size, up)
        return pixels
