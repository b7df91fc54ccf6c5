"""Another picture behind a cut-out, in the light of the shot and with as much grain."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.cancel import NEVER, CancelToken
from crispgrain.geometry import Rect
from crispgrain.restoration import grain
from crispgrain.restoration.calmest import noise_left
from crispgrain.restoration.resample import LANCZOS_LOBES, warp

from ..colour.spaces import luminance, srgb_decode, srgb_encode
from ..errors import ShotError
from ..files.read import read_shot
from ..files.source import PictureSource
from ..masks import Mask
from .pipeline import Pipeline

LOOKED_AT = 320  # px of the longer side, at which the light of both is compared
MOST = 8.0  # times brighter or darker, in each channel
PATCH, PATCHES = 96, 3  # px, and how many along each side, whose noise is measured
GRAIN = 1.2  # px, size of a grain


@dataclass(frozen=True)
class Backdrop:
    """A picture that fills the frame of a result, what is too much of it cut off; as much like the shot as ``match``.

    Attributes
    ----------
    match : float
        0: as it is; 1: with the mean light and colour of what was behind the subject, and the shot's grain.
    """

    path: Path
    match: float

    def pixels(self, pipeline: Pipeline, mask: Mask, rect: Rect, cancel: CancelToken = NEVER) -> Array:
        """Linear pixels of a rectangle of the result.

        Raises
        ------
        ShotError
            If the picture cannot be read, or is a RAW.
        """
        source, key = self._source(pipeline), (self.path, self.match, pipeline.steps[-1].key, mask)
        shown = _fitted(source, pipeline, rect)
        if not self.match:
            return shown
        gains = pipeline.cache.get(("backdrop light", *key), lambda: self._gains(source, pipeline, mask, cancel))
        level = pipeline.cache.get(("backdrop grain", *key), lambda: self._grain(source, pipeline, gains, cancel))
        lit = shown * gains
        luma = srgb_encode(luminance(lit))
        weight = np.clip(4 * luma * (1 - luma), 0, 1)
        field = grain.field(GRAIN)
        edge = len(field)
        rows, columns = np.arange(rect.top, rect.bottom) % edge, np.arange(rect.left, rect.right) % edge
        grained = srgb_decode(luma + level * weight * field[np.ix_(rows, columns)])
        return lit + (grained - srgb_decode(luma))[..., None]

    def _source(self, pipeline: Pipeline) -> PictureSource:
        try:
            written = self.path.stat().st_mtime_ns
        except OSError as error:
            raise ShotError(self.path, f"the picture behind cannot be read ({error.strerror})") from error

        def read() -> _Kept:
            source = read_shot(self.path)
            if not isinstance(source, PictureSource):
                raise ShotError(self.path, "the picture behind must be a finished one, no RAW")
            return _Kept(source)

        return pipeline.cache.get(("backdrop", self.path, written), read).source

    def _gains(self, source: PictureSource, pipeline: Pipeline, mask: Mask, cancel: CancelToken) -> NDArray:
        factor = max(1, max(pipeline.size.height, pipeline.size.width) // LOOKED_AT)
        small = pipeline.reduced(factor) if factor > 1 else pipeline
        shot = small.region(small.size.rect, cancel=cancel)
        behind = 1 - mask.values(small.steps[-1].after, small.ground, small.size.rect)[..., None]
        weight = behind if behind.mean() > 0.01 else np.ones_like(behind)
        own = (np.maximum(shot, 0) * weight).sum((0, 1)) / weight.sum()
        other = np.maximum(_fitted(source, small, small.size.rect), 0).mean((0, 1))
        gains = np.clip((own + 1e-5) / (other + 1e-5), 1 / MOST, MOST)
        return np.asarray(gains**self.match, np.float32)

    def _grain(self, source: PictureSource, pipeline: Pipeline, gains: NDArray, cancel: CancelToken) -> NDArray:
        size, levels = pipeline.size, []
        for row in range(PATCHES):
            for column in range(PATCHES):
                top = int((size.height - PATCH) * (row + 0.5) / PATCHES)
                left = int((size.width - PATCH) * (column + 0.5) / PATCHES)
                rect = Rect(max(top, 0), max(left, 0), PATCH, PATCH).intersect(size.rect)
                shot, shown = pipeline.untiled(rect, cancel=cancel), _fitted(source, pipeline, rect) * gains
                levels.append([noise_left(srgb_encode(luminance(p))) for p in (shot, shown)])
        own, other = np.median(levels, axis=0)
        return np.array(self.match * np.sqrt(max(own**2 - other**2, 0)), np.float32)


@dataclass(frozen=True)
class _Kept:
    """A source as caches count it."""

    source: PictureSource

    @property
    def nbytes(self) -> int:
        return self.source.stored.nbytes


def _fitted(source: PictureSource, pipeline: Pipeline, rect: Rect) -> Array:
    """Of a picture enlarged or reduced about its middle until it fills a result."""
    given, wanted = source.size, pipeline.size
    scale = min(given.height / wanted.height, given.width / wanted.width)  # its pixels for one of the result
    y = (np.arange(rect.top, rect.bottom) + 0.5 - wanted.height / 2) * scale + given.height / 2
    x = (np.arange(rect.left, rect.right) + 0.5 - wanted.width / 2) * scale + given.width / 2
    reach = int(np.ceil(LANCZOS_LOBES * max(scale, 1))) + 1
    part = Rect.between(int(y[0]) - reach, int(x[0]) - reach, int(y[-1]) + reach + 1, int(x[-1]) + reach + 1)
    part = part.intersect(given.rect)
    rows, columns = np.meshgrid(y - part.top, x - part.left, indexing="ij")
    return np.maximum(warp(source.region(part), rows, columns, max(scale, 1.0)), 0)
