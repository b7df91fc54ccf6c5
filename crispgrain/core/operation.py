"""One entry of a treatment: a stage, a model, its settings, on or off, its mask."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from attrs import evolve, field, frozen, validators

from .errors import TreatmentError
from .masks import Mask
from .model import Model, Parameter, Role, Stage, Value
from .registry import MODELS, find_model

METERED = "metered"


@frozen
class Operation:
    """The settings of one operation; None and missing values are metered.

    Every stage has one *everywhere*, whose id is the stage's name. Others, zones and the crop, have ids of their own.
    """

    id: str = field(validator=validators.matches_re(r"[a-z][a-z0-9-]*"))
    stage: Stage = field(validator=validators.instance_of(Stage))
    on: bool | None = field(default=None, validator=validators.optional(validators.instance_of(bool)))
    model: str | None = field(default=None, validator=validators.optional(validators.instance_of(str)))
    values: Mapping[str, Value] = field(factory=dict)
    mask: Mask | None = field(default=None, validator=validators.optional(validators.instance_of(Mask)))  # type: ignore[type-abstract]

    @property
    def everywhere(self) -> bool:
        return self.id == self.stage

    @property
    def touched(self) -> bool:
        """Whether anything in it is not metered."""
        return self != Operation(self.id, self.stage)

    def reset(self) -> Operation:
        """A copy with every setting metered; what it is and where it shows stays."""
        return Operation(self.id, self.stage) if self.everywhere else evolve(self, values={})

    def set(self, field_name: str, value: Value | bool | None) -> Operation:
        """A copy with one setting changed; None or ``"metered"`` makes it follow the reading.

        Raises
        ------
        TreatmentError
            If there is no such setting or the value does not fit it.
        """
        value = None if value == METERED else value
        name = f"{self.id}.{field_name}"
        if field_name == "on":
            return evolve(self, on=None if value is None else _as_bool(name, value))
        if field_name == "model":
            new = None if value is None else find_model(self.stage, str(value))
            if new is not None and self.everywhere and not new.may_be(Role.EVERYWHERE):
                raise TreatmentError(
                    f"{new.name} is not for everywhere: {self.stage.label} has it beside its own model"
                )
            old = find_model(self.stage, self.model) if self.model else None
            kept = {k: v for k, v in self.values.items() if _means_the_same(self.stage, k, old, new)}
            return evolve(self, model=None if value is None else str(value), values=kept)
        parameters = parameters_named(self.stage, field_name, self.model)
        values = {k: v for k, v in self.values.items() if k != field_name}
        if value is not None:
            values[field_name] = _checked(name, value, parameters)
        return evolve(self, values=values)

    def as_json(self) -> dict[str, Any]:
        return {
            "id": self.id, "stage": self.stage.value, "on": METERED if self.on is None else self.on,
            "model": METERED if self.model is None else self.model, "settings": dict(self.values),
            **({"mask": self.mask.as_json()} if self.mask else {}),
        }  # fmt: skip


def parameters_named(stage: Stage, parameter: str, model: str | None = None) -> list[Parameter]:
    """The parameters of that name among a stage's models, or of one model.

    Raises
    ------
    TreatmentError
        If no model of the stage has it.
    """
    models = [m for m in MODELS if m.stage is stage and not m.unavailable()]
    found = [p for m in models for p in m.parameters if p.id == parameter and model in (None, m.id)]
    if not found and model is not None:
        found = parameters_named(stage, parameter)
    if not found:
        known = sorted({p.id for m in models for p in m.parameters} | {"on", "model"})
        raise TreatmentError(f"{stage.label} has no setting “{parameter}”; it has {', '.join(known)}")
    return found


def per_shot_settings(stage: Stage) -> set[str]:
    """The settings of a stage's models that belong to one shot."""
    return {p.id for m in MODELS if m.stage is stage for p in m.parameters if p.per_shot}


def _means_the_same(stage: Stage, name: str, old: Model | None, new: Model | None) -> bool:
    """Whether a setting may stay when the model changes (None: metered): a radius is not a radius everywhere."""
    meanings = [p for m in MODELS if m.stage is stage for p in m.parameters if p.id == name]
    if all(p == meanings[0] for p in meanings):
        return True
    before, after = ([p for p in m.parameters if p.id == name] if m else [] for m in (old, new))
    return old is new or (bool(before) and before == after)


def _as_bool(name: str, value: Value | bool) -> bool:
    if isinstance(value, bool):
        return value
    words = {"on": True, "true": True, "yes": True, "1": True, "off": False, "false": False, "no": False, "0": False}
    if str(value).lower() not in words:
        raise TreatmentError(f"{name} is on, off or metered, not “{value}”")
    return words[str(value).lower()]


def _checked(name: str, value: Value | bool, parameters: list[Parameter]) -> Value:
    choices = parameters[0].choices
    if choices:
        text = str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)
        if text not in choices:
            raise TreatmentError(f"{name} is one of {', '.join(choices)}, not “{value}”")
        return text
    check = parameters[0].check
    if check is not None:
        try:
            check(str(value))
        except ValueError as error:
            raise TreatmentError(f"{name}: {error}") from None
        return str(value)
    try:
        number = float(value)
    except ValueError:
        raise TreatmentError(f"{name} is a number, not “{value}”") from None
    low, high = min(p.minimum for p in parameters), max(p.maximum for p in parameters)
    if not low <= number <= high:
        raise TreatmentError(f"{name} goes from {low:g} to {high:g}; {number:g} is outside")
    return number
