"""Named variants of a shot: other treatments of it, kept beside it to come back to."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Protocol

from attrs import evolve
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from crispgrain.core.errors import ShotError
from crispgrain.core.treatment import Treatment
from crispgrain.presets import path_for

from .menus import add_action
from .roll import Roll
from .status_line import StatusLine
from .strip_candidates import Candidate

SUFFIX = ".variant.json"


class HasRow(Protocol):
    """What the flow asks of the window."""

    row: int

    @property
    def treatment(self) -> Treatment: ...


def variant_path(shot: Path, name: str, folder: Path | None = None) -> Path:
    """Where a variant of a shot is kept: beside it, or in a chosen folder."""
    return path_for(folder or shot.parent, name, f"{shot.name}.", SUFFIX)


def variants_of(shot: Path, folder: Path | None = None) -> list[Path]:
    """The files of a shot's variants, by name."""
    found = (folder or shot.parent).glob(f"*{SUFFIX}")
    return sorted(p for p in found if p.name.startswith(f"{shot.name}."))


class Variants(QObject):
    """Keeps the current treatment under a name, and puts kept ones back."""

    def __init__(self, window: HasRow, roll: Roll, status: StatusLine, parent: QWidget) -> None:
        super().__init__(parent)
        self.window, self.roll, self.status, self._parent = window, roll, status, parent

    def ask_keep(self) -> None:
        name, sure = QInputDialog.getText(self._parent, "Keep as a variant", "Name of the variant:")
        if sure and name.strip():
            self.keep(self.window.treatment, name.strip())

    def keep(self, treatment: Treatment, name: str) -> None:
        """Keep a treatment of the current shot under a name; one of the same name is written over."""
        path = variant_path(self.roll.entries[self.window.row].path, name, self.roll.sidecars)
        try:
            evolve(treatment, name=name).save(path)
            self.status.say(f"Kept as variant “{name}”.")
        except ShotError as error:
            self.status.say(str(error))

    def keep_candidate(self, candidate: Candidate) -> None:
        self.keep(candidate.treatment, candidate.label)

    def candidates(self) -> list[Candidate]:
        """The variants of the current shot, to be compared as whole treatments."""
        return [Candidate(v.name, evolve(v, name="")) for v in self._saved()]

    def _saved(self) -> list[Treatment]:
        found = []
        if self.window.row >= 0:
            for path in variants_of(self.roll.entries[self.window.row].path, self.roll.sidecars):
                try:
                    found.append(Treatment.load(path))
                except ShotError as error:
                    self.status.say(str(error))
        return found

    def fill(self, menu: QMenu) -> None:
        """List the variants of the current shot; one that is chosen becomes its treatment."""
        menu.clear()
        for variant in self._saved():
            add_action(menu, variant.name, partial(self._use, variant))
        if menu.isEmpty():
            menu.addAction("No variants of this shot yet").setEnabled(False)

    def _use(self, variant: Treatment) -> None:
        self.roll.change(self.window.row, evolve(variant, name=""), f"Variant {variant.name}")
