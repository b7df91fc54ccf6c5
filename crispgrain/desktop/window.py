"""The window: puts the parts together and passes their wishes on."""

from __future__ import annotations

from collections.abc import Hashable
from pathlib import Path

from PySide6.QtCore import QEvent, QMimeData, QPoint, Qt, QTimer
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
from crispgrain.core.errors import TreatmentError
from crispgrain.core.files import PICTURE_SUFFIXES, RAW_SUFFIXES, Source, find_shots
from crispgrain.core.meter import Reading
from crispgrain.core.model import Stage, Value
from crispgrain.core.networks import providers, runtime
from crispgrain.core.registry import CROP
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.overview import overview
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.progress import Progress
from crispgrain.core.render.views import Result
from crispgrain.core.resolve import Resolved, switched_on
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import write_roll
from crispgrain.paths import demo_folder, store_file
from crispgrain.store import Store

from .ahead import Ahead
from .background import Background, Urgency
from .blur_flow import BlurFlow
from .contact_sheet import ContactSheet
from .control_sheet import ControlSheet
from .easel import Arrangement, Easel
from .easel_renderer import EaselRenderer
from .empty_state import EmptyState
from .export_flow import ExportFlow
from .exporter import Exporter
from .judging import VIEW_TILE, Judging
from .layer import to_image
from .menus import build_menus
from .preferences import SIDECARS, preferences, sidecar_folder
from .print_view import PrintViewDialog
from .roll import Roll
from .several_shots import SeveralShots
from .shot_loader import ShotLoader
from .stage_rail import StageRail
from .status_line import StatusLine, pixel_words
from .strip_candidates import Candidate
from .strip_flow import StripFlow
from .summaries import remark_words, stage_summary
from .test_strip import TestStrip
from .theme import BOOTH, DIM_ROOM, apply_theme, current_theme
from .thumbnails import Thumbnails
from .variants import Variants
from .zone_flow import ZoneFlow

