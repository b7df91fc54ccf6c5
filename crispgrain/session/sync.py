"""Which operations of a treatment go to other shots: metered for each of them, or with the same numbers."""

from __future__ import annotations

from collections.abc import Iterable

from attrs import evolve, frozen

from crispgrain.core.model import Stage
from crispgrain.core.operation import Operation, per_shot_settings
from crispgrain.core.registry import CROP, LENS, find_model
from crispgrain.core.resolve import Resolved
from crispgrain.core.treatment import Treatment


@frozen
class Part:
    """An operation that is to go to other shots.

    ``fixed`` gives them the same numbers; otherwise what is metered follows the reading of each. ``drawn`` takes
    what was drawn or found on the shot, too.
    """

    id: str
    fixed: bool = False
    drawn: bool = False


def whole_stages(treatment: Treatment, stages: Iterable[Stage], drawn: bool = False) -> list[Part]:
    """The parts of whole stages; zones and the crop only with what was ``drawn``."""
    parts = []
    for stage in stages:
        parts.append(Part(stage.value, drawn=drawn))
        parts += [Part(o.id, drawn=True) for o in treatment.beside(stage)] if drawn else []
    return parts


def name_of(operation: Operation) -> str:
    """An operation as a list shows it."""
    if operation.everywhere:
        return operation.stage.label
    if operation.id == CROP.id:
        return "Crop and straighten"
    if operation.id == LENS.id:
        return LENS.name
    model = f": {find_model(operation.stage, operation.model).name}" if operation.model else ""
    return f"{operation.stage.label}, {operation.id.replace('-', ' ')}{model}"


def synced(target: Treatment, given: Treatment, parts: Iterable[Part], resolved: Resolved | None) -> Treatment:
    """``target`` with parts of another treatment, ``resolved`` on its own shot if numbers are to be the same.

    Zones take the place of those with the same id in the same stage, or stand beside.
    """
    for part in parts:
        operation, _ = given.addressed(f"{part.id}.on")
        if part.fixed and resolved is not None:
            operation = _fixed(operation, resolved)
        target = _with(target, operation, part.drawn)
    return target


def _fixed(operation: Operation, resolved: Resolved) -> Operation:
    """The operation with all that is metered as it came out on the shot."""
    found = next((o for o in resolved.operations if o.id in (operation.id, "") and o.stage is operation.stage), None)
    if found is None:
        return operation
    drawn = per_shot_settings(operation.stage) - operation.values.keys()
    settings = {p.id for p in found.model.parameters} - drawn  # and not what is filled in beside them
    values = {k: v for k, v in found.values.items() if k in settings}
    return evolve(operation, on=found.on, model=found.model.id, values={**values, **operation.values})


def _with(target: Treatment, operation: Operation, drawn: bool) -> Treatment:
    if not operation.everywhere:
        there = target.find(operation.id)
        if there is not None and there.stage is not operation.stage:
            operation = evolve(operation, id=target.free_id())
        return target.put(operation)
    own = target[operation.stage]
    if not drawn:
        here = per_shot_settings(operation.stage)
        kept = {k: v for k, v in own.values.items() if k in here} if own.model == operation.model else {}
        values = {k: v for k, v in operation.values.items() if k not in here}
        operation = evolve(operation, values={**values, **kept}, mask=own.mask)
    if operation == Operation(operation.id, operation.stage) and target.find(operation.id) is None:
        return target  # both are metered
    return target.put(operation)
