"""The candidates of a test strip: models and strengths of one stage."""

from __future__ import annotations

from dataclasses import dataclass, replace

from crispgrain.core.model import Stage
from crispgrain.core.registry import models_of
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment, resolve

MOST = 12
LADDER = 5  # steps
STRENGTH = {Stage.DENOISE: "luminance", Stage.SHARPEN: "strength"}
VARIED = {Stage.DENOISE: (50.0, 150.0), Stage.SHARPEN: (40.0, 120.0)}
RUNGS = {Stage.DENOISE: (0.0, 50.0, 100.0, 150.0, 200.0), Stage.SHARPEN: (0.0, 40.0, 80.0, 120.0, 160.0)}


@dataclass(frozen=True)
class Candidate:
    """One way to treat the shot, its label, and the model behind it (empty for a whole treatment)."""

    label: str
    treatment: Treatment
    model: str = ""

    @property
    def choice(self) -> tuple[str, str]:
        """What it is remembered by when it is left out: a kept variant may be named like a model."""
        return self.model, self.label


def candidates(stage: Stage, shot: Shot, treatment: Treatment) -> list[Candidate]:
    """Off, every model of the stage at its strengths now, and weaker and stronger versions of the present one."""
    found: list[Candidate] = []
    if stage in STRENGTH:
        found.append(Candidate("off", treatment.set(f"{stage}.on", False), "off"))
    lit = treatment.set(f"{stage}.on", True) if stage is not Stage.DEVELOP else treatment
    for model in models_of(stage):
        if model.fits(shot.source):
            found.append(Candidate(model.name, lit.set(f"{stage}.model", model.id), model.name))
    if stage in STRENGTH:
        found += [_at_strength(stage, shot, lit, strength) for strength in VARIED[stage]]
    return found[:MOST]


def ladder(stage: Stage, shot: Shot, treatment: Treatment) -> list[Candidate]:
    """The present model at five rising strengths; empty for a stage without a strength."""
    if stage not in STRENGTH:
        return []
    lit = treatment.set(f"{stage}.on", True)
    rungs = [_at_strength(stage, shot, lit, strength) for strength in RUNGS[stage]]
    return [replace(rung, label=rung.label.removeprefix(rung.model).strip()) for rung in rungs]


def _at_strength(stage: Stage, shot: Shot, lit: Treatment, strength: float) -> Candidate:
    model = resolve(lit, shot.source, shot.reading)[stage].model
    limit = next(p.maximum for p in model.parameters if p.id == STRENGTH[stage])
    strength = min(strength, limit)
    changed = lit.set(f"{stage}.model", model.id).set(f"{stage}.{STRENGTH[stage]}", strength)
    return Candidate(f"{model.name} {strength:.0f} %", changed, model.name)
