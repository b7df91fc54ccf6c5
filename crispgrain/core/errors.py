"""What can go wrong, in words a photographer can act on."""

from __future__ import annotations

from pathlib import Path


class ShotError(Exception):
    """A file that cannot be read or written; names the file and the cause."""

    def __init__(self, path: Path | str, cause: str) -> None:
        self.path = Path(path)
        self.cause = cause
        super().__init__(f"{self.path.name}: {cause}")


class TreatmentError(ValueError):
    """A treatment, setting or model that does not exist or does not fit."""
