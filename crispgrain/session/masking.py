"""Changes to the parts of a mask, each giving a mask anew."""

from __future__ import annotations

from dataclasses import replace

from crispgrain.core.masks import Brush, Composite, How, Mask, Part, Rough, Stroke


def as_parts(mask: Mask | None) -> Composite:
    """A mask as parts put together; nothing is in one that is none."""
    if mask is None:
        return Composite()
    return mask if isinstance(mask, Composite) else Composite((Part(mask),))


def with_part(mask: Mask | None, shape: Mask, how: How = How.ADD) -> Composite:
    whole = as_parts(mask)
    return replace(whole, parts=(*whole.parts, Part(shape, how)))


def without_part(mask: Mask | None, index: int) -> Composite:
    whole = as_parts(mask)
    return replace(whole, parts=whole.parts[:index] + whole.parts[index + 1 :])


def with_changed(mask: Mask | None, index: int, part: Part) -> Composite:
    whole = as_parts(mask)
    return replace(whole, parts=(*whole.parts[:index], part, *whole.parts[index + 1 :]))


def painted(mask: Mask | None, index: int, stroke: Stroke) -> tuple[Composite, int]:
    """With one more stroke on a brush or on rough strokes, or on a brush of its own; and the place of that part."""
    whole = as_parts(mask)
    if 0 <= index < len(whole.parts):
        part = whole.parts[index]
        if isinstance(part.shape, Brush | Rough):
            return with_changed(whole, index, replace(part, shape=part.shape.painted(stroke))), index
    return with_part(whole, Brush((stroke,))), len(whole.parts)
