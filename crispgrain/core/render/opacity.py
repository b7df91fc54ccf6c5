"""What is seen of a result: the source's opacity, sized with the picture, and what a cut-out leaves."""

from __future__ import annotations

import math
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.cancel import NEVER, CancelToken
from crispgrain.geometry import Rect
from crispgrain.restoration.resample import LANCZOS_LOBES, warp

from ..files.source import PictureSource
from ..files.transparency import opacity_of
from ..model import Role
from ..resolve import ResolvedOperation
from ..stages.finish.cut_out import BEHIND, PICTURE
from .backdrop import Backdrop
from .pipeline import Pipeline

Opacity = NDArray[np.float32]
WHOLE = 0.98  # opacity from which a pixel's colour is the subject's own
EDGE = 24  # px within which the subject's own colour is sought


def cut_out(pipeline: Pipeline) -> ResolvedOperation | None:
    """The operation that cuts something out, if one does."""
    found = (o for o in pipeline.resolved.beside if o.on and o.model.may_be(Role.CUT) and o.mask is not None)
    return next(found, None)


def see_through(pipeline: Pipeline) -> bool:
    """Whether parts of the result are transparent."""
    cut = cut_out(pipeline)
    transparent = cut is not None and BEHIND[str(cut.values["behind"])] is None
    return transparent or (isinstance(pipeline.source, PictureSource) and pipeline.source.opacity is not None)


def opacity(pipeline: Pipeline, rect: Rect) -> Opacity | None:
    """Opacity (h x w, 0..1) of a rectangle of a result; None if all of the picture is opaque."""
    cut, own = cut_out(pipeline), _of_source(pipeline, rect)
    if cut is None or cut.mask is None:
        return own
    share = cut.mask.values(pipeline.steps[-1].after, pipeline.ground, rect)
    return share if own is None else share * own


def _of_source(pipeline: Pipeline, rect: Rect) -> Opacity | None:
    source = pipeline.source
    if not isinstance(source, PictureSource) or source.opacity is None:
        return None
    to_source = pipeline.steps[-1].after.to_source
    x, y = to_source.middles(rect)
    if to_source.rearranges:
        return opacity_of(source.opacity[y.astype(int), x.astype(int)])
    scale = pipeline.steps[-1].after.stretch
    reach = math.ceil(LANCZOS_LOBES * max(scale, 1)) + 1
    seen = to_source.rect(rect)
    grown = Rect.between(seen.top - reach, seen.left - reach, seen.bottom + reach, seen.right + reach)
    part = grown.intersect(source.size.rect)
    there = opacity_of(source.opacity[part.slices])
    if there.min() == there.max():
        return np.full(x.shape, there.flat[0], np.float32)
    return np.clip(warp(there[..., None], y - part.top, x - part.left, scale)[..., 0], 0, 1)


def seen(pixels: Array, pipeline: Pipeline, rect: Rect, cancel: CancelToken = NEVER) -> tuple[Array, Opacity | None]:
    """Linear pixels of a rectangle of a result, and their opacity, as they are shown and written.

    On a cut-out's soft edge the subject's own colour takes the place of the mixture with the old background; before a
    plain background they are opaque.
    """
    share, cut = opacity(pipeline, rect), cut_out(pipeline)
    if share is None or cut is None or (share == 1).all():
        return pixels, share
    if cut.values["fringe"] == "on" and ((share > 0) & (share < 1)).any():
        grown = Rect.between(rect.top - EDGE, rect.left - EDGE, rect.bottom + EDGE, rect.right + EDGE).intersect(
            pipeline.size.rect
        )
        around = opacity(pipeline, grown)
        if around is not None:
            part = rect.within(grown).slices
            pixels = unmixed(pipeline.region(grown, cancel=cancel), around)[part]
    behind = BEHIND[str(cut.values["behind"])]
    if behind is None:
        return pixels, share
    if cut.values["behind"] == PICTURE and cut.values["picture"] and cut.mask is not None:
        backdrop = Backdrop(Path(str(cut.values["picture"])), float(cut.values["match"]) / 100)
        there = backdrop.pixels(pipeline, cut.mask, rect, cancel)
        return pixels * share[..., None] + there * (1 - share[..., None]), np.ones_like(share)
    return over(pixels, share, behind), np.ones_like(share)


def unmixed(pixels: Array, share: Opacity) -> Array:
    """The subject's own colours on a soft edge, where its pixels are mixed with those behind.

    The nearest colours that are wholly within and wholly outside say what the mixture should be; what a pixel has
    beyond that is the subject's detail.
    """
    inside, outside = share >= WHOLE, share <= 1 - WHOLE
    if inside.all() or not inside.any():
        return pixels
    own, far = _nearest(pixels, inside)
    behind = _nearest(pixels, outside)[0] if outside.any() else own
    mixed = (share > 0) & ~inside & (far <= EDGE)
    detail = pixels - (own * share[..., None] + behind * (1 - share[..., None]))
    return np.where(mixed[..., None], np.maximum(own + detail * share[..., None], 0), pixels)


def _nearest(pixels: Array, where: NDArray[np.bool_]) -> tuple[Array, Array]:
    """The colour of the nearest pixel that is one of some, and how far it is."""
    far, nearest = cv2.distanceTransformWithLabels(
        (~where).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    by_label = np.zeros((int(nearest.max()) + 1, pixels.shape[2]), np.float32)
    by_label[nearest[where]] = pixels[where]
    return by_label[nearest], np.asarray(far)


def over(pixels: Array, share: Opacity | None, backdrop: float) -> Array:
    """Linear pixels over an even grey of some light."""
    if share is None:
        return pixels
    return pixels * share[..., None] + np.float32(backdrop) * (1 - share[..., None])
