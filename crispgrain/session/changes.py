"""What a change of a setting means: the stage it belongs to is switched on, for who changes it wants to see it."""

from __future__ import annotations

from collections.abc import Mapping

from attrs import evolve

from crispgrain.core.model import Stage
from crispgrain.core.operation import METERED, per_shot_settings
from crispgrain.core.resolve import switched_on
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment


def with_setting(treatment: Treatment, name: str, value: object, shot: Shot | None) -> Treatment:
    """A treatment with one setting changed (``id.field``; None is metered); ``id.*`` returns all of an operation.

    Raises
    ------
    TreatmentError
        If there is no such setting, or it does not take the value.
    """
    operation, field = treatment.addressed(name)
    if field == "*":
        return treatment.without(operation.id) if operation.everywhere else treatment.put(operation.reset())
    return with_settings(treatment, {name: value}, shot)


def carried(before: Treatment, after: Treatment, other: Treatment) -> Treatment:
    """``other`` changed as ``before`` was to become ``after``: only what differs between these, for whole pictures.

    Zones, the crop, and what was drawn or found on a shot stay where they are.
    """
    for stage in Stage:
        old, new, own = before[stage], after[stage], other[stage]
        if old == new:
            continue
        kept = per_shot_settings(stage)
        values = dict(own.values)
        for name in {*old.values, *new.values} - kept:
            if old.values.get(name) != new.values.get(name):
                values.pop(name, None)
                values |= {name: new.values[name]} if name in new.values else {}
        other = other.put(
            evolve(
                own, values=values, on=own.on if new.on == old.on else new.on,
                model=own.model if new.model == old.model else new.model,
            )
        )  # fmt: skip
        if other[stage] == other[stage].reset():
            other = other.without(stage.value)
    return other


def with_settings(treatment: Treatment, settings: Mapping[str, object], shot: Shot | None) -> Treatment:
    """A treatment with settings changed; stages that would be off for the ``shot`` are on, unless switched as well.

    Raises
    ------
    TreatmentError
        If there is no such setting, or it does not take the value.
    """
    changed: set[Stage] = set()
    switched: set[Stage] = set()
    for name, value in settings.items():
        treatment = treatment.set(name, value)  # type: ignore[arg-type]
        operation, field = treatment.addressed(name)
        if value not in (None, METERED) and operation.everywhere:
            (switched if field == "on" else changed).add(operation.stage)
    return switched_on(treatment, changed - switched, shot.source, shot.reading) if shot is not None else treatment
