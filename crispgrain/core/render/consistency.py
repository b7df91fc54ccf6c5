"""Whether a result still agrees with its source: reduced back to its pixels, and in its colours on the whole."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.cancel import NEVER, CancelToken
from crispgrain.geometry import Rect, Size, tile_rect
from crispgrain.restoration.resample import Sampling, apply, area_weights

from ..colour.difference import ciede2000, lab
from ..colour.spaces import OPPONENT, WORKING_TO_SRGB, apply_matrix, srgb_decode, srgb_encode, to_opponent
from ..files.source import Source
from ..transform import Transform
from .pipeline import Pipeline
from .views import GREY, shrunk

COARSE = 16.0  # sigma in px; coarser than noise, finer than a cast on half of a picture
MOST_DRIFT = 0.5  # CIEDE2000; more is seen side by side


@dataclass(frozen=True)
class Drift:
    """What became of colours on the whole: mean CIEDE2000 between the two, both smoothed, and their mean chroma.

    They are smoothed as they are encoded: in linear light noise alone would make its mean brighter.
    """

    difference: float
    chroma_before: float
    chroma_after: float


def drift_between(before: Array, after: Array) -> Drift:
    """The drift from working-space pixels (H x W x 3) to others."""
    smoothed = (
        cv2.GaussianBlur(srgb_encode(p), (0, 0), COARSE, borderType=cv2.BORDER_REFLECT) for p in (before, after)
    )
    first, second = (lab(srgb_decode(np.maximum(p, 0))) for p in smoothed)
    chroma = [float(np.hypot(p[..., 1], p[..., 2]).mean()) for p in (first, second)]
    return Drift(float(ciede2000(first, second).mean()), *chroma)


def agreement(before: Array, after: Array) -> float:
    """PSNR in dB, of sRGB-encoded values, of working-space pixels against others; infinite if they are the same."""
    one, other = (np.clip(srgb_encode(apply_matrix(p, WORKING_TO_SRGB)), 0, 1) for p in (before, after))
    error = float(np.square(one - other).mean())
    return float("inf") if error == 0 else -10 * float(np.log10(error))


@dataclass(frozen=True)
class Consistency:
    """The result reduced to the source's pixels, less the source, amplified around mid grey.

    Raises
    ------
    ValueError
        If one is cut or turned otherwise than the other.
    """

    before: Pipeline
    after: Pipeline
    gain: float = 6.0

    def __post_init__(self) -> None:
        small, large = self.size, self.after.size
        across, along = np.array([0.0, 1, 1, 0]), np.array([0.0, 0, 1, 1])
        to_before = self.to_source.inverse.after(self.after.steps[-1].after.to_source)
        corners = to_before(across * large.width, along * large.height)
        # Rounding to whole pixels may move a corner by one.
        if not np.allclose(corners, (across * small.width, along * small.height), atol=1.5):
            raise ValueError("one is cut or turned otherwise than the other")

    @property
    def key(self) -> Hashable:
        return "consistency", self.before.steps[-1].key, self.after.steps[-1].key, self.gain

    @property
    def size(self) -> Size:
        return self.before.size

    @property
    def tile(self) -> int:
        return self.before.tile

    @property
    def source(self) -> Source:
        return self.before.source

    @property
    def to_source(self) -> Transform:
        return self.before.steps[-1].after.to_source

    def reduced(self, factor: int) -> Consistency:
        """The same, a whole factor smaller, of approximations."""
        larger = max(1, round(factor * self.after.size.width / self.before.size.width))
        return replace(self, before=self.before.reduced(factor), after=self.after.reduced(larger))

    def both(self, rect: Rect, cancel: CancelToken = NEVER) -> tuple[Array, Array]:
        """Source, and the result reduced back, in a rectangle of the source's pixels."""
        given = self.before.region(rect, cancel=cancel)
        large, small = self.after.size, self.before.size
        if large == small:
            return given, self.after.region(rect, cancel=cancel)
        rows, columns = (
            Sampling.between(*sides) for sides in ((large.height, small.height), (large.width, small.width))
        )
        part = Rect.between(
            int(rect.top * rows.step), int(rect.left * columns.step),
            int(np.ceil(rect.bottom * rows.step)), int(np.ceil(rect.right * columns.step)),
        ).intersect(large.rect)  # fmt: skip
        back = apply(
            area_weights(rows, rect.top, rect.bottom, part.top, part.bottom),
            area_weights(columns, rect.left, rect.right, part.left, part.right),
            self.after.region(part, cancel=cancel),
        )
        return given, back

    def figures(self, rect: Rect, cancel: CancelToken = NEVER) -> tuple[float, Drift]:
        """Agreement in dB and drift of colour in a rectangle of the source's pixels."""
        given, back = self.both(rect, cancel)
        return agreement(given, back), drift_between(given, back)

    def display(self, row: int, column: int, level: int = 0, cancel: CancelToken = NEVER) -> NDArray[np.uint8]:
        given, back = self.both(tile_rect(row, column, self.tile, self.size), cancel)
        shown = GREY + self.gain * apply_matrix(to_opponent(back) - to_opponent(given), OPPONENT.T)
        return np.rint(np.clip(shrunk(shown, level), 0, 1) * 255).astype(np.uint8)
