"""Takes of a shot: several treatments kept for it under names, to compare and to come back to."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from attrs import evolve

from crispgrain.core.errors import ShotError
from crispgrain.core.marks import Mark
from crispgrain.core.treatment import Treatment
from crispgrain.presets import path_for

SUFFIX = ".take.json"
OLD_SUFFIX = ".variant.json"  # what takes were called in version 0.2


def take_path(shot: Path, name: str, folder: Path | None = None) -> Path:
    """Where a take of a shot is kept: beside it, or in a chosen folder."""
    return path_for(folder or shot.parent, name, f"{shot.name}.", SUFFIX)


def take_files(shot: Path, folder: Path | None = None) -> list[Path]:
    """The files of a shot's takes, by name."""
    beside = list((folder or shot.parent).iterdir()) if (folder or shot.parent).is_dir() else []
    return sorted(p for p in beside if p.name.startswith(f"{shot.name}.") and p.name.endswith((SUFFIX, OLD_SUFFIX)))


def takes_of(shot: Path, folder: Path | None, problem: Callable[[str], object]) -> list[Treatment]:
    """The takes of a shot, each with its name; ``problem`` hears of those that cannot be read."""
    found = []
    for path in take_files(shot, folder):
        try:
            found.append(Treatment.load(path))
        except ShotError as error:
            problem(str(error))
    return found


def keep_take(treatment: Treatment, shot: Path, name: str, folder: Path | None = None) -> None:
    """Keep a treatment of a shot under a name; one of the same name is written over.

    Raises
    ------
    ShotError
        If it cannot be written.
    """
    evolve(treatment, name=name, mark=Mark.NONE).save(take_path(shot, name, folder))
