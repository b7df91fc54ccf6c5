"""Masks: grey maps that limit an operation to part of a picture, kept as shapes and recipes over the source."""

from __future__ import annotations

from crispgrain.arrays import Array

from .composite import Composite, How, Part
from .composite import Shape as Mask
from .found import Found, Kind
from .gradients import Lasso, LinearGradient, Oval
from .ground import Ground
from .lost import Lost
from .picture import Picture
from .rough import Rough
from .schema import SCHEMA, mask_from_json
from .specks import Specks
from .strokes import Brush, Stroke

__all__ = [
    "SCHEMA",
    "Brush",
    "Composite",
    "Found",
    "Ground",
    "How",
    "Kind",
    "Lasso",
    "LinearGradient",
    "Lost",
    "Mask",
    "Oval",
    "Part",
    "Picture",
    "Rough",
    "Specks",
    "Stroke",
    "blended",
    "mask_from_json",
]  # fmt: skip


def blended(without: Array, changed: Array, mask: Array) -> Array:
    """``without`` where the mask (H x W) is 0, ``changed`` where it is 1, to the last bit; mixed in between."""
    share = mask[..., None] if without.ndim == 3 else mask
    return without * (1 - share) + changed * share
