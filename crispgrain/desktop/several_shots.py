"""Putting one treatment on several shots: sync, and presets."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu, QWidget

from crispgrain import presets
from crispgrain.core.errors import ShotError
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment

from .dialogs import StagesDialog
from .menus import add_action
from .roll import Roll
from .status_line import StatusLine


class SeveralShots(QObject):
    """Asks which stages, then changes all shots in one step to undo."""

    def __init__(self, window: QWidget, roll: Roll, status: StatusLine) -> None:
        super().__init__(window)
        self.window, self.roll, self.status = window, roll, status

    def ask_sync(self, current: int, selected: list[int]) -> None:
        rows = [r for r in selected if r != current]
        if not rows:
            self.status.say("Select the shots to sync to on the contact sheet (Ctrl or Shift and click).")
            return
        entry = self.roll.entries[current]
        words = f"Put these stages of {entry.path.name} on {len(rows)} other shots."
        dialog = StagesDialog(
            "Sync", f"{words} Metered settings follow the reading of each shot.", "Sync", False,
            entry.treatment.has_per_shot, self.window,
        )  # fmt: skip
        if dialog.exec():
            self.sync(current, rows, dialog.stages, dialog.per_shot.isChecked())

    def sync(self, current: int, rows: list[int], stages: list[Stage], per_shot: bool = False) -> None:
        """Put chosen stages of the current shot's treatment on other shots, perhaps with what was drawn on it."""
        treatment = self.roll.entries[current].treatment
        changed = {r: self.roll.entries[r].treatment.synced_from(treatment, stages, per_shot) for r in rows}
        self.roll.change_many(changed, f"Sync to {len(rows)} shots")
        self.status.say(f"{len(stages)} stages synced to {len(rows)} shots.")

    def ask_preset(self, treatment: Treatment) -> None:
        dialog = StagesDialog(
            "Save as preset", "Keep these stages under a name.", "Save", True, treatment.has_per_shot, self.window
        )
        if dialog.exec():
            self.save_preset(treatment, dialog.name.text().strip(), dialog.stages, dialog.per_shot.isChecked())

    def save_preset(self, treatment: Treatment, name: str, stages: list[Stage], per_shot: bool = False) -> None:
        try:
            presets.save(treatment, name, stages, per_shot)
            self.status.say(f"Preset “{name}” saved.")
        except ShotError as error:
            self.status.say(str(error))

    def fill_presets(self, menu: QMenu, rows: Callable[[], list[int]]) -> None:
        """List the saved presets; one that is chosen goes on all ``rows()``."""
        menu.clear()
        for file in presets.saved():
            add_action(menu, presets.name_in(file), partial(self._apply_to, file, rows))
        if menu.isEmpty():
            menu.addAction("No presets yet").setEnabled(False)

    def _apply_to(self, file: Path, rows: Callable[[], list[int]]) -> None:
        self.apply_preset(file, rows())

    def apply_preset(self, file: Path, rows: list[int]) -> None:
        try:
            preset = Treatment.load(file)
        except ShotError as error:
            self.status.say(str(error))
            return
        changed = {r: self.roll.entries[r].treatment.synced_from(preset, preset.stages, True) for r in rows}
        self.roll.change_many(changed, f"Preset {preset.name or file.stem}")
