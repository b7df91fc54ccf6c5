"""The JSON Schema of treatments, made from the models there are; and how earlier versions become today's."""

from __future__ import annotations

from functools import cache
from typing import Any

from .marks import Mark
from .masks import SCHEMA as MASK
from .model import Parameter, Stage
from .operation import METERED
from .registry import MODELS

FORMAT = "crispgrain-treatment"
VERSION = 2


@cache
def schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the JSON form. Ranges are checked with the model at hand, not by it."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Crisp Grain treatment, version {VERSION}",
        "description": "All settings for one shot, or a preset for some stages. What is missing or “metered” follows "
        "the reading of each shot.",
        "type": "object",
        "required": ["format", "version", "operations"],
        "additionalProperties": False,
        "properties": {
            "format": {"const": FORMAT},
            "version": {"const": VERSION},
            "name": {"type": "string"},
            "mark": {"enum": [mark.value for mark in Mark if mark]},
            "rescue": {"type": "boolean", "description": "The file is damaged, and what is left of it is wanted."},
            "operations": {"type": "array", "items": {"oneOf": [_operation(stage) for stage in Stage]}},
        },
    }


def _operation(stage: Stage) -> dict[str, Any]:
    models = [m for m in MODELS if m.stage is stage]
    settings: dict[str, list[Parameter]] = {}
    for parameter in (p for m in models for p in m.parameters):
        settings.setdefault(parameter.id, []).append(parameter)
    return {
        "type": "object",
        "required": ["id", "stage", "settings"],
        "additionalProperties": False,
        "properties": {
            "id": {"type": "string", "pattern": "^[a-z][a-z0-9-]*$"},
            "stage": {"const": stage.value},
            "on": {"enum": [True, False, METERED]},
            "model": {"enum": [METERED, *(m.id for m in models)]},
            "settings": {
                "type": "object",
                "additionalProperties": {"type": ["number", "string"]},
                "properties": {name: _setting(meanings) for name, meanings in settings.items()},
            },
            "mask": MASK,
        },
    }


def _setting(meanings: list[Parameter]) -> dict[str, Any]:
    first = meanings[0]
    words = {"title": first.name, "description": first.help}
    return {**words, "type": ["number", "string"] if first.is_number or first.choices else "string"}


# Models and settings that had other names at first.
RENAMED_MODELS = {"grain": "surface"}
RENAMED = {"across": "varies", "extent": "longest", "doubt": "path_error"}


def migrated(data: Any) -> Any:
    """A treatment of an earlier version as one of today's; anything else as it is."""
    return _renamed(_as_operations(data))


def _renamed(data: Any) -> Any:
    if not isinstance(data, dict) or not isinstance(data.get("operations"), list):
        return data
    operations = []
    for operation in data["operations"]:
        if isinstance(operation, dict) and isinstance(operation.get("settings"), dict):
            settings = {RENAMED.get(name, name): value for name, value in operation["settings"].items()}
            operation = {**operation, "settings": settings}
            if operation.get("model") in RENAMED_MODELS:
                operation["model"] = RENAMED_MODELS[operation["model"]]
        operations.append(operation)
    return {**data, "operations": operations}


def _as_operations(data: Any) -> Any:
    """Version 1, which had one model a stage, as version 2; anything else as it is."""
    if not isinstance(data, dict) or data.get("version") != 1 or not isinstance(data.get("stages"), dict):
        return data
    if not all(isinstance(settings, dict) for settings in data["stages"].values()):
        return data
    operations = [
        {
            "id": stage, "stage": stage,
            **{k: v for k, v in settings.items() if k in ("on", "model")},
            "settings": {k: v for k, v in settings.items() if k not in ("on", "model")},
        }
        for stage, settings in data["stages"].items()
    ]  # fmt: skip
    rest = {k: v for k, v in data.items() if k not in ("stages", "version")}
    return {**rest, "version": VERSION, "operations": operations}
