"""Presets: treatments, or parts of one, kept under a name."""

from __future__ import annotations

from pathlib import Path

from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.paths import presets_folder


def saved() -> list[Path]:
    """The files of all presets, by name."""
    return sorted(presets_folder().glob("*.json")) if presets_folder().is_dir() else []


def file_name(name: str) -> str:
    """A name as a file may have it on any system."""
    return "".join(c if c.isalnum() or c in " -_" else "_" for c in name)


def save(treatment: Treatment, name: str, stages: list[Stage]) -> Path:
    """Keep some stages of a treatment under a name.

    Raises
    ------
    ShotError
        If the file cannot be written.
    """
    path = presets_folder() / f"{file_name(name)}.json"
    treatment.part(stages, name).save(path)
    return path
