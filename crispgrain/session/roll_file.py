"""Rolls kept under a name: an open JSON file with the paths of its shots, relative to itself where that can be."""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from crispgrain.core.atomic import atomic_write
from crispgrain.core.errors import ShotError

from .json_file import load_json

FORMAT, VERSION, SUFFIX = "crispgrain-roll", 1, ".roll.json"
SCHEMA: dict[str, Any] = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": f"Crisp Grain roll, version {VERSION}",
    "type": "object", "required": ["format", "version", "shots"], "additionalProperties": False,
    "properties": {
        "format": {"const": FORMAT}, "version": {"const": VERSION},
        "shots": {"type": "array", "items": {"type": "string", "minLength": 1}},
        "on_easel": {"type": "integer", "minimum": 0},
    },
}  # fmt: skip


def save_roll(shots: Sequence[Path], on_easel: Path | None, path: Path) -> None:
    """Write a roll.

    Raises
    ------
    ShotError
        If it cannot be written.
    """
    here = path.absolute().parent
    data: dict[str, Any] = {"format": FORMAT, "version": VERSION, "shots": [_relative(s, here) for s in shots]}
    if on_easel is not None and on_easel in shots:
        data["on_easel"] = list(shots).index(on_easel)
    text = json.dumps(data, indent=2, ensure_ascii=False) + "\n"
    try:
        atomic_write(path, lambda unfinished: unfinished.write_text(text, encoding="utf-8"))
    except OSError as error:
        raise ShotError(path, f"the roll could not be saved ({error.strerror})") from error


def _relative(shot: Path, folder: Path) -> str:
    """POSIX form; absolute where there is no way from the folder to the shot, as on another drive."""
    try:
        return Path(os.path.relpath(shot.absolute(), folder)).as_posix()
    except ValueError:
        return shot.absolute().as_posix()


def load_roll(path: Path) -> tuple[list[Path], Path | None]:
    """The shots of a roll, in order, and that on the easel.

    Raises
    ------
    ShotError
        If the file cannot be read, or is no roll.
    """
    data = load_json(path, SCHEMA, "roll")
    shots = [Path(os.path.normpath(path.absolute().parent / shot)) for shot in data["shots"]]
    number = data.get("on_easel", -1)
    return shots, shots[number] if 0 <= number < len(shots) else None