SIZES = ("by", "factor", "pixels")  # settings of Enlarge that are being tried before one stays
SETTLING = 900  # ms
FLIP_KEY = Qt.Key.Key_S  # hold to see the source
PROVIDER = "networks/provider"  # name of a setting


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
        self.settings = preferences()
        self.roll.sidecars = sidecar_folder()
        provider = str(self.settings.value(PROVIDER, providers.PROCESSOR) or providers.PROCESSOR)
        self._provider_trouble = runtime.use_provider(provider)
        self.stage = Stage.DENOISE
        self.operation = Stage.DENOISE.value  # of the stage: the one everywhere, a zone or the crop
        self.row = -1
        self.pipeline: Pipeline | None = None  # of the current shot under its whole treatment
        self._overview_key: Hashable = None
        self._figure = ""  # what the judging view says of the picture
        self._resizing = QTimer(self)
        self._resizing.setSingleShot(True)
        self._resizing.setInterval(SETTLING)
        self._resizing.timeout.connect(self._show_treated)

        self.rail = StageRail()
        self.controls = ControlSheet()
        self.easel = Easel()
        self.store = Store(store_file())
        self.loader = ShotLoader(self.roll, self.background, self.store)
        self.renderer = EaselRenderer(self.easel, self.background, self.cache)
        self.ahead = Ahead(self.roll, self.loader, self.easel, self.background, self.cache)
        self.judging = Judging(self.background, self.cache)
        self.strip = TestStrip(self.background)
        self.sheet = ContactSheet(self.roll)
        self.thumbnails = Thumbnails(self.roll, lambda: self.sheet.visible_rows, self.store)
        self.status = StatusLine()
        self.empty = EmptyState()
        self.export_flow = ExportFlow(self, self.roll, self.exporter, self.status)
        self.strip_flow = StripFlow(self, self.easel, self.strip, self.status)
        self.blur_flow = BlurFlow(self, self.easel, self.controls, self.status)
        self.zone_flow = ZoneFlow(self, self.easel, self.status)
        self.several = SeveralShots(self, self.roll, self.status)
        self.variants = Variants(self, self.roll, self.status, self)
        self._lay_out()
        self.menus = build_menus(self)
        self._connect()
        self._show_nothing()
        if self._provider_trouble:
            self.status.say(self._provider_trouble)
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
        self.controls.tool_wanted.connect(self.zone_flow.start)
        self.controls.zones.chosen.connect(self.choose_operation)
        self.controls.zones.add_wanted.connect(self.zone_flow.add)
        self.controls.zones.remove_wanted.connect(self.zone_flow.remove)
        self.strip.adopted.connect(self._adopt)
        self.easel.view_changed.connect(self._view_changed)
        self.easel.pointed.connect(self._show_pixel)
        self.judging.changed.connect(self._show_treated)
        self.judging.figure.connect(self._show_figure)
        self.renderer.progress.connect(self._render_progress)
        self.renderer.failed.connect(self.status.say)
        self.sheet.chosen.connect(self.show_shot)
        self.roll.treatment_changed.connect(self._treatment_changed)
        self.roll.problem.connect(self.status.say)
        self.loader.first_look.connect(self._show_first_look)
        self.loader.ready.connect(self._shot_ready)
        self.loader.in_sight = lambda: self.sheet.visible_rows
        self.loader.failed.connect(self._shot_failed)
        self.menus.presets.aboutToShow.connect(self._fill_presets)
        self.menus.variants.aboutToShow.connect(lambda: self.variants.fill(self.menus.variants))
        self.strip.kept.connect(self.variants.keep_candidate)
        self.strip.whole_treatments = self.variants.candidates
        self.status.stop_wanted.connect(self._stop)
        self.status.zoom_wanted.connect(self.easel.set_zoom)
        self.empty.files_wanted.connect(self.ask_files)
        self.empty.folder_wanted.connect(self.ask_folder)
        self.empty.demo_wanted.connect(self.open_demo)

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
            self.sheet.choose(rows[0])
        self.thumbnails.want([row for row in rows if row != self.row])
        self.loader.meter_later([row for row in rows if row != self.row])

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
        self._show_nothing()
        self._show_pixel(None)  # the pointer may rest, and its values are of the shot before
        self.easel.show_message("")
        self.status.say(f"Opening {self.roll.entries[row].path.name} …")
        self.loader.open(row)

    def _show_first_look(self, row: int, source: Source, resolved: Resolved, image: QImage) -> None:
        if row == self.row:
            plain = Pipeline(source, Reading(), resolved, self.cache, VIEW_TILE)
            self._overview_key = _overview_key(source, resolved)
            self.easel.captions = ("source", "result")
            self.renderer.show(Result(plain), Result(plain), image, wait=True)

    def _shot_ready(self, row: int) -> None:
        if row == self.row:
            self.status.say("")
            self._show_treated()

    def _shot_failed(self, row: int, words: str) -> None:
        if row == self.row:
            self.status.say(words)
            self.easel.show_message(words)

    def _show_nothing(self) -> None:
        self._overview_key = self.pipeline = None
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
            self.pipeline = shot.pipeline(self.treatment, self.cache, VIEW_TILE)
            compared = self.judging.compare(shot, self._shown_treatment, self.stage)
        except TreatmentError as error:
            self.status.say(str(error))
            return
        self._show_overview(shot.source, self.pipeline.resolved)
        self.easel.captions = compared.captions
        self.renderer.show(compared.source, compared.result, self.easel.source.overview)
        if compared.remark:
            self.status.say(compared.remark)
        self._show_settings(shot, self.pipeline)
        self.judging.show_figure(self.easel.result.view, self.easel.visible)
        self.strip_flow.refresh()

    @property
    def _shown_treatment(self) -> Treatment:
        """What the easel shows: while a size is being chosen, enlarged by the quick model of the stage."""
        assert self.pipeline is not None
        draft = self.pipeline.resolved[Stage.ENLARGE].model.draft
        return self.treatment.set("enlarge.model", draft) if self._resizing.isActive() and draft else self.treatment

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
            on = result.resolved[stage].on
            remarks = remark_words(stage, shot, result) if on else []
            head.show_state(on, stage is self.stage, stage_summary(stage, result), remarks)
        if self.operation != CROP.id and self.treatment.find(self.operation) is None:
            self.operation = self.stage.value  # undone, or of another shot
        self.controls.show_stage(self.stage, shot, result, self.treatment, self.operation)
        self.zone_flow.show_guide(self.operation)
        self._show_zoom()
        self.menus.enable(self.shot is not None)

    def _show_zoom(self) -> None:
        scale = self.easel.scale if self.easel.result.view is not None else None
        self.status.show_zoom(scale, self.easel.fitted)

    def _view_changed(self) -> None:
        self._show_zoom()
        self.judging.show_figure(self.easel.result.view, self.easel.visible)

    def _show_figure(self, words: str) -> None:
        if (words or self._figure) and not self.exporter.waiting and not self.status.bar.isVisible():
            self.status.say(words)
        self._figure = words  # said when the rendering is done

    def _show_pixel(self, at: QPoint | None) -> None:
        if at is None:
            self.status.show_pixel("")
            return
        easel = self.easel
        fx = easel.source.size.width / easel.result.size.width
        fy = easel.source.size.height / easel.result.size.height
        colours = easel.source.colour_at(int(at.x() * fx), int(at.y() * fy)), easel.result.colour_at(at.x(), at.y())
        self.status.show_pixel(pixel_words(at.x(), at.y(), *colours))

    def choose_stage(self, stage: Stage) -> None:
        """Open the controls of a stage."""
        self.stage, self.operation = stage, stage.value
        if self.judging.stage_alone:
            self._show_treated()
        elif self.shot is not None and self.pipeline is not None:
            self._show_settings(self.shot, self.pipeline)
        self.strip_flow.refresh()

    def change_setting(self, name: str, value: object) -> None:
        """Change one setting (``id.field`` of an operation; ``id.*`` returns all of it to the meter)."""
        if self.shot is None:
            return
        try:
            operation, field = self.treatment.addressed(name)
            stage = operation.stage
            if field == "*":
                kept = self.treatment.without(operation.id)
                changed = kept if operation.everywhere else self.treatment.put(operation.reset())
            else:
                changed = self.treatment.set(name, value)  # type: ignore[arg-type]
                if field != "on" and value is not None and operation.everywhere:
                    changed = switched_on(changed, [stage], self.shot.source, self.shot.reading)
        except TreatmentError as error:
            self.status.say(str(error))
            return
        is_number = isinstance(value, float)
        if stage is Stage.ENLARGE and field in SIZES:
            self._resizing.start()
        self.roll.change(self.row, changed, f"{stage.label}: {field}", merge=name if is_number else "")

    def change_treatment(self, treatment: Treatment, words: str) -> None:
        """Give the current shot another treatment, as one step to undo."""
        self.roll.change(self.row, treatment, words)

    def choose_operation(self, id: str) -> None:
        """Show the settings of one of the stage's operations."""
        self.operation = id
        if self.shot is not None and self.pipeline is not None:
            self._show_settings(self.shot, self.pipeline)

    def change_settings(self, stage: Stage, values: dict[str, Value], words: str) -> None:
        """Change several settings of a stage at once."""
        if self.shot is None:
            return
        changed = self.treatment
        for name, value in values.items():
            changed = changed.set(f"{stage}.{name}", value)
        changed = switched_on(changed, [stage], self.shot.source, self.shot.reading)
        self.roll.change(self.row, changed, f"{stage.label}: {words}")

    def _adopt(self, candidate: Candidate) -> None:
        self.roll.change(self.row, candidate.treatment, f"{self.stage.label}: {candidate.label}")
        self.status.say(f"Adopted: {candidate.label}.")

    def reset_treatment(self) -> None:
        self.roll.change(self.row, Treatment(), "Follow the meter in every stage")

    def _treatment_changed(self, row: int) -> None:
        if row == self.row:
            self._show_treated()

    # ---- what has a flow of its own ------------------------------------------------------
    def start_strip(self) -> None:
        if self.shot is not None:
            self.strip_flow.start()

    def ask_sync(self) -> None:
        self.several.ask_sync(self.row, self.sheet.selected_rows)

    def ask_preset(self) -> None:
        self.several.ask_preset(self.treatment)

    def _fill_presets(self) -> None:
        self.several.fill_presets(self.menus.presets, lambda: self.sheet.selected_rows or [self.row])

    def ask_export(self, all_shots: bool = False) -> None:
        pipeline = self.pipeline
        if pipeline is not None and self.shot is not None:
            every = range(len(self.roll.entries))
            self.export_flow.ask(
                list(every) if all_shots else self.sheet.selected_rows or [self.row], self.row, pipeline
            )

    # ---- the rest ------------------------------------------------------------------------
    def _render_progress(self, progress: Progress | None) -> None:
        if progress is None and self.shot is not None and self.easel.result.view is not None:
            self.ahead.wait(self.row)
        else:
            self.ahead.stop()
        if self.exporter.waiting:
            return  # the export's own progress stays in view
        if progress is None:
            self.controls.histogram.follow(self.easel.both_in_view)
            if self.status.bar.isVisible():
                self.status.say(self._figure)
        else:
            self.status.say(f"Rendering {self._deepest_stage()}", progress)

    def _deepest_stage(self) -> str:
        return self.pipeline.steps[-1].stage.label if self.pipeline is not None else ""

    def _stop(self) -> None:
        if self.exporter.waiting:
            self.exporter.stop()
        else:
            self.renderer.stop()
            self.status.say("Stopped. Move the picture or change a setting to go on.")

    def ask_print_view(self) -> None:
        """Show the result as large as its print will be."""
        if self.pipeline is None:
            return
        ppi, size = float(self.pipeline.resolved[Stage.PRINT].values["ppi"]), self.pipeline.size
        words = f"{size.width / ppi * 2.54:.1f} × {size.height / ppi * 2.54:.1f} cm at {ppi:g} ppi"
        dialog = PrintViewDialog(self.settings, words, self)
        if dialog.exec():
            self.easel.set_arrangement(Arrangement.RESULT)
            self.easel.set_zoom(dialog.scale(ppi))

    def set_provider(self, provider: str) -> None:
        """What networks run on from now on; remembered for the next start."""
        trouble = runtime.use_provider(provider)
        self.settings.setValue(PROVIDER, runtime.provider())
        self.cache.clear()
        self._show_treated()
        self.status.say(trouble or f"Networks run on {providers.words(provider)}.")

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
            "D, B, R: divider, both side by side, result only (with Shift: across, stacked). "
            "C: compare the chosen stage with the one before. L: loupe. P: size of the print. G: next surround. "
            "T: test strip. Ctrl+D: dim room. Wheel: zoom at the pointer. Drag: pan. Double click: 100 % and back.</p>",
        )  # fmt: skip

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == FLIP_KEY and not event.modifiers():
            self.easel.set_flipped(True)
        elif event.key() == Qt.Key.Key_Escape and self.easel.asked:
            self.easel.call_off()
            self.status.say("")
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
        self.ahead.stop()
        self.strip.close_strip()
        self.renderer.close()
        self.exporter.close()
        self.thumbnails.close()
        self.background.close()
        self.store.close()
        self.roll.keeper.close()
        super().closeEvent(event)


def _local_paths(data: QMimeData) -> list[Path]:
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]


def _overview_key(source: Source, resolved: Resolved) -> Hashable:
    develop = [o for o in resolved.operations if o.stage is Stage.DEVELOP and o.on]
    return source.serial, tuple((o.id, o.mask, tuple(sorted(o.values.items()))) for o in develop)
