"""What is said of each stage of a shot: one line on the rail, what the meter found, what should be known."""

from __future__ import annotations

from collections.abc import Sequence

from crispgrain.geometry import Size

from .about import Facts
from .model import Role, Stage
from .registry import ABOUT
from .render.pipeline import Pipeline
from .resolve import ResolvedOperation


def facts_of(pipeline: Pipeline) -> Facts:
    frame, size = pipeline.steps[-1].after, pipeline.size
    cropped = Size(*(max(1, round(n * frame.stretch)) for n in (size.height, size.width)))
    printing = pipeline.resolved[Stage.PRINT].values
    return Facts(pipeline.source, pipeline.reading, size, printing, frame.softness, cropped)


def stage_summary(stage: Stage, pipeline: Pipeline) -> str:
    """Model and strength in a few words, or ``off``; and what stands beside it."""
    beside = [o for o in pipeline.resolved.beside if o.stage is stage and o.on]
    own = [o for o in beside if (o.mask is None and o.model.roles) or (o.mask and o.model.may_be(Role.CUT))]
    zones = sum(o.mask is not None and not o.model.may_be(Role.CUT) for o in beside)
    said = [_words(pipeline.resolved[stage], pipeline)]
    said += [_words(o, pipeline) for o in own]  # a model without a role is a part of another
    said += [f"{zones} zone{'s' if zones > 1 else ''}"] if zones else []
    return ", ".join(said)


def _words(operation: ResolvedOperation, pipeline: Pipeline) -> str:
    if not operation.on:
        return f"done in {operation.done_in.label}" if operation.done_in else "off"
    return operation.model.summary(operation.model, operation.values, pipeline.size)


def reading_words(stage: Stage, pipeline: Pipeline) -> list[str]:
    """What the meter found that matters to a stage."""
    return _sentences(ABOUT[stage].reading(facts_of(pipeline)))


def remark_words(stage: Stage, pipeline: Pipeline) -> list[str]:
    """What should be known before trusting a stage: what the file lacks, a model replaced or badly chosen."""
    return [*pipeline.resolved[stage].remarks, *ABOUT[stage].remarks(facts_of(pipeline))]


def _sentences(lines: Sequence[str]) -> list[str]:
    return [line[:1].upper() + line[1:] for line in lines]
