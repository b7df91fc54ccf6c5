"""What masks lie on: a shot's pixels, whole and small, as far as masks look at them."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration import normalised_convolution
from crispgrain.restoration.cells import repeated
from crispgrain.restoration.demosaic import linear

from ..colour.spaces import WORKING_TO_SRGB, apply_matrix, srgb_encode
from ..files.preview import shrunk, working_colours
from ..files.source import PictureSource, RawSource, Source

AGAIN = 4  # the share of a panorama, one in so many, that is looked at once more beyond each edge
LONGEST = 768  # px of the small picture
GREEN = (0.25, 0.5, 0.25)  # shares of red, green and blue in the luma that masks follow: those of a sensor's cell
MIDDLE = 0.18  # linear light to which the median of a RAW is brought, so that masks see what is dark


def compute_anew(key: Hashable, compute: Callable[[], Any]) -> Any:
    return compute()


@dataclass(frozen=True)
class Ground:
    """A shot as masks see it.

    Attributes
    ----------
    source : Source
        Whose pixels edges follow.
    origin : Source
        What is looked for in the whole picture is looked for in this one: the same shot, not reduced.
    remembered : callable
        Finds what was worked out before under a key, or computes it.
    """

    source: Source
    origin: Source
    remembered: Callable[[Hashable, Callable[[], Any]], Any] = compute_anew

    @classmethod
    def of(cls, source: Source, remembered: Callable[[Hashable, Callable[[], Any]], Any] = compute_anew) -> Ground:
        return cls(source, source, remembered)

    def reduced(self, source: Source) -> Ground:
        """The same shot, reduced."""
        return replace(self, source=source)

    @property
    def size(self) -> Size:
        return self.source.size

    def found(self, name: Hashable, compute: Callable[[Ground], Array]) -> Array:
        """Something of the whole shot, worked out once."""
        return self.remembered((self.origin.serial, "mask", name), lambda: compute(self))

    @property
    def wraps(self) -> bool:
        """Whether the left and the right edge of the shot belong together."""
        return isinstance(self.origin, PictureSource) and self.origin.wraps

    def joined(self, compute: Callable[[Ground], Array]) -> Array:
        """A map (... x h x w) of the whole shot that knows no edge where a panorama has none."""
        origin = self.origin
        if not self.wraps or not isinstance(origin, PictureSource):
            return compute(self)
        more = origin.size.width // AGAIN
        stored = np.concatenate([origin.stored[:, -more:], origin.stored, origin.stored[:, :more]], axis=1)
        facts = replace(origin.facts, equirectangular=False)
        longer = replace(origin, stored=stored, facts=facts, opacity=None, lost=None, serial=(origin.serial, "joined"))
        found = compute(Ground(longer, longer, self.remembered))
        cut = round(found.shape[-1] * more / stored.shape[1])
        return found[..., cut : found.shape[-1] - cut]

    @property
    def small(self) -> Array:
        """The whole shot, encoded sRGB, about 768 px long: h x w x 3, 0 to 1."""
        return self.found("small", lambda ground: _small(ground.origin))

    @property
    def light(self) -> float:
        """By what linear light is multiplied before masks look at it; 1 for finished pictures."""
        return float(self.found("light", lambda ground: np.array(_light(ground.origin)))) if self.source.is_raw else 1.0

    def luma(self, rect: Rect) -> Array:
        """Encoded luma (h x w) of a rectangle of the source, for edges."""
        source = self.source
        if isinstance(source, PictureSource):
            stored = source.stored[rect.slices]
            top = 1.0 if stored.dtype.kind == "f" else float(np.iinfo(stored.dtype).max)
            return np.asarray(np.clip(stored.astype(np.float32) @ (np.array(GREEN, np.float32) / top), 0, 1))
        # Red, green and blue of any 2 x 2 pixels around a place, weighted by a binomial, are those of a cell.
        far = 2 if source.bayer else normalised_convolution.REACH
        top, left = (n // 2 * 2 - far for n in (rect.top, rect.left))
        grown = Rect.between(top, left, rect.bottom + far, rect.right + far)
        part = grown.intersect(source.size.rect)
        pattern = source.pattern_from(part)
        cells = source.region(part) * repeated(source.white_balance[pattern], part.height, part.width).astype(
            np.float32
        )
        if not source.bayer:
            even = linear(cells, pattern) @ np.array(GREEN, np.float32)
            return self._encoded(even[rect.within(part).slices], rect)
        taps = np.array([0.25, 0.5, 0.25], np.float32)
        even = cv2.sepFilter2D(cells, cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REFLECT_101)
        return self._encoded(even[rect.within(part).slices], rect)

    def _encoded(self, even: Array, rect: Rect) -> Array:
        if isinstance(self.source, RawSource) and self.source.shading is not None:
            even = even * self.source.shading.over(rect)[..., 1]
        return np.clip(srgb_encode(np.float32(self.light) * even), 0, 1)

    def small_luma(self) -> Array:
        """As :meth:`luma`, of the small picture."""
        return np.asarray(self.small @ np.array(GREEN, np.float32))


def _linear(source: Source) -> Array:
    if isinstance(source, RawSource):
        return working_colours(source, LONGEST)
    stored = np.ascontiguousarray(shrunk(source.stored, LONGEST))
    small = PictureSource(source.path, stored, source.icc)
    return small.region(small.size.rect)


def _light(source: Source) -> float:
    return MIDDLE / max(float(np.median(_linear(source))), 1e-4)


def _small(source: Source) -> Array:
    light = _light(source) if isinstance(source, RawSource) else 1.0
    return np.clip(srgb_encode(apply_matrix(_linear(source), WORKING_TO_SRGB) * np.float32(light)), 0, 1)
