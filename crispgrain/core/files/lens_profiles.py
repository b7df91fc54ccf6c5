"""What a shot's file or the lensfun database knows of its lens.

References
----------
lensfun, https://lensfun.github.io (library LGPL-3, database CC BY-SA 3.0), through lensfunpy.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import lensfunpy
import numpy as np
from lensfunpy import ModifyFlags
from numpy.typing import NDArray

from crispgrain.geometry import Size

from ..optics import LensProfile, Terms, fitted
from .source import Source

EDGE = 600  # px of the longer side that profiles are asked on
LEAST_SCORE = 20  # of a lens by lensfun, whose names are never written alike; below it is another lens
FAR = 1000.0  # m, where the file does not say


def known_lens(source: Source) -> LensProfile | None:
    """What is known of the lens a shot was taken with: by the file itself, else by the database; None if by neither."""
    if source.lens is not None:
        return source.lens
    facts = source.facts
    if not facts.maker or not facts.focal_length:
        return None
    return _profile(facts.maker, facts.camera, facts.lens, facts.focal_length, facts.aperture or 8.0, source.size)


@lru_cache(maxsize=256)
def _profile(maker: str, camera: str, lens: str, focal: float, aperture: float, size: Size) -> LensProfile | None:
    model = camera[len(maker) :].strip() if camera.lower().startswith(maker.lower()) else camera
    for name in (model, camera):  # as the maker writes it: with its own name in front or without
        found = _database().find_cameras(maker, name)
        if found:
            break
    else:
        return None
    if lens:
        lenses = [x for x in _database().find_lenses(found[0], None, lens) if x.score >= LEAST_SCORE]
    else:  # built in, where the database writes the mount small; there is just one then
        lenses = _database().find_lenses(found[0]) if found[0].mount[:1].islower() else []
    return _asked(lenses[0], found[0].crop_factor, focal, aperture, size) if lenses else None


@lru_cache(maxsize=1)
def _database() -> Any:
    own = Path(__file__).with_name("lenses.xml").read_text(encoding="utf-8")
    # Not what else may lie on the machine: a treatment is to give the same everywhere.
    return lensfunpy.Database(xml=own, load_common=False)


def _asked(lens: Any, crop: float, focal: float, aperture: float, size: Size) -> LensProfile:
    shrunk = EDGE / max(size.width, size.height)
    width, height = max(16, round(size.width * shrunk)), max(16, round(size.height * shrunk))
    modifier = lensfunpy.Modifier(lens, crop, width, height)
    flags = ModifyFlags.DISTORTION | ModifyFlags.TCA | ModifyFlags.VIGNETTING
    modifier.initialize(focal, aperture, FAR, scale=1.0, pixel_format=np.float32, flags=flags)
    y, x = np.mgrid[:height, :width] - np.array([(height - 1) / 2, (width - 1) / 2])[:, None, None]
    # lensfun measures from the middle of the first pixel to that of the last.
    radius, unit = np.hypot(x, y), np.hypot(width - 1, height - 1) / 2

    def terms(places: NDArray | None) -> Terms:
        """Of one colour's places (h x w x 2)."""
        if places is None:
            return ()
        there = np.hypot(places[..., 0] - (width - 1) / 2, places[..., 1] - (height - 1) / 2)
        return fitted(radius / unit, there / radius, range(5))

    # lensfun answers in single precision and with quick roots: a smooth curve through all is nearer than each.
    colours = modifier.apply_subpixel_distortion()
    bright = np.ones((height, width, 3), np.float32)
    darkened = modifier.apply_color_modification(bright)
    return LensProfile(
        f"{lens.maker} {lens.model}" if not lens.model.startswith(lens.maker) else lens.model,
        terms(modifier.apply_geometry_distortion()),
        terms(colours[..., 0, :] if colours is not None else None),
        terms(colours[..., 2, :] if colours is not None else None),
        fitted(radius / unit, 1 / bright[..., 1], (0, 2, 4, 6)) if darkened else (),
    )
