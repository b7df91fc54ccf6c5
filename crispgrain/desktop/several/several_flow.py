"""Putting one treatment on several shots: sync, and presets."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu, QWidget

from crispgrain import presets
from crispgrain.core.errors import ShotError
from crispgrain.core.model import Stage
from crispgrain.core.operation import Operation
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.actions import add_action
from crispgrain.desktop.base.preferences import RULED, preferences
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.paths import rules_file
from crispgrain.session.rules import Rule, load_rules, save_rules
from crispgrain.session.ruling import Ruling
from crispgrain.session.session import Session
from crispgrain.session.shots import ShotId
from crispgrain.session.sync import Part

from .rules_dialog import RulesDialog
from .stages_dialog import StagesDialog
from .sync_dialog import SyncDialog


class SeveralFlow(QObject):
    """Asks which stages, then changes all shots in one step to undo."""

    def __init__(self, session: Session, status: StatusLine, window: QWidget) -> None:
        super().__init__(window)
        self._session, self._status, self._window = session, status, window
        self.ruling = Ruling(session, _kept_rules(status), bool(int(str(preferences().value(RULED, 0)))))

    def ask_sync(self) -> None:
        session, on_easel = self._session, self._session.on_easel
        others = [id for id in session.selection if id != session.current]
        if not others or on_easel is None:
            self._status.say("Select the shots to sync to on the contact sheet (Ctrl or Shift and click).")
            return
        preview = partial(self._would_change, others)
        dialog = SyncDialog(on_easel.treatment, on_easel.path.name, len(others), preview, self._window)
        if dialog.exec():
            self.sync(others, dialog.parts)

    def _would_change(self, ids: list[ShotId], parts: list[Part]) -> str:
        """What a sync would change, in words."""
        after = self._session.synced(ids, parts)
        if not after:
            return f"Nothing would change on these {len(ids)} shots: they are treated like that already."
        by_stage = [
            (stage, sum(_stage(t, stage) != _stage(self._session.roll[id].treatment, stage) for id, t in after.items()))
            for stage in Stage
        ]
        where = ", ".join(f"{stage.label} on {count}" for stage, count in by_stage if count)
        names = [self._session.roll[id].path.name for id in after]
        return f"Changes {len(after)} of {len(ids)} shots: {where}.\n{', '.join(names[:4])}{' …' if names[4:] else ''}"

    def sync(self, ids: list[ShotId], parts: list[Part]) -> None:
        """Put parts of the current shot's treatment on other shots."""
        count = self._session.sync(ids, parts)
        self._status.say(f"Synced: {count} of {len(ids)} shots have changed.")

    def paste(self) -> None:
        """Put the copied treatment on the selected shots."""
        count = self._session.paste_treatment()
        self._status.say(f"Treatment pasted on {count} shots." if count else "No treatment was copied yet.")

    def ask_paste(self) -> None:
        """Let the person choose which stages of the copied treatment go on the selected shots."""
        copied, count = self._session.copied, len(self._session.chosen)
        if copied is None:
            self._status.say("No treatment was copied yet.")
            return
        dialog = StagesDialog("Paste", f"Put these stages on {count} shots.", "Paste", False, False, self._window)
        if dialog.exec():
            self._session.paste_treatment(dialog.stages)
            self._status.say(f"{len(dialog.stages)} stages pasted on {count} shots.")

    def ask_rules(self) -> None:
        """Let the person write rules, and keep them."""
        names = [presets.name_in(path) for path in presets.saved()]
        shots = list(self._session.roll.shots.values())
        dialog = RulesDialog(self.ruling.rules, self.ruling.on, names, shots, self._window)
        if dialog.exec():
            self.keep_rules(dialog.rules, dialog.applied.isChecked())

    def keep_rules(self, rules: list[Rule], on: bool) -> None:
        """From now on new shots are treated by these rules, if they are on; remembered for the next start."""
        self.ruling.rules, self.ruling.on = rules, on
        preferences().setValue(RULED, int(on))
        try:
            save_rules(rules, rules_file())
            self._status.say(f"{len(rules)} rules kept; new shots are {'' if on else 'not '}treated by them.")
        except ShotError as error:
            self._status.say(str(error))

    def apply_rules(self) -> None:
        """Put presets on the chosen shots as the rules say."""
        chosen = self._session.chosen
        count = self.ruling.apply(chosen)
        self._status.say(f"A rule fits {count} of {len(chosen)} shots." if self.ruling.rules else "There are no rules.")

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

    def ask_import(self) -> None:
        """Bring presets in from files; each keeps its name, or gets that of its file."""
        files, _ = QFileDialog.getOpenFileNames(self._window, "Import presets", "", "Presets (*.json)")
        brought = []
        for file in map(Path, files):
            try:
                preset = Treatment.load(file)
                presets.save(preset, preset.name or file.stem, list(preset.stages), per_shot=True)
                brought.append(preset.name or file.stem)
            except ShotError as error:
                self._status.say(str(error))
        if brought:
            self._status.say(f"Imported: {', '.join(brought)}.")

    def ask_export(self) -> None:
        """Write a preset to a file, to be given to others."""
        names = [presets.name_in(path) for path in presets.saved()]
        name, sure = QInputDialog.getItem(self._window, "Export a preset", "Preset:", names, 0, False)
        file = QFileDialog.getSaveFileName(self._window, "Export a preset", f"{name}.json")[0] if sure else ""
        if file:
            try:
                presets.load(name).save(Path(file))
                self._status.say(f"Preset “{name}” written to {Path(file).name}.")
            except ShotError as error:
                self._status.say(str(error))

    def fill_presets(self, menu: QMenu) -> None:
        """List the saved presets; one that is chosen goes on the chosen shots."""
        menu.clear()
        for file in presets.saved():
            action = add_action(menu, presets.name_in(file), partial(self.apply_preset, file))
            action.hovered.connect(partial(self._try, file))

    def _try(self, file: Path) -> None:
        """Show on the easel what a preset would make of the shot while one points at it."""
        try:
            self._session.try_preset(Treatment.load(file))
        except ShotError as error:
            self._status.say(str(error))

    def apply_preset(self, file: Path, ids: list[ShotId] | None = None) -> None:
        """Put a preset on shots; on those chosen if none are named."""
        try:
            preset = Treatment.load(file)
        except ShotError as error:
            self._status.say(str(error))
            return
        self._session.try_preset(None)
        self._session.put_preset(preset, ids or self._session.chosen, f"Preset {preset.name or file.stem}")


def _stage(treatment: Treatment, stage: Stage) -> list[Operation]:
    return [treatment[stage], *treatment.beside(stage)]


def _kept_rules(status: StatusLine) -> list[Rule]:
    try:
        return load_rules(rules_file()) if rules_file().exists() else []
    except ShotError as error:
        status.say(str(error))
        return []
