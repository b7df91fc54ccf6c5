"""The window: puts the parts together and passes their wishes on."""

from __future__ import annotations

from collections.abc import Hashable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QEvent, QMimeData, QSettings, Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QImage, QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from crispgrain import __version__
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.files import PICTURE_SUFFIXES, RAW_SUFFIXES, OutputSettings, Source, find_shots
from crispgrain.core.geometry import Rect
from crispgrain.core.meter import Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.overview import overview
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.progress import Progress
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Resolved, Treatment
from crispgrain.demo.roll import write_roll
from crispgrain.paths import demo_folder, settings_file

from . import presets
from .background import Background, Urgency
from .contact_sheet import ContactSheet
from .control_sheet import ControlSheet
from .dialogs import ExportDialog, StagesDialog
from .easel import Easel
from .easel_renderer import EaselRenderer
from .empty_state import EmptyState
from .exporter import Exporter, Job
from .layer import to_image
from .menus import add_action, build_menus
from .roll import Roll, State
from .shot_loader import ShotLoader, developed
from .stage_rail import StageRail
from .status_line import StatusLine
from .summaries import stage_summary
from .test_strip import Candidate, TestStrip
from .theme import BOOTH, DIM_ROOM, apply_theme, current_theme

FLIP_KEY = Qt.Key.Key_S  # hold to see the source
SIDECARS = "treatments/folder"  # name of the setting
VIEW_TILE = 256  # px; smaller than for a file, so that less is computed that lies outside the view


def _rule(vertical: bool = False) -> QFrame:
    line = QFrame()
    line.setFrameShape(QFrame.Shape.VLine if vertical else QFrame.Shape.HLine)
    line.setFrameShadow(QFrame.Shadow.Plain)
    line.setStyleSheet("color: palette(mid);")
    return line


