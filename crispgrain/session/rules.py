"""Rules: which preset a new shot gets, by what is known of it. In order; the first that fits is taken."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

from attrs import asdict, frozen

from crispgrain.core.atomic import atomic_write
from crispgrain.core.errors import ShotError
from crispgrain.core.files import RAW_SUFFIXES
from crispgrain.core.files.source import Facts

from .json_file import load_json

FORMAT, VERSION = "crispgrain-rules", 1
SCHEMA: dict[str, Any] = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": f"Crisp Grain rules, version {VERSION}",
    "type": "object", "required": ["format", "version", "rules"], "additionalProperties": False,
    "properties": {
        "format": {"const": FORMAT}, "version": {"const": VERSION},
        "rules": {
            "type": "array",
            "items": {
                "type": "object", "required": ["preset"], "additionalProperties": False,
                "properties": {
                    "preset": {"type": "string", "minLength": 1},
                    "camera": {"type": "string"},
                    "iso_from": {"type": "integer", "minimum": 0}, "iso_to": {"type": "integer", "minimum": 0},
                    "kind": {"enum": ["", "raw", "picture"]},
                    "below_megapixels": {"type": "number", "exclusiveMinimum": 0},
                },
            },
        },
    },
}  # fmt: skip


@frozen
class Rule:
    """A preset by its name, and what a shot must be to get it; what is not said is not asked for.

    ``camera`` is part of its name; ``kind`` is ``raw`` or ``picture``.
    """

    preset: str
    camera: str = ""
    iso_from: int | None = None
    iso_to: int | None = None
    kind: str = ""
    below_megapixels: float | None = None

    def why_not(self, path: Path, facts: Facts, megapixels: float) -> str:
        """Why a shot does not get the preset; empty if it does."""
        raw = path.suffix.lower() in RAW_SUFFIXES
        if self.camera and self.camera.lower() not in facts.camera.lower():
            return f"another camera than {self.camera}"
        if self.iso_from is not None and (facts.iso is None or facts.iso < self.iso_from):
            return f"not from ISO {self.iso_from}"
        if self.iso_to is not None and (facts.iso is None or facts.iso > self.iso_to):
            return f"not up to ISO {self.iso_to}"
        if self.kind and (self.kind == "raw") != raw:
            return f"no {'RAW' if self.kind == 'raw' else 'finished picture'}"
        if self.below_megapixels is not None and megapixels >= self.below_megapixels:
            return f"not below {self.below_megapixels:g} MP"
        return ""

    @property
    def words(self) -> str:
        """What it asks for, as a person would say it."""
        low, high = self.iso_from, self.iso_to
        iso = f"ISO {low or 0} to {high}" if high is not None else f"from ISO {low}" if low is not None else ""
        kind = {"raw": "RAW", "picture": "finished pictures"}.get(self.kind, "")
        size = f"below {self.below_megapixels:g} MP" if self.below_megapixels is not None else ""
        return ", ".join(part for part in (kind, self.camera, iso, size) if part) or "every shot"


def first_match(rules: Iterable[Rule], path: Path, facts: Facts, megapixels: float) -> Rule | None:
    """The rule that a shot falls under."""
    return next((rule for rule in rules if not rule.why_not(path, facts, megapixels)), None)


def save_rules(rules: Sequence[Rule], path: Path) -> None:
    """Write rules as JSON.

    Raises
    ------
    ShotError
        If they cannot be written.
    """
    listed = [{k: v for k, v in asdict(rule).items() if v not in (None, "")} for rule in rules]
    text = json.dumps({"format": FORMAT, "version": VERSION, "rules": listed}, indent=2) + "\n"
    try:
        atomic_write(path, lambda unfinished: unfinished.write_text(text, encoding="utf-8"))
    except OSError as error:
        raise ShotError(path, f"the rules could not be saved ({error.strerror})") from error


def load_rules(path: Path) -> list[Rule]:
    """Read rules.

    Raises
    ------
    ShotError
        If the file cannot be read, or holds no rules.
    """
    data = load_json(path, SCHEMA, "rules")
    return [Rule(**entry) for entry in data["rules"]]
