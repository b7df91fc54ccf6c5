"""Ways of looking at a result beside looking at it: what was taken away, and where edges overshoot."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Protocol, Self, runtime_checkable

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.cancel import NEVER, CancelToken
from crispgrain.geometry import Rect, Size, tile_rect
from crispgrain.restoration.artefacts import false_texture

from ..colour import icc
from ..colour.proof import Gamut, Proof, gamut_of
from ..colour.spaces import OPPONENT, apply_matrix, to_opponent
from ..files.source import Source
from ..outside import OutsidePicture
from ..transform import Transform
from .approximate import factor_for
from .on_paper import layout_of
from .opacity import cut_out, over, seen
from .pipeline import Pipeline

GREY = 0.5
BACKDROP = 0.2  # linear light seen through what is transparent: the grey around pictures
DETAIL = (1.5, 4.0)  # px
LEAST_DETAIL = 1e-3  # of encoded white; with less there is nothing to lose
HALO_REACH = 3  # px
HALO_LIMIT = 0.02  # of encoded white


class View(Protocol):
    """Something to show tile by tile, in the pixels of a result."""

    @property
    def key(self) -> Hashable: ...
    @property
    def size(self) -> Size: ...
    @property
    def tile(self) -> int: ...
    @property
    def source(self) -> Source: ...
    @property
    def to_source(self) -> Transform:
        """From the pixels of the result to those of the source."""
        ...

    def display(self, row: int, column: int, level: int = 0, cancel: CancelToken = NEVER) -> NDArray[np.uint8]:
        """8-bit sRGB values (h x w x 3) of a tile, halved ``level`` times."""
        ...


@runtime_checkable
class Reducible(View, Protocol):
    """A view that can be approximated some times smaller."""

    def reduced(self, factor: int) -> View: ...


@dataclass(frozen=True)
class Approximate:
    """A view of a result some times reduced, in the pixels of the result itself: see :mod:`.approximate`."""

    exact: Reducible
    factor: int

    @property
    def key(self) -> Hashable:
        return ("approximate", self.exact.key, self.factor)

    @property
    def size(self) -> Size:
        return self.exact.size

    @property
    def tile(self) -> int:
        return self.exact.tile * self.factor

    @property
    def source(self) -> Source:
        return self.exact.source

    @property
    def to_source(self) -> Transform:
        return self.exact.to_source

    def display(self, row: int, column: int, level: int = 0, cancel: CancelToken = NEVER) -> NDArray[np.uint8]:
        small = self.exact.reduced(self.factor)
        if tile_rect(row, column, small.tile, small.size).empty:  # less than a pixel of it is left for this tile
            last, end = ((n - 1) // small.tile for n in (small.size.height, small.size.width))
            return small.display(min(row, last), min(column, end), 0, cancel)[-1:, -1:]
        return small.display(row, column, 0, cancel)


def view_at(view: View, scale: float) -> View:
    """What stands for a view at a scale (screen pixels per pixel of the result): itself from 50 % on."""
    factor = factor_for(scale)
    return Approximate(view, factor) if factor > 1 and isinstance(view, Reducible) else view


def between(start: View, end: View) -> Transform:
    """From the pixels of one view of a shot to those of another."""
    return end.to_source.inverse.after(start.to_source)


def shrunk(pixels: Array, level: int) -> Array:
    """Pixels halved ``level`` times by averaging."""
    if not level:
        return pixels
    height, width = (max(1, -(-n // 2**level)) for n in pixels.shape[:2])
    return cv2.resize(pixels, (width, height), interpolation=cv2.INTER_AREA)


@dataclass(frozen=True)
class InResult:
    """Something in the pixels of one result."""

    pipeline: Pipeline

    @property
    def size(self) -> Size:
        return self.pipeline.size

    @property
    def tile(self) -> int:
        return self.pipeline.tile

    @property
    def source(self) -> Source:
        return self.pipeline.source

    @property
    def to_source(self) -> Transform:
        return self.pipeline.steps[-1].after.to_source


@dataclass(frozen=True)
class Result(InResult):
    """The result itself, as an exported sRGB file would have it, or a soft proof of another file."""

    proof: Proof | None = None

    @property
    def key(self) -> Hashable:
        cut = cut_out(self.pipeline)
        own = self.pipeline.steps[-1].key, (cut.mask, tuple(sorted(cut.values.items()))) if cut is not None else None
        return own if self.proof is None else (own, self.proof)

    def display(self, row: int, column: int, level: int = 0, cancel: CancelToken = NEVER) -> NDArray[np.uint8]:
        rect = tile_rect(row, column, self.tile, self.size)
        pixels = self.pipeline.tile_pixels(row, column, len(self.pipeline.steps), cancel)
        return self._shown(pixels, rect, level, cancel)

    def _shown(self, pixels: Array, rect: Rect, level: int, cancel: CancelToken) -> NDArray[np.uint8]:
        small = shrunk(over(*seen(pixels, self.pipeline, rect, cancel), BACKDROP), level)
        return icc.from_working(small, icc.profile("srgb"), 8) if self.proof is None else self.proof.shown(small)

    def reduced(self, factor: int) -> Result:
        return Result(self.pipeline.reduced(factor), self.proof)

    @property
    def border(self) -> Size:
        """Rows of white paper above and below, and columns left and right of it, in the file."""
        layout = layout_of(self.pipeline)
        return Size(layout.above, layout.left)

    def paper(self) -> NDArray[np.uint8]:
        """What the white of that paper looks like: 1 x 1 x 3, 8-bit sRGB."""
        white = np.ones((1, 1, 3), np.float32)
        return icc.from_working(white, icc.profile("srgb"), 8) if self.proof is None else self.proof.shown(white)

    def gamut(self, rect: Rect, cancel: CancelToken = NEVER) -> Gamut:
        """What the profile of the soft proof has not, of a part of the result; nothing without a proof."""
        if self.proof is None:
            return Gamut(0.0, 0.0)
        return gamut_of(self.pipeline.region(rect, cancel=cancel), self.proof.icc)

    @property
    def in_pieces(self) -> bool:
        """Whether any rectangle computed by itself is just what a file would have there."""
        return not self.pipeline.fixed

    def patch(self, rect: Rect, level: int = 0, cancel: CancelToken = NEVER) -> NDArray[np.uint8]:
        """8-bit sRGB values of a rectangle, computed by itself: much sooner there than the tiles it lies in."""
        return self._shown(self.pipeline.untiled(rect, cancel=cancel), rect, level, cancel)


@dataclass(frozen=True)
class Outside(InResult):
    """Another picture of the scene, in the pixels of a result; or what it has more than that, around mid grey."""

    picture: OutsidePicture
    difference: bool = False
    gain: float = 6.0

    @property
    def key(self) -> Hashable:
        # The difference follows every pixel of the result, the picture only where these lie.
        result = self.pipeline.steps[-1].key if self.difference else (self.to_source, self.size)
        return ("outside", self.picture.picture.serial, result, self.difference, self.gain)

    def display(self, row: int, column: int, level: int = 0, cancel: CancelToken = NEVER) -> NDArray[np.uint8]:
        rect = tile_rect(row, column, self.tile, self.size)
        pixels = self.picture.region(rect, self.to_source)
        if not self.difference:
            return icc.from_working(shrunk(pixels, level), icc.profile("srgb"), 8)
        more = to_opponent(pixels) - to_opponent(self.pipeline.region(rect, cancel=cancel))
        shown = GREY + self.gain * apply_matrix(more, OPPONENT.T)
        return np.rint(np.clip(shrunk(shown, level), 0, 1) * 255).astype(np.uint8)


class Axis(StrEnum):
    """Which part of a residual is looked at."""

    LUMINANCE = "luminance"
    COLOUR = "colour"


@dataclass(frozen=True)
class _Compared:
    """Two results of the same size, one with a stage more than the other."""

    before: Pipeline
    after: Pipeline

    def __post_init__(self) -> None:
        if self.before.size != self.after.size:
            raise ValueError("pictures of different sizes cannot be compared pixel by pixel")

    @property
    def size(self) -> Size:
        return self.after.size

    @property
    def tile(self) -> int:
        return max(self.before.tile, self.after.tile)

    @property
    def source(self) -> Source:
        return self.after.source

    @property
    def to_source(self) -> Transform:
        return self.after.steps[-1].after.to_source

    def reduced(self, factor: int) -> Self:
        return replace(self, before=self.before.reduced(factor), after=self.after.reduced(factor))

    def _keys(self) -> tuple[Hashable, Hashable]:
        return self.before.steps[-1].key, self.after.steps[-1].key


@dataclass(frozen=True)
class Residual(_Compared):
    """What a stage took away, amplified around mid grey: input minus output, in encoded values.

    References
    ----------
    A. Buades, B. Coll, J. M. Morel, "A review of image denoising algorithms,
    with a new one", Multiscale Modeling and Simulation 4(2), 2005 (method noise).
    """

    axis: Axis = Axis.LUMINANCE
    gain: float = 6.0

    @property
    def key(self) -> Hashable:
        return ("residual", *self._keys(), self.axis, self.gain)

    def display(self, row: int, column: int, level: int = 0, cancel: CancelToken = NEVER) -> NDArray[np.uint8]:
        rect = tile_rect(row, column, self.tile, self.size)
        taken = to_opponent(self.before.region(rect, cancel=cancel)) - to_opponent(
            self.after.region(rect, cancel=cancel)
        )
        taken[..., (1, 2) if self.axis is Axis.LUMINANCE else (0,)] = 0
        shown = GREY + self.gain * apply_matrix(taken, OPPONENT.T)
        return np.rint(np.clip(shrunk(shown, level), 0, 1) * 255).astype(np.uint8)

    def structure(self, rect: Rect, cancel: CancelToken = NEVER) -> float:
        """How much structure there is in what was taken, as a share of the detail that is left.

        The regression coefficient of the residual's luma on that of the result,
        both between Gaussians of 1.5 and 4 px: finer, noise that was left would
        pass for detail. 0 for noise alone, 0.1 if detail was weakened by a
        tenth, below 0 if it was strengthened.
        """
        return structure_taken(self.before.region(rect, cancel=cancel), self.after.region(rect, cancel=cancel))


def structure_taken(before: Array, after: Array) -> float:
    """Share of the detail of ``after`` that was taken from ``before`` (H x W x 3): see :meth:`Residual.structure`."""
    left = to_opponent(after)[..., 0]
    detail, lost = _band(left), _band(to_opponent(before)[..., 0] - left)
    power = float(np.square(detail).mean())
    return float((detail * lost).mean()) / power if power > LEAST_DETAIL**2 else 0.0


def halo_mask(before: Array, after: Array, limit: float = HALO_LIMIT) -> NDArray[np.bool_]:
    """Where ``after`` leaves the local range of ``before`` (H x W x 3) by more than a share of white."""
    old, new = _luma(before), _luma(after)
    window = np.ones((2 * HALO_REACH + 1,) * 2, np.uint8)
    return (new > cv2.dilate(old, window) + limit) | (new < cv2.erode(old, window) - limit)


def _band(plane: Array) -> Array:
    """What lies between two Gaussians: detail, but not the finest, which is mostly noise."""
    fine, coarse = (cv2.GaussianBlur(plane, (0, 0), s, borderType=cv2.BORDER_REFLECT) for s in DETAIL)
    return fine - coarse


@dataclass(frozen=True)
class Halo(_Compared):
    """The result, with every pixel marked that leaves the local range of what the stage was given.

    The range is that of encoded luma within 3 px; ``limit`` is how far beyond
    it a pixel may go, as a share of white; ``colour`` is that of the mark, 8-bit RGB.
    """

    limit: float = HALO_LIMIT
    colour: tuple[int, int, int] = (255, 0, 0)

    @property
    def key(self) -> Hashable:
        return ("halo", *self._keys(), self.limit, self.colour)

    def mask(self, rect: Rect, cancel: CancelToken = NEVER) -> NDArray[np.bool_]:
        """Where there is a halo in a rectangle of the result."""
        grown = Rect.between(
            rect.top - HALO_REACH, rect.left - HALO_REACH, rect.bottom + HALO_REACH, rect.right + HALO_REACH
        ).intersect(self.size.rect)
        before, after = (p.region(grown, cancel=cancel) for p in (self.before, self.after))
        return halo_mask(before, after, self.limit)[rect.within(grown).slices]

    def share(self, rect: Rect, cancel: CancelToken = NEVER) -> float:
        """Share of pixels with a halo in a rectangle of the result."""
        return float(self.mask(rect, cancel).mean())

    def texture(self, rect: Rect, cancel: CancelToken = NEVER) -> float:
        """Share of smooth ground in a rectangle of the result that has fine texture which was not there before."""
        return false_texture(*(_luma(p.region(rect, cancel=cancel)) for p in (self.before, self.after)))

    def display(self, row: int, column: int, level: int = 0, cancel: CancelToken = NEVER) -> NDArray[np.uint8]:
        rect = tile_rect(row, column, self.tile, self.size)
        shown = icc.from_working(self.after.region(rect, cancel=cancel), icc.profile("srgb"), 8)
        shown[self.mask(rect, cancel)] = self.colour
        return shrunk(shown, level)


def _luma(pixels: Array) -> Array:
    """Encoded luma, 0 black to 1 white."""
    return np.ascontiguousarray(to_opponent(pixels)[..., 0]) / np.float32(3**0.5)
