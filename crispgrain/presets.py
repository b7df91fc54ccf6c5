"""Presets: treatments, or parts of one, kept under a name."""

from __future__ import annotations

import itertools
import json
from pathlib import Path

from crispgrain.core.errors import TreatmentError
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.paths import presets_folder

SUFFIX = ".json"
SHIPPED = Path(__file__).with_name("shipped")


def saved() -> list[Path]:
    """The files of all presets: one's own by name, then those that ship, unless one of that name was saved."""
    own = sorted(presets_folder().glob(f"*{SUFFIX}")) if presets_folder().is_dir() else []
    names = {name_in(path) for path in own}
    return [*own, *(path for path in sorted(SHIPPED.glob(f"*{SUFFIX}")) if name_in(path) not in names)]


def file_name(name: str) -> str:
    """A name as a file may have it on any system."""
    return "".join(c if c.isalnum() or c in " -_" else "_" for c in name)


def path_for(folder: Path, name: str, before: str = "", suffix: str = SUFFIX) -> Path:
    """Where something is kept under a name: its file of old, or one that nothing else of another name has.

    Names that differ in punctuation alone would have one file name; the later one gets a number.
    """
    for number in itertools.count(1):
        path = folder / f"{before}{file_name(name)}{f'-{number}' if number > 1 else ''}{suffix}"
        if not path.exists() or name_in(path) == name:
            return path
    raise AssertionError


def name_in(path: Path) -> str:
    """The name that a file says it is kept under; its own where it says none."""
    try:
        return str(json.loads(path.read_text(encoding="utf-8")).get("name") or path.stem)
    except (OSError, ValueError, AttributeError):
        return path.stem


def save(treatment: Treatment, name: str, stages: list[Stage], per_shot: bool = False) -> Path:
    """Keep some stages of a treatment under a name; a preset of the very same name is written over.

    Raises
    ------
    ShotError
        If the file cannot be written.
    """
    path = path_for(presets_folder(), name)
    treatment.part(stages, name, per_shot).save(path)
    return path


def load(name: str) -> Treatment:
    """The preset kept under a name.

    Raises
    ------
    TreatmentError
        If there is none; names those there are.
    ShotError
        If its file cannot be read.
    """
    named = {name_in(path): path for path in saved()}
    if name not in named:
        raise TreatmentError(f"there is no preset “{name}”; there are {', '.join(named)}")
    return Treatment.load(named[name])
