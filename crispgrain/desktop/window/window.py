"""The window: puts the parts together and passes their wishes on."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QImage, QKeyEvent
from PySide6.QtWidgets import QMainWindow, QMessageBox

from crispgrain.core.files import Source
from crispgrain.core.render.progress import Progress
from crispgrain.core.resolve import Resolved
from crispgrain.desktop.base.background import Background
from crispgrain.desktop.base.middle import Middle
from crispgrain.desktop.base.preferences import preferences, sidecar_folder
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.desktop.contact.contact_room import ContactRoom
from crispgrain.desktop.contact.thumbnails import Thumbnails
from crispgrain.desktop.easel.easel import Easel
from crispgrain.desktop.export.export_flow import ExportFlow
from crispgrain.desktop.export.exporter import Exporter
from crispgrain.desktop.line_up.line_up_flow import LineUpFlow
from crispgrain.desktop.line_up.line_up_view import LineUpView
from crispgrain.desktop.loading.ahead import Ahead
from crispgrain.desktop.loading.shot_loader import ShotLoader
from crispgrain.desktop.rail.stage_rail import StageRail
from crispgrain.desktop.several.several_flow import SeveralFlow
from crispgrain.desktop.several.takes_flow import TakesFlow
from crispgrain.desktop.sheet.control_sheet import ControlSheet
from crispgrain.desktop.strip.strip_flow import StripFlow
from crispgrain.desktop.strip.test_strip import TestStrip
from crispgrain.desktop.tools.mask_flow import MaskFlow
from crispgrain.desktop.tools.meter_flow import MeterFlow
from crispgrain.desktop.tools.tool_flow import ToolFlow
from crispgrain.paths import orders_file, store_file
from crispgrain.session.candidates import Candidate
from crispgrain.session.session import Session
from crispgrain.store import Store

from .display import Display
from .empty_state import EmptyState
from .layout import laid_out
from .looking import Looking, start_machine
from .menus import LEFT, build_menus
from .opening import Opening, local_paths
from .outside_flow import OutsideFlow

FLIP_KEY = Qt.Key.Key_S  # hold to see the source


class Window(QMainWindow):
    """The main window. What is open is in its session; computing and writing are done elsewhere."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Crisp Grain")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.settings = preferences()
        self.session = session = Session(Store(store_file()), sidecar_folder())
        trouble = start_machine(session, self.settings)
        self.background, self.exporter = Background(), Exporter(orders_file(), store_file())

        self.rail, self.controls, self.status, self.empty = StageRail(), ControlSheet(), StatusLine(), EmptyState()
        self.easel, self.middle = Easel(session.viewport, session.comparing), Middle()
        self.strip = TestStrip(self.background)
        self.contact = ContactRoom(session, self.background)
        self.sheet = self.contact.sheet
        self.loader = ShotLoader(session, self.sheet, self.background)
        self.ahead = Ahead(session, self.loader, self.easel, self.background)
        self.thumbnails = Thumbnails(session, self.sheet)
        self.display = Display(session, self.rail, self.controls, self.easel, self.status, self.background)
        self.opening = Opening(session, self.background, self.status, self.settings, self)
        self.open_paths = self.opening.open_paths
        self.export_flow = ExportFlow(session, self.exporter, self.status, self.middle, self)
        self.strip_flow = StripFlow(session, self.easel, self.strip, self.status)
        self.tool_flow = ToolFlow(session, self.easel, self.controls, self.background, self.status)
        self.meter_flow = MeterFlow(session, self.easel, self.controls, self.background, self.status)
        self.mask_flow = MaskFlow(session, self.easel, self.controls, self.status, self.background)
        self.several = SeveralFlow(session, self.status, self)
        self.takes = TakesFlow(session, self.status, self)
        self.line_up_view = LineUpView()
        self.setCentralWidget(laid_out(self))
        self.looking, self.outside = Looking(self), OutsideFlow(session, self.background, self.status, self)
        self.line_up = LineUpFlow(session, self.line_up_view, self.middle, self.background)
        self.menus = build_menus(self)
        self._connect()
        self.display.show_nothing()
        self.menus.enable(False)
        self.status.say(trouble)
        self.easel.setFocus()

    def _connect(self) -> None:
        session = self.session
        # Said by whatever thread met with it.
        session.problem.connect(lambda words: self.background.in_window(partial(self.status.say, words)))
        session.roll.opened.connect(self._opened)
        session.current_changed.connect(self._open_current)
        self.middle.currentChanged.connect(self._give_way)
        session.treatment_changed.connect(self._follow)
        session.operation_changed.connect(self._follow)
        session.selection_changed.connect(self._show_together)
        self.rail.chosen.connect(session.choose_stage)
        self.rail.switched.connect(lambda stage, on: self.change_setting(f"{stage}.on", on))
        self.controls.setting_changed.connect(self.change_setting)
        self.controls.strip_wanted.connect(self.start_strip)
        self.controls.zones.chosen.connect(session.choose_operation)
        self.strip.adopted.connect(self._adopt)
        self.strip.kept.connect(self.takes.keep_candidate)
        self.strip.whole_treatments = lambda: [*self.outside.candidates(), *self.takes.candidates()]
        self.display.renderer.progress.connect(self._rendered)
        self.loader.first_look.connect(self._show_first_look)
        self.loader.ready.connect(self._shot_ready)
        self.loader.failed.connect(self._shot_failed)
        self.exporter.busy.connect(self.display.set_busy)
        self.line_up.started.connect(partial(self.contact.set_wide, False))
        self.contact.widened.connect(lambda wide: self.middle.setVisible(not wide))
        self.menus.presets.aboutToShow.connect(lambda: self.several.fill_presets(self.menus.presets))
        self.menus.takes.aboutToShow.connect(lambda: self.takes.fill(self.menus.takes))
        self.status.stop_wanted.connect(self._stop)
        self.status.zoom_wanted.connect(self.easel.set_zoom)
        self.empty.files_wanted.connect(self.opening.ask_files)
        self.empty.folder_wanted.connect(self.opening.ask_folder)
        self.empty.demo_wanted.connect(self.open_demo)

    # ---- shots ---------------------------------------------------------------------------
    def open_demo(self) -> None:
        self.empty.setEnabled(False)
        self.opening.open_demo(partial(self.empty.setEnabled, True))

    def _opened(self, ids: list[int]) -> None:
        self.middle.show_easel()
        # The shot that goes on the easel is measured and gets its thumbnail on the way.
        first = ids[0] if self.session.current is None else self.session.current
        self.thumbnails.want([id for id in ids if id != first])
        self.loader.meter_later([id for id in ids if id != first])

    def _open_current(self) -> None:
        on_easel = self.session.on_easel
        self.display.show_nothing()
        self.menus.enable(False)
        self.status.say(f"Opening {on_easel.path.name} …" if on_easel is not None else "")
        if on_easel is not None:
            self.loader.open(on_easel.id)
        self._give_way()

    def _give_way(self) -> None:
        """Where no shot is open, the first page takes the easel's place."""
        if self.middle.shows_easel and not self.session.roll.shots:
            self.middle.setCurrentWidget(self.empty)

    def _show_first_look(self, id: int, source: Source, resolved: Resolved, image: QImage) -> None:
        if id == self.session.current:
            self.display.show_first_look(source, resolved, image)

    def _shot_ready(self, id: int) -> None:
        if id == self.session.current:
            self.status.say("")
            self.menus.enable(True)
            self.session.take_place()
            self.display.show_treated()
            self._follow()

    def _shot_failed(self, id: int, words: str) -> None:
        if id == self.session.current:
            self.display.show_nothing()
            self.status.say(words)
            self.easel.show_message(words if self.session.treatment.rescue else f"{words}\n\nShots > {LEFT}")

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if local_paths(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.opening.open_paths(local_paths(event.mimeData()))

    # ---- treatments --------------------------------------------------------------------------
    def change_setting(self, name: str, value: object) -> None:
        """Change one setting of the current shot; see :meth:`Session.change_setting`."""
        pipeline = self.session.pipeline
        if pipeline is not None:
            parameters = [
                p for o in pipeline.resolved.operations for p in o.model.parameters if f"{o.id}.{p.id}" == name
            ]
            if any(p.resizes for p in parameters):
                self.display.draft()
        self.session.change_setting(name, value)

    def _follow(self, id: int | None = None) -> None:
        """What else depends on the treatment and on the operation that is open."""
        if id in (None, self.session.current) and self.session.shot is not None:
            self.mask_flow.show()
            self.strip_flow.refresh()

    def _show_together(self) -> None:
        session = self.session
        self.controls.show_together(len({*session.selection, session.current}) if session.together else 0)

    def _adopt(self, candidate: Candidate) -> None:
        self.session.change_treatment(candidate.treatment, f"{self.session.stage.label}: {candidate.label}")
        self.status.say(f"Adopted: {candidate.label}.")

    def start_strip(self) -> None:
        if self.session.shot is not None:
            self.strip_flow.start()

    # ---- what is shown -----------------------------------------------------------------------
    def _rendered(self, progress: Progress | None) -> None:
        if progress is None and self.session.shot is not None and self.easel.result.view is not None:
            self.ahead.wait()
        else:
            self.ahead.stop()

    def _stop(self) -> None:
        if self.exporter.waiting:
            self.exporter.stop()
        else:
            self.display.renderer.stop()
            self.status.say("Stopped. Move the picture or change a setting to go on.")

    # ---- events --------------------------------------------------------------------------------
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == FLIP_KEY and not event.modifiers():
            self.easel.set_flipped(True)
        elif event.key() == Qt.Key.Key_Escape and self.easel.hand.shape is not None:
            self.mask_flow.leave()
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
            answer = QMessageBox.question(
                self, "Crisp Grain", "Files are being written. Close, and go on at the next start?"
            )
            if answer != QMessageBox.StandardButton.Yes:
                event.ignore()
                return
        self.hide()  # nobody is to wait for the tiles under way
        self.ahead.stop()
        self.strip.close_strip()
        for part in (self.display, self.export_flow, self.exporter, self.thumbnails, self.background, self.session):
            part.close()
        super().closeEvent(event)
