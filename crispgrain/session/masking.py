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
    """With one more stroke, and the place of the part that has it.

    Rough strokes that are open take it. Else it goes over all that is there: what gives, on a brush that adds at the
    end; what takes away, on one that takes away from the whole mask.
    """
    whole = as_parts(mask)
    part = whole.parts[index] if 0 <= index < len(whole.parts) else None
    if part is not None and isinstance(part.shape, Rough):
        return with_changed(whole, index, replace(part, shape=part.shape.painted(stroke))), index
    end = len(whole.parts) - 1
    last = whole.parts[-1] if whole.parts else None
    if last is not None and isinstance(last.shape, Brush) and not last.inverted:
        alone = end == 0 and last.how is How.ADD
        if alone or last.how is (How.SUBTRACT if stroke.out else How.ADD):
            own = stroke if alone else replace(stroke, out=False)
            return with_changed(whole, end, replace(last, shape=last.shape.painted(own))), end
    how = How.SUBTRACT if stroke.out else How.ADD
    return with_part(whole, Brush((replace(stroke, out=False),)), how), end + 1
