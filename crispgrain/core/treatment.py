"""A treatment: all settings for one shot, as a list of operations, plain data with a JSON form.

A setting that is not there is *metered*: it follows the reading of each shot.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import jsonschema
from attrs import evolve, frozen
from jsonschema.exceptions import best_match

from .atomic import atomic_write
from .errors import ShotError, TreatmentError
from .marks import Mark
from .masks import Mask, mask_from_json
from .model import Stage, Value
from .operation import Operation, per_shot_settings
from .registry import CROP, CUT_OUT, DRAWING, HEAL, HINTS, LENS, PRINT_SCREEN, VIEW
from .treatment_schema import FORMAT, VERSION, migrated, schema

SIDECAR_SUFFIX = ".treatment.json"
# Of each there is one at most: id to stage and model.
FIXED = {m.id: (m.stage, m.id) for m in (HEAL, HINTS, DRAWING, PRINT_SCREEN, LENS, VIEW, CROP, CUT_OUT)}


@frozen
class Treatment:
    """All settings for one shot, or (as a preset) for some stages of any shot.

    Operations stand in the order of their stages; that *everywhere* comes first in each. ``rescue`` says that the file
    is damaged, and that what is left of it is wanted.
    """

    operations: tuple[Operation, ...] = ()
    name: str = ""
    mark: Mark = Mark.NONE  # of the shot; a preset has none, and sync leaves it alone
    rescue: bool = False  # as is this

    def __getitem__(self, stage: Stage) -> Operation:
        """A stage's operation everywhere."""
        return self.find(stage.value) or Operation(stage.value, stage)

    def find(self, id: str) -> Operation | None:
        return next((o for o in self.operations if o.id == id), None)

    @property
    def stages(self) -> tuple[Stage, ...]:
        """The stages of which something is said."""
        return tuple(dict.fromkeys(o.stage for o in self.operations))

    def beside(self, stage: Stage) -> tuple[Operation, ...]:
        """A stage's operations but that everywhere: zones and the crop."""
        return tuple(o for o in self.operations if o.stage is stage and not o.everywhere)

    def put(self, operation: Operation) -> Treatment:
        """A copy with an operation in place of that of the same id, or with one more."""
        if self.find(operation.id):
            return evolve(self, operations=tuple(operation if o.id == operation.id else o for o in self.operations))
        order = list(Stage)
        return evolve(
            self,
            operations=tuple(
                sorted([*self.operations, operation], key=lambda o: (order.index(o.stage), not o.everywhere))
            ),
        )

    def without(self, id: str) -> Treatment:
        """A copy without an operation; a stage is metered without the one everywhere."""
        return evolve(self, operations=tuple(o for o in self.operations if o.id != id))

    def with_zone(self, stage: Stage, mask: Mask, model: str | None = None) -> tuple[Treatment, str]:
        """A copy with one more zone of a stage, and the zone's id."""
        id = self.free_id()
        return self.put(Operation(id, stage, on=True, model=model, mask=mask)), id

    def free_id(self) -> str:
        """An id for one more zone."""
        taken = {o.id for o in self.operations}
        return next(f"zone-{n}" for n in range(1, len(taken) + 2) if f"zone-{n}" not in taken)

    def set(self, name: str, value: Value | bool | None) -> Treatment:
        """A copy with one setting changed.

        Parameters
        ----------
        name : str
            ``id.field`` of an operation; those everywhere have their stage's name: ``denoise.on``,
            ``denoise.model``, ``sharpen.radius``, ``zone-1.exposure``, ``crop.angle`` ...
        value
            The new value; None or ``"metered"`` makes it follow the reading.

        Raises
        ------
        TreatmentError
            If there is no such setting or the value does not fit it.
        """
        operation, field_name = self.addressed(name)
        return self.put(operation.set(field_name, value))

    def addressed(self, name: str) -> tuple[Operation, str]:
        """The operation of ``id.field``, new if it is everywhere, the lens, the crop or a cut-out, and the field.

        Raises
        ------
        TreatmentError
            If there is no such operation.
        """
        id, _, field_name = name.partition(".")
        found = self.find(id)
        if found is None and id in FIXED:
            stage, model = FIXED[id]
            found = Operation(id, stage, on=True, model=model)
        if found is None and id not in list(Stage):
            known = ", ".join(dict.fromkeys([*Stage, *FIXED, *(o.id for o in self.operations)]))
            raise TreatmentError(f"there is no stage or zone “{id}”; there are {known}")
        return found or Operation(id, Stage(id)), field_name

    def only(self, stages: Iterable[Stage]) -> Treatment:
        """A copy with every stage off but the given ones, with their zones; Print always stays on."""
        wanted = {*stages, Stage.PRINT}
        result = evolve(self, operations=tuple(o for o in self.operations if o.everywhere or o.stage in wanted))
        for stage in Stage:
            if stage not in wanted:
                result = result.set(f"{stage}.on", False)
            elif stage is not Stage.PRINT and result[stage].on is not True:
                result = result.set(f"{stage}.on", True)
        return result

    def up_to(self, stage: Stage) -> Treatment:
        """A copy with every stage after the given one off; Print always stays on."""
        order = list(Stage)
        later = [s for s in order[order.index(stage) + 1 :] if s is not Stage.PRINT]
        result = evolve(self, operations=tuple(o for o in self.operations if o.everywhere or o.stage not in later))
        for each in later:
            result = result.set(f"{each}.on", False)
        return result

    def synced_from(self, other: Treatment, stages: Iterable[Stage], per_shot: bool = False) -> Treatment:
        """A copy with the chosen stages taken from another treatment; metered settings stay metered.

        What was drawn or found on the other shot (zones and the crop, too) is left there unless ``per_shot``; this
        one keeps its own.
        """
        result = self
        for stage in stages:
            own, taken = result[stage], other[stage]
            if per_shot:
                for operation in result.beside(stage):
                    result = result.without(operation.id)
                for operation in other.beside(stage):  # whose id may be that of another stage's zone here
                    free = operation.id if result.find(operation.id) is None else result.free_id()
                    result = result.put(evolve(operation, id=free))
            else:
                drawn = per_shot_settings(stage)
                kept = {k: v for k, v in own.values.items() if k in drawn} if own.model == taken.model else {}
                values = {k: v for k, v in taken.values.items() if k not in drawn}
                taken = evolve(taken, values={**values, **kept}, mask=own.mask)
            result = result.put(taken)
        return result

    def part(self, stages: Iterable[Stage], name: str, per_shot: bool = False) -> Treatment:
        """A preset of the chosen stages; with ``per_shot``, of what was drawn or found on this shot, too."""
        return evolve(Treatment().synced_from(self, stages, per_shot), name=name)

    @property
    def has_per_shot(self) -> bool:
        """Whether anything in it was drawn or found on this shot."""
        return any(
            o.mask or not o.everywhere or any(name in per_shot_settings(o.stage) for name in o.values)
            for o in self.operations
        )

    def as_json(self) -> dict[str, Any]:
        named = {"name": self.name} if self.name else {}
        marked = {"mark": self.mark.value} if self.mark else {}
        left = {"rescue": True} if self.rescue else {}
        operations = [o.as_json() for o in self.operations]
        return {"format": FORMAT, "version": VERSION, **named, **marked, **left, "operations": operations}

    @classmethod
    def from_json(cls, data: Any) -> Treatment:
        """Read the JSON form, of this version or an earlier one.

        Raises
        ------
        TreatmentError
            If the data does not follow the schema, or names unknown models or settings.
        """
        data = migrated(data)
        error = best_match(jsonschema.Draft202012Validator(schema()).iter_errors(data))
        if error is not None:
            where = "/".join(str(p) for p in error.absolute_path) or "the top"
            raise TreatmentError(f"not a treatment: at {where}, {error.message}")
        result = cls(name=data.get("name", ""), mark=Mark(data.get("mark", "")), rescue=data.get("rescue", False))
        for entry in data["operations"]:
            if result.find(entry["id"]):
                raise TreatmentError(f"not a treatment: two operations are called “{entry['id']}”")
            mask = mask_from_json(entry["mask"]) if "mask" in entry else None
            operation = Operation(entry["id"], Stage(entry["stage"]), mask=mask)
            for key in ("on", "model"):
                operation = operation.set(key, entry.get(key))
            for key, value in entry["settings"].items():
                operation = operation.set(key, value)
            result = result.put(operation)
        return result

    def save(self, path: Path) -> None:
        """Write the JSON form, whole or not at all."""
        try:
            written = json.dumps(self.as_json(), indent=2) + "\n"
            atomic_write(path, lambda unfinished: unfinished.write_text(written, encoding="utf-8"))
        except OSError as error:
            raise ShotError(path, f"the treatment could not be saved ({error.strerror})") from error

    @classmethod
    def load(cls, path: Path) -> Treatment:
        """Read a treatment file.

        Raises
        ------
        ShotError
            If the file cannot be read or is not a treatment.
        """
        try:
            return cls.from_json(json.loads(path.read_text(encoding="utf-8")))
        except OSError as error:
            raise ShotError(path, f"the treatment cannot be read ({error.strerror})") from error
        except (ValueError, RecursionError) as error:
            raise ShotError(path, f"{error}") from error


def sidecar_path(shot: Path, folder: Path | None = None) -> Path:
    """Where a shot's treatment is kept: beside it, or in a chosen folder."""
    return (folder or shot.parent) / (shot.name + SIDECAR_SUFFIX)
