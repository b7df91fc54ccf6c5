"""A treatment: all settings for one shot, stage by stage, as plain data with a JSON form.

A setting that is not there is *metered*: it follows the reading of each shot.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

import jsonschema

from .errors import ShotError, TreatmentError
from .files.source import Source
from .meter.reading import Reading
from .model import Model, Parameter, Stage, Value
from .registry import MODELS, find_model, models_of

METERED = "metered"
FORMAT = "crispgrain-treatment"
VERSION = 1
SIDECAR_SUFFIX = ".treatment.json"

# Below these, a stage would do more harm than good, and is metered off.
LEAST_NOISE = 0.7  # 8-bit units
LEAST_COMPRESSION = 15.0  # percent; JPEG of quality 85
LEAST_BLUR = 0.5  # px


@dataclass(frozen=True)
class StageSettings:
    """The settings of one stage; None and missing values are metered."""

    on: bool | None = None
    model: str | None = None
    values: Mapping[str, Value] = field(default_factory=dict)


@dataclass(frozen=True)
class Treatment:
    """All settings for one shot, or (as a preset) for some stages of any shot."""

    stages: Mapping[Stage, StageSettings] = field(default_factory=dict)
    name: str = ""

    def __getitem__(self, stage: Stage) -> StageSettings:
        return self.stages.get(stage, StageSettings())

    def with_stage(self, stage: Stage, settings: StageSettings) -> Treatment:
        return replace(self, stages={**self.stages, stage: settings})

    def set(self, name: str, value: Value | bool | None) -> Treatment:
        """A copy with one setting changed.

        Parameters
        ----------
        name : str
            ``stage.field``: ``denoise.on``, ``denoise.model``, ``sharpen.radius`` ...
        value
            The new value; None or ``"metered"`` makes it follow the reading.

        Raises
        ------
        TreatmentError
            If there is no such setting or the value does not fit it.
        """
        stage, field_name = _split(name)
        settings = self[stage]
        if value == METERED:
            value = None
        if field_name == "on":
            settings = replace(settings, on=None if value is None else _as_bool(name, value))
        elif field_name == "model":
            new = None if value is None else find_model(stage, str(value))
            old = find_model(stage, settings.model) if settings.model else None
            kept = {name: v for name, v in settings.values.items() if _means_the_same(stage, name, old, new)}
            settings = replace(settings, model=None if value is None else str(value), values=kept)
        else:
            values = dict(settings.values)
            values.pop(field_name, None)
            if value is not None:
                values[field_name] = _checked(name, value, settings.model)
            else:
                parameters_named(stage, field_name)
            settings = replace(settings, values=values)
        return self.with_stage(stage, settings)

    def only(self, stages: Iterable[Stage]) -> Treatment:
        """A copy with every stage off but the given ones; Print always stays on."""
        wanted = {*stages, Stage.PRINT}
        result = self
        for stage in Stage:
            if stage not in wanted:
                result = result.set(f"{stage}.on", False)
            elif stage is not Stage.PRINT and result[stage].on is not True:
                result = result.set(f"{stage}.on", True)
        return result

    def up_to(self, stage: Stage) -> Treatment:
        """A copy with every stage after the given one off; Print always stays on."""
        order = list(Stage)
        result = self
        for later in order[order.index(stage) + 1 :]:
            if later is not Stage.PRINT:
                result = result.set(f"{later}.on", False)
        return result

    def synced_from(self, other: Treatment, stages: Iterable[Stage], per_shot: bool = False) -> Treatment:
        """A copy with the chosen stages taken from another treatment; metered settings stay metered.

        What was drawn or found on the other shot is left there unless ``per_shot``; this one keeps its own.
        """
        result = self
        for stage in stages:
            taken = other[stage]
            if not per_shot:
                own = {k: v for k, v in self[stage].values.items() if k in per_shot_settings(stage)}
                values = {k: v for k, v in taken.values.items() if k not in per_shot_settings(stage)}
                taken = replace(taken, values={**values, **(own if self[stage].model == taken.model else {})})
            result = result.with_stage(stage, taken)
        return result

    def part(self, stages: Iterable[Stage], name: str, per_shot: bool = False) -> Treatment:
        """A preset of the chosen stages; with ``per_shot``, of what was drawn or found on this shot, too."""
        return replace(Treatment().synced_from(self, stages, per_shot), name=name)

    @property
    def has_per_shot(self) -> bool:
        """Whether anything in it was drawn or found on this shot."""
        return any(name in per_shot_settings(stage) for stage, s in self.stages.items() for name in s.values)

    def as_json(self) -> dict[str, Any]:
        stages = {}
        for stage in Stage:
            if stage in self.stages:
                s = self.stages[stage]
                stages[stage.value] = {
                    "on": METERED if s.on is None else s.on,
                    "model": METERED if s.model is None else s.model,
                    **s.values,
                }
        named = {"name": self.name} if self.name else {}
        return {"format": FORMAT, "version": VERSION, **named, "stages": stages}

    @classmethod
    def from_json(cls, data: Any) -> Treatment:
        """Read the JSON form.

        Raises
        ------
        TreatmentError
            If the data does not follow the schema, or names unknown models or settings.
        """
        try:
            jsonschema.validate(data, schema())
        except jsonschema.ValidationError as error:
            where = "/".join(str(p) for p in error.absolute_path) or "the top"
            raise TreatmentError(f"not a treatment: at {where}, {error.message}") from error
        result = cls(name=data.get("name", ""))
        for stage_name, settings in data["stages"].items():
            result = result.with_stage(Stage(stage_name), StageSettings())
            for key, value in settings.items():
                result = result.set(f"{stage_name}.{key}", value)
        return result

    def save(self, path: Path) -> None:
        """Write the JSON form, whole or not at all."""
        unfinished = path.with_name(f".unfinished-{path.name}")
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            unfinished.write_text(json.dumps(self.as_json(), indent=2) + "\n", encoding="utf-8")
            unfinished.replace(path)
        except OSError as error:
            unfinished.unlink(missing_ok=True)
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


@cache
def schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the JSON form."""
    text = resources.files(__package__).joinpath("treatment.schema.json").read_text(encoding="utf-8")
    return json.loads(text)