class Window(QMainWindow):
    """The main window. Holds what is open; computing and writing are done elsewhere."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Crisp Grain")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.cache = TileCache()
        self.background = Background()
        self.exporter = Exporter()
        self.roll = Roll()
        self.settings = QSettings(str(settings_file()), QSettings.Format.IniFormat)
        kept_in = str(self.settings.value(SIDECARS, "") or "")
        self.roll.sidecars = Path(kept_in) if kept_in else None
        self.stage = Stage.DENOISE
        self.row = -1
        self._last_folder: Path | None = None
        self._last_output: OutputSettings | None = None
        self._strip_patch: Rect | None = None
        self._overview_key: Hashable = None

        self.rail = StageRail()
        self.controls = ControlSheet()
        self.easel = Easel()
        self.loader = ShotLoader(self.roll, self.background)
        self.renderer = EaselRenderer(self.easel, self.background, self.cache)
        self.strip = TestStrip(self.background)
        self.sheet = ContactSheet(self.roll)
        self.status = StatusLine()
        self.empty = EmptyState()
        self._lay_out()
        self.menus = build_menus(self)
        self._connect()
        self._show_nothing()
        self.easel.setFocus()

    # ---- construction ---------------------------------------------------------
    def _lay_out(self) -> None:
        self.middle = QStackedWidget()
        self.middle.addWidget(self.empty)
        bench = QWidget()
        column = QVBoxLayout(bench)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.easel, 1)
        column.addWidget(self.strip)
        self.middle.addWidget(bench)
        body = QHBoxLayout()
        body.setSpacing(0)
        for widget, stretch in (
            (self.controls, 0), (_rule(True), 0), (self.middle, 1), (_rule(True), 0), (self.sheet, 0)
        ):  # fmt: skip
            body.addWidget(widget, stretch)
        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.rail)
        layout.addWidget(_rule())
        layout.addLayout(body, 1)
        layout.addWidget(_rule())
        layout.addWidget(self.status)
        self.setCentralWidget(whole)

    def _connect(self) -> None:
        self.rail.chosen.connect(self.choose_stage)
        self.rail.switched.connect(lambda stage, on: self.change_setting(f"{stage}.on", on))
        self.controls.setting_changed.connect(self.change_setting)
        self.controls.strip_wanted.connect(self.start_strip)
        self.easel.view_changed.connect(self._show_zoom)
        self.easel.patch_chosen.connect(self._run_strip)
        self.strip.adopted.connect(self._adopt)
        self.strip.patch_wanted.connect(self._ask_patch)
        self.strip.closed.connect(self._strip_closed)
        self.renderer.progress.connect(self._render_progress)
        self.renderer.failed.connect(self.status.say)
        self.sheet.selectionModel().currentChanged.connect(lambda index, _: self.show_shot(index.row()))
        self.roll.treatment_changed.connect(self._treatment_changed)
        self.roll.problem.connect(self.status.say)
        self.loader.first_look.connect(self._show_first_look)
        self.loader.ready.connect(self._shot_ready)
        self.loader.failed.connect(self._shot_failed)
        self.menus.presets.aboutToShow.connect(self._fill_presets)
        self.status.stop_wanted.connect(self._stop)
        self.status.zoom_wanted.connect(self.easel.set_zoom)
        self.empty.files_wanted.connect(self.ask_files)
        self.empty.folder_wanted.connect(self.ask_folder)
        self.empty.demo_wanted.connect(self.open_demo)
        self.exporter.started.connect(lambda job: self._set_state(job.row, State.RENDERING))
        self.exporter.progress.connect(self._export_progress)
        self.exporter.written.connect(self._export_written)
        self.exporter.failed.connect(self._export_failed)
        self.exporter.finished.connect(self._export_finished)

    # ---- opening shots ----------------------------------------------------------
    def open_paths(self, paths: list[Path]) -> None:
        """Open files and folders; what cannot be opened is said on the bottom line or the contact sheet."""
        files, problems = find_shots(paths)
        rows = self.roll.add(files)
        if problems:
            self.status.say(" ".join(str(p) for p in problems))
        if not rows:
            return
        self.middle.setCurrentIndex(1)
        if self.row < 0:
            self.sheet.setCurrentIndex(self.roll.index(rows[0]))
        for row in rows:
            if row != self.row:
                self.loader.meter_later(row)

    def ask_files(self) -> None:
        kinds = " ".join(f"*{s} *{s.upper()}" for s in sorted(RAW_SUFFIXES | PICTURE_SUFFIXES))
        names, _ = QFileDialog.getOpenFileNames(self, "Open shots", "", f"Photographs ({kinds});;All files (*)")
        self.open_paths([Path(n) for n in names])

    def ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Open a folder of shots")
        if name:
            self.open_paths([Path(name)])

    def ask_sidecar_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder for treatments")
        if name:
            self.set_sidecar_folder(Path(name))

    def set_sidecar_folder(self, folder: Path | None) -> None:
        """Where treatments are kept from now on; None is beside each shot. Remembered for the next start."""
        self.roll.sidecars = folder
        self.settings.setValue(SIDECARS, str(folder) if folder else "")
        self.status.say(f"Treatments are kept in {folder}." if folder else "Treatments are kept beside the shots.")

    def prepare_demo(self) -> None:
        """On the very first start, make the demo roll in the background."""
        if not demo_folder().exists():
            self.background.submit(Urgency.METERING, lambda: write_roll(demo_folder()), lambda _: None)

    def open_demo(self) -> None:
        """Write what is missing of the demo roll, then open it."""
        self.empty.setEnabled(False)
        self.status.say("Making the demo roll; this takes about half a minute the first time …")

        def failed(error: Exception) -> None:
            self.empty.setEnabled(True)
            self.status.say(f"The demo roll could not be made: {error}")

        def done(paths: list[Path]) -> None:
            self.status.say("")
            self.open_paths(paths)

        self.background.submit(Urgency.OPENING, lambda: write_roll(demo_folder()), done, failed)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if _local_paths(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.open_paths(_local_paths(event.mimeData()))

    # ---- the current shot ----------------------------------------------------------
    @property
    def shot(self) -> Shot | None:
        return self.roll.entries[self.row].shot if self.row >= 0 else None

    @property
    def treatment(self) -> Treatment:
        return self.roll.entries[self.row].treatment if self.row >= 0 else Treatment()

    def show_shot(self, row: int) -> None:
        """Put a shot on the easel: a quick overview first, the rendered picture as it comes."""
        if row < 0 or row == self.row:
            return
        self.row = row
        self.strip.close_strip()
        self._show_nothing()
        self.easel.show_whole()
        self.status.say(f"Opening {self.roll.entries[row].path.name} …")
        self.loader.open(row)

    def _show_first_look(self, row: int, source: Source, resolved: Resolved, image: QImage) -> None:
        if row == self.row:
            plain = Pipeline(source, Reading(), resolved, self.cache, VIEW_TILE)
            self._overview_key = _overview_key(source, resolved)
            self.renderer.show(plain, plain, image, wait=True)

    def _shot_ready(self, row: int) -> None:
        if row == self.row:
            self.status.say("")
            self._show_treated()

    def _shot_failed(self, row: int, words: str) -> None:
        if row == self.row:
            self.status.say(words)

    def _show_nothing(self) -> None:
        self._overview_key = None
        self.renderer.show(None, None, None)
        self.controls.show_stage(self.stage, None, None, Treatment())
        for stage, head in self.rail.heads.items():
            head.show_state(False, stage is self.stage, "")
        self._show_zoom()
        self.menus.enable(self.shot is not None)

    def _show_treated(self) -> None:
        """Bring rail, control sheet and easel up to the current treatment."""
        shot = self.shot
        if shot is None:
            return
        try:
            result = shot.pipeline(self.treatment, self.cache, VIEW_TILE)
        except TreatmentError as error:
            self.status.say(str(error))
            return
        source = shot.pipeline(developed(self.treatment), self.cache, VIEW_TILE)
        self._show_overview(shot.source, source.resolved)
        self.renderer.show(source, result, self.easel.source.overview)
        self._show_settings(shot, result)

    def _show_overview(self, source: Source, resolved: Resolved) -> None:
        """Have the small rendering under the tiles made anew, if Develop has changed since it was made."""
        key = _overview_key(source, resolved)
        if key == self._overview_key:
            return
        self._overview_key = key

        def done(image: QImage) -> None:
            if key == self._overview_key:
                self.renderer.set_overview(image)

        self.background.submit(Urgency.VISIBLE, lambda: to_image(overview(source, resolved)), done)

    def _show_settings(self, shot: Shot, result: Pipeline) -> None:
        for stage, head in self.rail.heads.items():
            head.show_state(result.resolved[stage].on, stage is self.stage, stage_summary(stage, result))
        self.controls.show_stage(self.stage, shot, result, self.treatment)
        self._show_zoom()
        self.menus.enable(self.shot is not None)

    def _show_zoom(self) -> None:
        scale = self.easel.scale if self.easel.result.pipeline is not None else None
        self.status.show_zoom(scale, self.easel.fitted)

    def choose_stage(self, stage: Stage) -> None:
        """Open the controls of a stage."""
        self.stage = stage
        if self.shot is not None and self.easel.result.pipeline is not None:
            self._show_settings(self.shot, self.easel.result.pipeline)

    def change_setting(self, name: str, value: object) -> None:
        """Change one setting (``stage.field``; ``stage.*`` returns the whole stage to the meter)."""
        if self.shot is None:
            return
        stage_name, _, field = name.partition(".")
        stage = Stage(stage_name)
        try:
            if field == "*":
                stages = {s: v for s, v in self.treatment.stages.items() if s is not stage}
                changed = Treatment(stages, self.treatment.name)
            else:
                changed = self.treatment.set(name, value)  # type: ignore[arg-type]
        except TreatmentError as error:
            self.status.say(str(error))
            return
        is_number = isinstance(value, float)
        self.roll.change(self.row, changed, f"{stage.label}: {field}", merge=name if is_number else "")

    def reset_treatment(self) -> None:
        self.roll.change(self.row, Treatment(), "Follow the meter in every stage")

    def _treatment_changed(self, row: int) -> None:
        if row == self.row:
            self._show_treated()

    # ---- test strip ----------------------------------------------------------------
    def start_strip(self) -> None:
        """Compare candidates of the current stage on a patch: the one chosen last, or one to be dragged."""
        if self.shot is None:
            return
        if self._strip_patch is None:
            self._ask_patch()
        else:
            self._run_strip_on(self._strip_patch)

    def _ask_patch(self) -> None:
        self.easel.choose_patch(True)
        self.status.say("Drag a rectangle over the spot to compare.")

    def _run_strip(self, patch: Rect) -> None:
        shot = self.shot
        if shot is None:
            return
        fx = shot.source.size.width / self.easel.result.size.width
        fy = shot.source.size.height / self.easel.result.size.height
        in_source = Rect(
            int(patch.top * fy), int(patch.left * fx), max(8, int(patch.height * fy)), max(8, int(patch.width * fx))
        )
        self._strip_patch = in_source.intersect(shot.source.size.rect)
        self.status.say("")
        self._run_strip_on(self._strip_patch)

    def _run_strip_on(self, patch: Rect) -> None:
        assert self.shot is not None
        self.strip.run(self.stage, self.shot, self.treatment, patch)

    def _adopt(self, candidate: Candidate) -> None:
        self.roll.change(self.row, candidate.treatment, f"{self.stage.label}: {candidate.label}")
        self.status.say(f"Adopted: {candidate.label}.")

    def _strip_closed(self) -> None:
        self.easel.patch = self._strip_patch = None
        self.easel.update()

    # ---- several shots ---------------------------------------------------------------
    def ask_sync(self) -> None:
        rows = [r for r in self.sheet.selected_rows if r != self.row]
        if not rows:
            self.status.say("Select the shots to sync to on the contact sheet (Ctrl or Shift and click).")
            return
        words = f"Put these stages of {self.roll.entries[self.row].path.name} on {len(rows)} other shots."
        dialog = StagesDialog("Sync", f"{words} Metered settings follow the reading of each shot.", "Sync", False, self)
        if dialog.exec():
            self.sync(rows, dialog.stages)

    def sync(self, rows: list[int], stages: list[Stage]) -> None:
        """Put chosen stages of the current treatment on other shots, as one step to undo."""
        changed = {r: self.roll.entries[r].treatment.synced_from(self.treatment, stages) for r in rows}
        self.roll.change_many(changed, f"Sync to {len(rows)} shots")
        self.status.say(f"{len(stages)} stages synced to {len(rows)} shots.")

    def ask_preset(self) -> None:
        dialog = StagesDialog("Save as preset", "Keep these stages under a name.", "Save", True, self)
        if dialog.exec():
            self.save_preset(dialog.name.text().strip(), dialog.stages)

    def save_preset(self, name: str, stages: list[Stage]) -> None:
        try:
            presets.save(self.treatment, name, stages)
            self.status.say(f"Preset “{name}” saved.")
        except ShotError as error:
            self.status.say(str(error))

    def _fill_presets(self) -> None:
        menu = self.menus.presets
        menu.clear()
        for file in presets.saved():
            add_action(menu, file.stem, partial(self.apply_preset, file))
        if menu.isEmpty():
            menu.addAction("No presets yet").setEnabled(False)

    def apply_preset(self, file: Path) -> None:
        """Put a preset's stages on all selected shots."""
        try:
            preset = Treatment.load(file)
        except ShotError as error:
            self.status.say(str(error))
            return
        rows = self.sheet.selected_rows or [self.row]
        changed = {r: self.roll.entries[r].treatment.synced_from(preset, preset.stages) for r in rows}
        self.roll.change_many(changed, f"Preset {preset.name or file.stem}")

    # ---- export ------------------------------------------------------------------------
    def ask_export(self, all_shots: bool = False) -> None:
        pipeline = self.easel.result.pipeline
        if pipeline is None or self.shot is None:
            return
        rows = list(range(len(self.roll.entries))) if all_shots else self.sheet.selected_rows or [self.row]
        rows = [r for r in rows if self.roll.entries[r].state is not State.FAILED]
        folder = self._last_folder or self.shot.path.parent / "results"
        # A shot with Print settings of its own keeps them; others are offered what was chosen last.
        again = None if self.treatment[Stage.PRINT].values else self._last_output
        dialog = ExportDialog(pipeline, len(rows), folder, self, again)
        if dialog.exec():
            self.export(rows, dialog)

    def export(self, rows: list[int], dialog: ExportDialog) -> None:
        """Write the results of some shots in the background."""
        self._last_folder, self._last_output = dialog.chosen_folder, dialog.output
        changed = {r: dialog.apply_to(self.roll.entries[r].treatment) for r in rows}
        self.status.offer_folder(None)
        self.exporter.add(
            [Job(r, self.roll.entries[r].path, changed[r], dialog.chosen_folder, dialog.chosen_name) for r in rows]
        )

    def _export_progress(self, job: Job, progress: Progress) -> None:
        more = f" ({self.exporter.waiting - 1} more waiting)" if self.exporter.waiting > 1 else ""
        self.status.say(f"Exporting {job.path.name}{more}", progress)

    def _export_written(self, job: Job, path: Path) -> None:
        self._set_state(job.row, State.EXPORTED)
        self.status.offer_folder(path.parent)
        self.status.say(f"Written: {path.name}")

    def _export_failed(self, job: Job, words: str) -> None:
        entry = self.roll.entries[job.row]
        self._set_state(job.row, entry.settled_state)
        self.status.say(f"Not exported: {words}")

    def _export_finished(self, written: int, failed: int) -> None:
        if written + failed > 1:
            trouble = f", {failed} failed" if failed else ""
            self.status.say(f"{written} results written{trouble}.")

    def _set_state(self, row: int, state: State) -> None:
        if self.roll.entries[row].state is not State.FAILED:
            self.roll.entries[row].state = state
            self.roll.touch(row)

    # ---- the rest ------------------------------------------------------------------------
    def _render_progress(self, progress: Progress | None) -> None:
        if self.exporter.waiting:
            return  # the export's own progress stays in view
        if progress is None:
            if self.status.bar.isVisible():
                self.status.say("")
        else:
            self.status.say(f"Rendering {self._deepest_stage()}", progress)

    def _deepest_stage(self) -> str:
        pipeline = self.easel.result.pipeline
        return pipeline.steps[-1].stage.label if pipeline is not None else ""

    def _stop(self) -> None:
        if self.exporter.waiting:
            self.exporter.stop()
        else:
            self.renderer.stop()
            self.status.say("Stopped. Move the picture or change a setting to go on.")

    def next_surround(self) -> None:
        self.easel.set_surround(self.easel.surround.next)

    def toggle_dim(self) -> None:
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        apply_theme(app, BOOTH if current_theme() is DIM_ROOM else DIM_ROOM)

    def about(self) -> None:
        QMessageBox.about(
            self, "Crisp Grain",
            f"<h3>Crisp Grain {__version__}</h3><p>Free software under the GPL, version 3 or later.</p>"
            "<p><b>Keys.</b> Hold S: see the source. 0, 1, 2, 4: whole picture, 100, 200, 400 %. "
            "D, B, R: divider, both side by side, result only. G: next surround. T: test strip. "
            "Ctrl+D: dim room. Wheel: zoom at the pointer. Drag: pan. Double click: 100 % and back.</p>",
        )  # fmt: skip

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == FLIP_KEY and not event.modifiers():
            self.easel.set_flipped(True)
        elif event.key() == Qt.Key.Key_Escape and self.strip.isVisible():
            self.strip.close_strip()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == FLIP_KEY and not event.isAutoRepeat():
            self.easel.set_flipped(False)
        else:
            super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self.easel.set_flipped(False)  # the key's release will go to another window
        super().changeEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.exporter.waiting and self.isVisible():
            answer = QMessageBox.question(self, "Crisp Grain", "An export is running. Stop it and close?")
            if answer != QMessageBox.StandardButton.Yes:
                event.ignore()
                return
        self.renderer.stop()
        self.exporter.close()
        self.background.close()
        super().closeEvent(event)


def _local_paths(data: QMimeData) -> list[Path]:
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]


def _overview_key(source: Source, resolved: Resolved) -> Hashable:
    return source.serial, tuple(sorted(resolved[Stage.DEVELOP].values.items()))
