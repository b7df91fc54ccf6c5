"""A folder that is watched for new shots, copied in or sent by a camera; and open shots that change on disk."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

from crispgrain.core.files import PICTURE_SUFFIXES, RAW_SUFFIXES
from crispgrain.store import Stamp

QUIET = 2  # looks in a row in which a file must be the same: until then it is still being written


@dataclass
class FolderWatch:
    """Looks into a folder now and then; files that were there at first are not new.

    Attributes
    ----------
    folder : Path
    deep : bool
        Whether folders inside are looked into, too.
    """

    folder: Path
    deep: bool = False
    _known: set[Path] = field(default_factory=set)
    _growing: dict[Path, tuple[Stamp, int]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._known = set(self._pictures())

    def look(self) -> list[Path]:
        """Files that have come since, once they are complete; each is told of once."""
        complete = []
        for path in self._pictures():
            stamp = Stamp.of(path)
            if path in self._known or stamp is None or not stamp.size:
                continue
            before, looks = self._growing.get(path, (None, 0))
            looks = looks + 1 if stamp == before else 1
            self._growing[path] = (stamp, looks)
            if looks > QUIET:
                complete.append(path)
                self._known.add(path)
                del self._growing[path]
        return complete

    def _pictures(self) -> list[Path]:
        """None while the folder is away, as a card or a share may be for a moment."""
        suffixes = RAW_SUFFIXES | PICTURE_SUFFIXES
        try:
            inside = sorted(self.folder.rglob("*") if self.deep else self.folder.iterdir())
            return [p for p in inside if p.suffix.lower() in suffixes and not p.name.startswith(".") and p.is_file()]
        except OSError:
            return []


def gone_or_changed(stamps: Iterable[tuple[int, Path, Stamp | None]]) -> tuple[list[int], list[int]]:
    """Of shots with the stamps their files had: the ids of those that are gone, and of those that have changed."""
    gone, changed = [], []
    for id, path, stamp in stamps:
        now = Stamp.of(path)
        if stamp is not None and now is None:
            gone.append(id)
        elif stamp is not None and now != stamp:
            changed.append(id)
    return gone, changed