def _split(name: str) -> tuple[Stage, str]:
    stage_name, _, field_name = name.partition(".")
    try:
        return Stage(stage_name), field_name
    except ValueError:
        known = ", ".join(Stage)
        raise TreatmentError(f"there is no stage “{stage_name}”; there are {known}") from None


def parameters_named(stage: Stage, parameter: str, model: str | None = None) -> list[Parameter]:
    """The parameters of that name among a stage's models, or of one model.

    Raises
    ------
    TreatmentError
        If no model of the stage has it.
    """
    found = [p for m in models_of(stage) for p in m.parameters if p.id == parameter and model in (None, m.id)]
    if not found and model is not None:
        found = parameters_named(stage, parameter)
    if not found:
        known = sorted({p.id for m in models_of(stage) for p in m.parameters} | {"on", "model"})
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


def _checked(name: str, value: Value | bool, model: str | None) -> Value:
    stage, field_name = _split(name)
    parameters = parameters_named(stage, field_name, model)
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


@dataclass(frozen=True)
class ResolvedStage:
    """One stage with nothing left metered; remarks say what had to be changed to do so, and what was chosen badly."""

    stage: Stage
    on: bool
    model: Model
    values: Mapping[str, Value]
    remarks: tuple[str, ...] = ()
    done_in: Stage | None = None  # the stage whose model does the work of this one, which is off for that


@dataclass(frozen=True)
class Resolved:
    """A treatment made concrete for one shot."""

    stages: Mapping[Stage, ResolvedStage]

    def __getitem__(self, stage: Stage) -> ResolvedStage:
        return self.stages[stage]

    @property
    def remarks(self) -> list[str]:
        """Those of every stage."""
        return [remark for stage in self.stages.values() for remark in stage.remarks]


def metered_model(stage: Stage, source: Source, reading: Reading) -> Model:
    """The model a shot gets if none is chosen: the first of its stage that can take its pixels and suits it."""
    return next(m for m in models_of(stage) if m.fits(source) and m.suits(reading))


def metered_on(stage: Stage, reading: Reading) -> bool:
    """Whether a stage is needed at all, by the reading."""
    match stage:
        case Stage.DENOISE:
            noisy = max(reading.noise.luminance, reading.noise.colour) >= LEAST_NOISE
            return noisy or reading.jpeg.strength >= LEAST_COMPRESSION
        case Stage.SHARPEN:
            return reading.blur.softness >= LEAST_BLUR
        case Stage.ENLARGE | Stage.FINISH:
            return False
    return True


def switched_on(treatment: Treatment, stages: Iterable[Stage], source: Source, reading: Reading) -> Treatment:
    """A copy in which stages that would be off for this shot are on: who changes a setting wants to see it."""
    resolved = resolve(treatment, source, reading)
    for stage in stages:
        if not resolved[stage].on:
            treatment = treatment.set(f"{stage}.on", True)
    return treatment


def resolve(treatment: Treatment, source: Source, reading: Reading) -> Resolved:
    """Fill in every metered setting from a shot's reading.

    A model that cannot be used, or works on a RAW mosaic where there is none, is replaced with a remark. One that is
    the wrong choice is kept, with a remark.
    """
    stages = {}
    for stage in Stage:
        remarks: list[str] = []
        settings = treatment[stage]
        model = find_model(stage, settings.model) if settings.model else metered_model(stage, source, reading)
        if model.problem() or not model.fits(source):
            fallback = metered_model(stage, source, reading)
            why = model.problem() or f"{model.name} needs a RAW mosaic."
            if stage is not Stage.DEVELOP:  # there nobody would expect anything else
                remarks.append(f"{why} {fallback.name} is used for this shot.")
            model = fallback
        on = metered_on(stage, reading) if settings.on is None else settings.on
        if on and (caution := model.caution(reading)):
            remarks.append(caution)
        values: dict[str, Value] = {}
        for p in model.parameters:
            value = settings.values.get(p.id, p.metered_value(reading))
            values[p.id] = min(max(float(value), p.minimum), p.maximum) if p.is_number else value
        stages[stage] = ResolvedStage(stage, on, model, values, tuple(remarks))
    return Resolved(_without_double_work(stages, treatment))


def _without_double_work(stages: dict[Stage, ResolvedStage], treatment: Treatment) -> dict[Stage, ResolvedStage]:
    """The stages, with those off whose work the model of another does, unless they were switched on by hand."""
    for other in [s for s in stages.values() if s.on]:
        for stage in other.model.does:
            if stages[stage].on and treatment[stage].on is None:
                stages[stage] = replace(stages[stage], on=False, done_in=other.stage)
    return stages
