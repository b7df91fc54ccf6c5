"""The meter on a part of a shot: what blur and noise *that* subject has."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from crispgrain.geometry import Rect, Size

from ..files.source import RawSource, Source
from . import measure
from .reading import Reading

LEAST = 192  # px each way; in less too few edges are found


def measure_part(source: Source, rect: Rect, whole: Reading) -> Reading:
    """Measure a rectangle of a shot by itself; it is made larger if too little could be found in it.

    The noise of a RAW is its sensor's, and stays that of the ``whole``, as does whatever is known of the file.
    """
    part = _grown(rect, source.size)
    serial = (source.serial, "part", part)
    if isinstance(source, RawSource):
        cut: Source = source.part(part, serial)
    else:
        facts = replace(source.facts, equirectangular=False)
        cut = replace(source, stored=np.ascontiguousarray(source.stored[part.slices]), facts=facts, serial=serial,
                      opacity=None, lost=None)  # fmt: skip
    own = measure(cut)
    noise = whole.noise if isinstance(source, RawSource) else own.noise
    start = {name: getattr(whole.tones, name) for name in ("lift", "curve", "camera", "camera_colour")}
    return replace(own, noise=noise, size=whole.size, jpeg=whole.jpeg, tones=replace(own.tones, **start))


def _grown(rect: Rect, size: Size) -> Rect:
    """At least so large, within the picture, from an even row and column to an even one."""
    height, width = (max(n, LEAST) for n in (rect.height, rect.width))
    top = min(max(rect.top - (height - rect.height) // 2, 0), max(size.height - height, 0)) // 2 * 2
    left = min(max(rect.left - (width - rect.width) // 2, 0), max(size.width - width, 0)) // 2 * 2
    part = Rect(top, left, height // 2 * 2, width // 2 * 2)
    return part.intersect(size.rect)
