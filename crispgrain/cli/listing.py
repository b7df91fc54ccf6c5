"""``crispgrain meter`` and ``crispgrain models``: what was found in files, and what can be done about it."""

from __future__ import annotations

import argparse
import json
import sys

from crispgrain.core.errors import ShotError
from crispgrain.core.meter.words import all_words
from crispgrain.core.model import Parameter, Role, Stage
from crispgrain.core.registry import MODELS
from crispgrain.core.shot import Shot

from .opening import opened


def meter_files(options: argparse.Namespace) -> int:
    """``crispgrain meter``: one paragraph, or one JSON object, per file."""
    found, failed = [], 0
    for shot in opened(options.files):
        if isinstance(shot, ShotError):
            failed += 1
            print(f"crispgrain: {shot}", file=sys.stderr)
        elif options.json:
            found.append({"file": str(shot.path), **shot.reading.as_json()})
        else:
            print(_reading_words(shot))
    if options.json:
        print(json.dumps(found, indent=2))
    return 1 if failed else 0


def _reading_words(shot: Shot) -> str:
    noise, facts = shot.reading.noise, shot.source.facts
    title = [shot.path.name, *([facts.camera] if facts.camera else []), *([f"ISO {facts.iso}"] if facts.iso else [])]
    lines = [", ".join(title), *all_words(shot.reading)]
    if noise.a is not None and noise.b is not None:
        each = ", ".join(f"{c} {a:.3g} x + {b:.3g}" for c, a, b in zip("RGB", noise.a, noise.b, strict=True))
        lines.append(f"sensor variance by signal x: {each}")
    return "\n  ".join(lines + list(facts.remarks))


def _parameter_json(stage: Stage, p: Parameter) -> dict[str, object]:
    limits: dict[str, object] = {"choices": list(p.choices)} if p.choices else {"text": True}
    if p.is_number:
        limits = {"range": [p.minimum, p.maximum]}
    return {
        "setting": f"{stage}.{p.id}", "name": p.name, "help": p.help, "default": p.default, "unit": p.unit, **limits
    }  # fmt: skip


def list_models(options: argparse.Namespace) -> int:
    """``crispgrain models``."""
    if options.json:
        listed = [
            {
                "stage": m.stage.value, "id": m.id, "name": m.name, "purpose": m.purpose,
                "parameters": [_parameter_json(m.stage, p) for p in m.parameters],
            }
            for m in MODELS
        ]  # fmt: skip
        print(json.dumps(listed, indent=2, ensure_ascii=False))
        return 0
    for stage in Stage:
        print(f"{stage.label}    {stage}.on = metered, on, off")
        for m in (m for m in MODELS if m.stage is stage):
            trouble = f" Cannot be used here: {m.unavailable()}" if m.unavailable() else ""
            name = stage.value
            if m.may_be(Role.EVERYWHERE):
                print(f"  {stage}.model={m.id}    {m.name}. {m.purpose}{trouble}")
            else:
                name = m.id if m.may_be(Role.SHAPE) else "zone-1"
                print(f"  {name}    {m.name}. {m.purpose}{trouble}")
            for p in m.parameters:
                limits = " | ".join(p.choices) if p.choices else "text"
                if p.is_number:
                    limits = f"{p.minimum:g} to {p.maximum:g} {p.unit}".rstrip()
                print(f"      {name}.{p.id}    {limits}; {p.help}")
    return 0
