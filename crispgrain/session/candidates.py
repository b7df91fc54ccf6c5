"""The candidates of a test strip: models and strengths of one stage."""

from __future__ import annotations

from dataclasses import dataclass

from crispgrain.core.model import Model, Parameter, Stage
from crispgrain.core.outside import OutsidePicture
from crispgrain.core.registry import ABOUT, models_of
from crispgrain.core.resolve import resolve, switched_on
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment

MOST = 12
LADDER = 5  # steps
VARIED = (0.5, 1.5)  # of the strength as metered


@dataclass(frozen=True)
class Candidate:
    """One way to treat the shot, its label, and the model behind it (empty for a whole treatment)."""

    label: str
    treatment: Treatment
    model: str = ""
    outside: OutsidePicture | None = None  # what is shown in place of the treatment

    @property
    def choice(self) -> tuple[str, str]:
        """What it is remembered by when it is left out: a take may be named like a model."""
        return self.model, self.label


def candidates(stage: Stage, shot: Shot, treatment: Treatment) -> list[Candidate]:
    """Off, every model of the stage as it is set now, and the present one with other settings, weaker and stronger."""
    found: list[Candidate] = []
    lit = switched_on(treatment, [stage], shot.source, shot.reading)
    present = resolve(lit, shot.source, shot.reading)[stage].model
    if present.strength:
        found.append(Candidate("off", treatment.set(f"{stage}.on", False), "off"))
    for model in models_of(stage):
        if model.fits(shot.source):
            found.append(Candidate(model.name, lit.set(f"{stage}.model", model.id), model.name))
    for label, values in present.others(shot.source):
        other = lit
        for name, value in values.items():
            other = other.set(f"{stage}.{name}", value)
        found.append(Candidate(label, other, present.name))
    if present.strength:
        found += [_at_strength(shot, lit, present, share) for share in VARIED]
    return found[:MOST]


def ladder_settings(stage: Stage, shot: Shot, treatment: Treatment) -> list[Parameter]:
    """The settings that can be tried in a ladder, the strength first: all numbers of the present model but sizes."""
    if not ABOUT[stage].compared:
        return []
    resolved = resolve(treatment, shot.source, shot.reading)[stage]
    numbers = [p for p in resolved.model.parameters if p.is_number and not p.resizes and p.matters(resolved.values)]
    return sorted(numbers, key=lambda p: p.id != resolved.model.strength)


def ladder(stage: Stage, shot: Shot, treatment: Treatment, setting: str = "") -> list[Candidate]:
    """The present model with a setting (the strength if none is named) at five rising values; empty without one."""
    settings = ladder_settings(stage, shot, treatment)
    if not settings:
        return []
    parameter = next((p for p in settings if p.id == setting), settings[0])
    lit = switched_on(treatment, [stage], shot.source, shot.reading)
    resolved = resolve(lit, shot.source, shot.reading)[stage]
    lit = lit.set(f"{stage}.model", resolved.model.id)
    values = dict.fromkeys(_rungs(parameter, float(resolved.values[parameter.id])))
    unit = f" {parameter.unit}" if parameter.unit else ""
    return [
        Candidate(f"{value:g}{unit}", lit.set(f"{stage}.{parameter.id}", value), resolved.model.name)
        for value in values
    ]


def _rungs(parameter: Parameter, value: float) -> list[float]:
    """Five values: shares of the whole range for a percentage, else around the present one."""
    low, high = parameter.minimum, parameter.maximum
    if parameter.unit == "%":
        rungs = [low + (high - low) * n / (LADDER - 1) for n in range(LADDER)]
    elif low < 0 or value <= low:
        reach = (high - low) / 4
        start, end = max(low, value - reach), min(high, value + reach)
        rungs = [start + (end - start) * n / (LADDER - 1) for n in range(LADDER)]
    else:
        rungs = [min(high, value * share) for share in (0.5, 0.75, 1.0, 1.25, 1.5)]
    return [round(round(r / parameter.step) * parameter.step, 4) for r in rungs]


def _at_strength(shot: Shot, lit: Treatment, model: Model, share: float) -> Candidate:
    parameter = next(p for p in model.parameters if p.id == model.strength)
    strength = min(share * float(parameter.metered_value(shot.reading)), parameter.maximum)
    changed = lit.set(f"{model.stage}.model", model.id).set(f"{model.stage}.{model.strength}", strength)
    return Candidate(f"{model.name} {strength:.0f} %", changed, model.name)
