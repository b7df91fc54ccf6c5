"""One place sharpened until it is as sharp as another, as far as halos and noise allow."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from attrs import evolve

from crispgrain.arrays import Array
from crispgrain.cancel import NEVER, CancelToken
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.calmest import noise_left

from ..colour import icc
from ..colour.spaces import luminance, srgb_encode
from ..files.source import PictureSource, Source
from ..meter.blur import softness_of_edges
from ..meter.part import measure_part
from ..meter.picture_noise import picture_noise
from ..meter.reading import Reading
from ..model import Stage
from ..operation import Operation
from ..resolve import fixed_by, resolve
from ..treatment import Treatment
from .cache import TileCache
from .pipeline import Pipeline
from .views import halo_mask

SIDE = 256  # px of what is looked at around each place
TRIES = 5  # halvings of the range of sizes
SAME = 0.1  # px of softness that nobody sees
MOST_HALO = 0.02  # share of pixels beyond the range of what was there
MOST_NOISE = 2.0  # times the noise that was there
SIZES = ("radius", "length")  # settings that say how large a blur is


@dataclass(frozen=True)
class AsSharp:
    """The operation that does it, and the softness (px) of the place shown, of the other before, and after."""

    operation: Operation
    shown: float
    before: float
    after: float
    limit: str = ""  # what forbade more: ``halos`` or ``noise``

    @property
    def words(self) -> str:
        if self.before <= self.shown + SAME:
            return f"It is as sharp already: softness {self.before:.1f} px, there {self.shown:.1f}."
        end = f"as far as {self.limit} allow" if self.limit else "as there"
        if not self.limit and self.after > self.shown + SAME:
            end = "as far as this method goes"
        return f"Softness {self.before:.1f} px became {self.after:.1f}, {end} ({self.shown:.1f})."


def as_sharp(
    source: Source, reading: Reading, treatment: Treatment, operation: Operation, shown: Rect, here: Rect,
    cache: TileCache | None = None, cancel: CancelToken = NEVER,
) -> AsSharp:  # fmt: skip
    """Settings of an operation of Sharpen that make the source's place ``here`` as sharp as that which is ``shown``.

    The kind of blur is what the meter finds there; its size is the least that will do.
    """
    plain = treatment.up_to(Stage.SHARPEN)
    without = plain.without(operation.id) if not operation.everywhere else plain.set(f"{operation.id}.on", False)

    def rendered(treatment: Treatment) -> Callable[[Rect], Array]:
        pipeline = Pipeline(source, reading, resolve(treatment, source, reading), cache)
        return lambda rect: pipeline.untiled(_in_result(pipeline, rect), cancel=cancel)

    untouched = rendered(without)
    goal, given = softness_of(untouched(shown)), untouched(here)
    now = softness_of(given)
    fixed = evolve(fixed_by(operation, source, measure_part(source, here, reading)), on=True)
    size = next((name for name in SIZES if name in fixed.values), "")
    if now <= goal + SAME or not size:
        return AsSharp(operation, goal, now, now)
    least, most = 0.0, 1.25 * max(float(fixed.values[size]), 0.5)
    best, after, limit = evolve(fixed, values={**fixed.values, size: 0.0}), now, ""
    for _ in range(TRIES):
        wanted = round((least + most) / 2, 3)
        tried = evolve(fixed, values={**fixed.values, size: wanted})
        made = rendered(plain.put(tried))(here)
        softness, forbidden = softness_of(made), _forbidden(given, made)
        if forbidden:
            limit, most = forbidden, wanted
        elif softness > goal:
            least, best, after = wanted, tried, softness
        else:
            limit, most, best, after = "", wanted, tried, softness
    return AsSharp(best, goal, now, after, limit if after > goal + SAME else "")


def around(point: tuple[float, float], size: Size) -> Rect:
    """The square of a picture around a place in it."""
    left = int(min(max(point[0] - SIDE / 2, 0), max(size.width - SIDE, 0)))
    top = int(min(max(point[1] - SIDE / 2, 0), max(size.height - SIDE, 0)))
    return Rect(top, left, SIDE, SIDE).intersect(size.rect)


def softness_of(pixels: Array) -> float:
    """The softness, in px, of linear pixels (H x W x 3)."""
    source = PictureSource(Path(), icc.from_working(pixels, icc.profile("srgb"), 16), icc.profile("srgb"))
    return softness_of_edges(source, picture_noise(source))


def _in_result(pipeline: Pipeline, rect: Rect) -> Rect:
    return pipeline.steps[-1].after.to_source.inverse.rect(rect).intersect(pipeline.size.rect)


def _forbidden(before: Array, after: Array) -> str:
    if float(halo_mask(before, after).mean()) > MOST_HALO:
        return "halos"
    old, new = (noise_left(np.asarray(srgb_encode(luminance(p)))) for p in (before, after))
    return "noise" if new > MOST_NOISE * max(old, 1 / 1024) else ""
