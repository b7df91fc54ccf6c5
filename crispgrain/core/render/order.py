"""Which operation follows which, and what is known of the pixels before and after each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..frame import Frame
from ..masks import Mask
from ..model import Domain, Role, Stage
from ..resolve import Resolved, ResolvedOperation
from ..stages.develop import crop, light, print_screen
from ..stages.develop.lighting import BASE, BASE_COLOUR, changes
from ..stages.develop.lighting import PARAMETERS as LIGHT
from ..stages.enlarge.size import target_size

PIXEL_STAGES = (Stage.DEVELOP, Stage.DENOISE, Stage.SHARPEN, Stage.ENLARGE, Stage.FINISH)


@dataclass(frozen=True)
class Told:
    """What is known of a step's pixels inside of some masks and outside of others (all of them: ``where``)."""

    before: Frame
    after: Frame
    where: tuple[tuple[Mask, bool], ...] = ()


def in_order(resolved: Resolved) -> list[ResolvedOperation]:
    """The operations that change pixels, as they follow one another.

    Models on the mosaic go before Develop, which demosaics. Light is changed after Denoise, which knows the noise as it
    was metered, and before Sharpen. Crop and straighten, which stand first for the user, come just before Enlarge, and
    are part of its resampling: earlier they would spoil what is known of noise and blur. The dots of a print go before
    Denoise, which would take them for noise.
    """
    order = list(PIXEL_STAGES)

    def place(operation: ResolvedOperation) -> float:
        if operation.model.domain is Domain.MOSAIC:
            return -1
        if operation.model is print_screen.MODEL:
            return order.index(Stage.DENOISE) - 0.5
        if operation.model.may_be(Role.RETOUCH):
            return order.index(Stage.DENOISE) + 0.7
        if operation.model is light.MODEL:
            return order.index(Stage.DENOISE) + 0.5
        if operation.model.may_be(Role.SHAPE):  # what the lens did is undone before it is cropped
            return order.index(Stage.ENLARGE) - (0.5 if operation.model is crop.MODEL else 0.6)
        return order.index(operation.stage)

    everywhere = resolved[Stage.DEVELOP]
    own = {p.id for p in LIGHT} | {BASE, BASE_COLOUR}
    develop = replace(everywhere, values={k: v for k, v in everywhere.values.items() if k not in own})
    lit = replace(everywhere, model=light.MODEL, values={k: v for k, v in everywhere.values.items() if k in own})
    beside = [
        o
        for o in resolved.operations
        if o.stage in PIXEL_STAGES and o.on and o is not everywhere and not o.model.may_be(Role.CUT)
    ]
    return sorted([develop, *([lit] if changes(lit.values) else []), *beside], key=place)


def resamples(operation: ResolvedOperation) -> bool:
    """Whether an operation brings pixels to another grid, and can take on what others before it do to their shape."""
    return operation.stage is Stage.ENLARGE or operation.model.may_be(Role.SHAPE)


def ended(operation: ResolvedOperation, frame: Frame, shapes: tuple[ResolvedOperation, ...]) -> tuple[Frame, Frame]:
    """What is known outside and inside of an operation's mask, after it and those whose ``shapes`` it takes on."""
    begun = frame
    for shape in shapes:
        begun = shape.model.after(begun, shape.values)
    inside = operation.model.after(begun, operation.values)
    if operation.stage is Stage.ENLARGE:
        inside = inside.sized(target_size(begun.size, operation.values))
    if operation.mask is None or operation.stage is Stage.ENLARGE:
        return inside, inside
    inside = replace(inside, grey=inside.grey and frame.grey)
    return replace(inside, noise=frame.noise, cleaned=frame.cleaned, softness=frame.softness), inside


def parted(told: Sequence[Told], ends: Sequence[tuple[Frame, Frame]], mask: Mask | None) -> list[Told]:
    """The places a picture has after a step: twice as many if a mask gave one part of it other noise."""
    places: list[Told] = []
    for t, (outside, inside) in zip(told, ends, strict=True):
        if mask is None or (inside.noise, inside.cleaned) == (outside.noise, outside.cleaned):
            places.append(t)
        else:
            places += [Told(t.before, end, (*t.where, (mask, of))) for end, of in ((outside, False), (inside, True))]
    return places
