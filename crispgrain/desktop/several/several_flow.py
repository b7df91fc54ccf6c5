"""Putting one treatment on several shots: sync, and presets."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu, QWidget

from crispgrain import presets
from crispgrain.core.errors import ShotError
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.actions import add_action
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.session.session import Session
from crispgrain.session.shots import ShotId

from .stages_dialog import StagesDialog


class SeveralFlow(QObject):
    """Asks which stages, then changes all shots in one step to undo."""

    def __init__(self, session: Session, status: StatusLine, window: QWidget) -> None:
        super().__init__(window)
        self._session, self._status, self._window = session, status, window

    def ask_sync(self) -> None:
        session, on_easel = self._session, self._session.on_easel
        others = [id for id in session.selection if id != session.current]
        if not others or on_easel is None:
            self._status.say("Select the shots to sync to on the contact sheet (Ctrl or Shift and click).")
            return
        words = f"Put these stages of {on_easel.path.name} on {len(others)} other shots."
        dialog = StagesDialog(
            "Sync", f"{words} Metered settings follow the reading of each shot.", "Sync", False,
            on_easel.treatment.has_per_shot, self._window,
        )  # fmt: skip
        if dialog.exec():
            self.sync(others, dialog.stages, dialog.per_shot.isChecked())

    def sync(self, ids: list[ShotId], stages: list[Stage], per_shot: bool = False) -> None:
        """Put chosen stages of the current shot's treatment on other shots, perhaps with what was drawn on it."""
        count = self._session.sync(ids, stages, per_shot)
        self._status.say(f"{len(stages)} stages synced to {count} shots.")

    def paste(self) -> None:
        """Put the copied treatment on the selected shots."""
        count = self._session.paste_treatment()
        self._status.say(f"Treatment pasted on {count} shots." if count else "No treatment was copied yet.")

    def ask_preset(self) -> None:
        treatment = self._session.treatment
        dialog = StagesDialog(
            "Save as preset", "Keep these stages under a name.", "Save", True, treatment.has_per_shot, self._window
        )
        if dialog.exec():
            self.save_preset(treatment, dialog.name.text().strip(), dialog.stages, dialog.per_shot.isChecked())

    def save_preset(self, treatment: Treatment, name: str, stages: list[Stage], per_shot: bool = False) -> None:
        try:
            presets.save(treatment, name, stages, per_shot)
            self._status.say(f"Preset “{name}” saved.")
        except ShotError as error:
            self._status.say(str(error))

    def fill_presets(self, menu: QMenu) -> None:
        """List the saved presets; one that is chosen goes on the chosen shots."""
        menu.clear()
        for file in presets.saved():
            add_action(menu, presets.name_in(file), partial(self.apply_preset, file))

    def apply_preset(self, file: Path, ids: list[ShotId] | None = None) -> None:
        """Put a preset on shots; on those chosen if none are named."""
        try:
            preset = Treatment.load(file)
        except ShotError as error:
            self._status.say(str(error))
            return
        self._session.put_preset(preset, ids or self._session.chosen, f"Preset {preset.name or file.stem}")
