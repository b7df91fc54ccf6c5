"""Keeps rail, control sheet and easel up to what the session says."""

from __future__ import annotations

from collections.abc import Hashable

from PySide6.QtCore import QObject, QPoint, QTimer
from PySide6.QtGui import QColor, QImage

from crispgrain.core.describe import remark_words, stage_summary
from crispgrain.core.errors import TreatmentError
from crispgrain.core.files import Source
from crispgrain.core.masks import Ground
from crispgrain.core.meter import Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.overview import overview
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.progress import Progress
from crispgrain.core.render.views import Result, between
from crispgrain.core.resolve import Resolved
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine, pixel_words
from crispgrain.desktop.base.theme import current_theme
from crispgrain.desktop.easel.easel import Easel
from crispgrain.desktop.easel.figures import Figures
from crispgrain.desktop.easel.layer import to_image
from crispgrain.desktop.easel.renderer import EaselRenderer
from crispgrain.desktop.rail.stage_rail import StageRail
from crispgrain.desktop.sheet.control_sheet import ControlSheet
from crispgrain.session.comparing import MASKS, VIEW_TILE
from crispgrain.session.session import Session

SETTLING = 900  # ms in which a size being chosen is answered by a draft


class Display(QObject):
    """Shows the current shot under its treatment, in whatever way it is compared."""

    def __init__(
        self, session: Session, rail: StageRail, controls: ControlSheet, easel: Easel, status: StatusLine,
        background: Background,
    ) -> None:  # fmt: skip
        super().__init__(easel)
        self._session, self._background = session, background
        self._rail, self._controls, self._easel, self._status = rail, controls, easel, status
        self.renderer = EaselRenderer(easel, background, session.cache)
        self.figures = Figures(background)
        self.busy = False  # whether the bottom line is wanted for something else
        self._figure = ""  # what was measured of what is in view, in words
        self._overview_key: Hashable = None
        self._settling = QTimer(self)
        self._settling.setSingleShot(True)
        self._settling.setInterval(SETTLING)
        self._settling.timeout.connect(self.show_treated)
        self.figures.measured.connect(self._show_figure)
        self.renderer.progress.connect(self._show_progress)
        self.renderer.failed.connect(status.say)
        easel.view_changed.connect(self._view_changed)
        easel.pointed.connect(self._show_pixel)
        session.treatment_changed.connect(self._treatment_changed)
        session.operation_changed.connect(self._operation_changed)
        session.comparing.changed.connect(self.show_treated)
        session.tried.connect(self.show_treated)

    def close(self) -> None:
        self.renderer.close()

    def set_busy(self, on: bool) -> None:
        self.busy = on

    def draft(self) -> None:
        """Answer with the stage's draft for a moment: a size is being chosen."""
        self._settling.start()

    # ---- the whole of a shot -----------------------------------------------------------
    def show_nothing(self) -> None:
        """Before there is a shot, or while the next one is read."""
        self._overview_key = None
        self.renderer.show(None, None, None)
        self._controls.show_stage(self._session.stage, None, None, Treatment())
        for stage, head in self._rail.heads.items():
            head.show_state(False, stage is self._session.stage, "")
        self._show_zoom()
        self._show_pixel(None)  # the pointer may rest, and its values are of the shot before
        self._easel.show_message("")

    def show_first_look(self, source: Source, resolved: Resolved, image: QImage) -> None:
        """A small rendering before the shot is measured."""
        plain = Pipeline(source, Reading(), resolved, self._session.cache, VIEW_TILE)
        self._overview_key = _overview_key(source, resolved)
        self._easel.captions = ("source", "result")
        self._easel.show_message("")
        self.renderer.show(Result(plain), Result(plain), image, wait=True)

    def show_treated(self) -> None:
        """Bring everything up to the current treatment."""
        session, easel = self._session, self._easel
        accent = QColor(current_theme().accent)
        session.comparing.mark = accent.red(), accent.green(), accent.blue()
        try:
            pipeline = session.pipeline
            compared = session.compared(self._shown(pipeline)) if pipeline is not None else None
        except TreatmentError as error:
            self._status.say(str(error))
            return
        if pipeline is None or compared is None:
            return
        self._show_overview(pipeline.source, pipeline.resolved, pipeline.ground)
        easel.captions = compared.captions
        self.renderer.show(compared.source, compared.result, easel.source.overview, outside=compared.outside)
        if compared.remark:
            self._status.say(compared.remark)
        self.show_settings()
        self.figures.follow(easel.result.view, easel.visible)

    def _shown(self, pipeline: Pipeline) -> Treatment:
        """The treatment that is shown: while a size is being chosen, with the draft of what enlarges."""
        if self._session.trial is not None:
            return self._session.trial
        treatment, draft = self._session.treatment, pipeline.resolved[Stage.ENLARGE].model.draft
        return treatment.set(f"{Stage.ENLARGE}.model", draft) if self._settling.isActive() and draft else treatment

    def _show_overview(self, source: Source, resolved: Resolved, ground: Ground) -> None:
        """Have the small rendering under the tiles made anew, if Develop has changed since it was made."""
        key = _overview_key(source, resolved)
        if key == self._overview_key:
            return
        self._overview_key = key

        def done(image: QImage) -> None:
            if key == self._overview_key:
                self.renderer.set_overview(image)

        self._background.submit(Urgency.VISIBLE, lambda: to_image(overview(source, resolved, ground=ground)), done)

    def show_settings(self) -> None:
        """Bring rail and control sheet up to the current treatment."""
        session = self._session
        pipeline = session.pipeline
        if pipeline is None:
            return
        for stage, head in self._rail.heads.items():
            on = pipeline.resolved[stage].on
            remarks = remark_words(stage, pipeline) if on else []
            head.show_state(on, stage is session.stage, stage_summary(stage, pipeline), remarks)
        self._controls.show_stage(session.stage, session.shot, pipeline, session.treatment, session.operation)
        self._show_zoom()

    def _treatment_changed(self, id: int) -> None:
        if id == self._session.current:
            self.show_treated()

    def _operation_changed(self) -> None:
        if self._session.comparing.stage_alone or self._session.comparing.look in MASKS:
            self.show_treated()
        else:
            self.show_settings()

    # ---- small things ----------------------------------------------------------------------
    def _show_zoom(self) -> None:
        shown = self._easel.result.view is not None
        self._status.show_zoom(self._easel.scale if shown else None, self._session.viewport.fitted)

    def _view_changed(self) -> None:
        self._show_zoom()
        self.figures.follow(self._easel.result.view, self._easel.visible)

    def _show_figure(self, words: str) -> None:
        if (words or self._figure) and not self.busy and not self._status.bar.isVisible():
            self._status.say(words)
        self._figure = words  # said when the rendering is done

    def _show_pixel(self, at: QPoint | None) -> None:
        source, result = self._easel.source, self._easel.result
        if at is None or source.view is None or result.view is None:
            self._status.show_pixel("")
            return
        x, y = between(result.view, source.view)(at.x() + 0.5, at.y() + 0.5)  # type: ignore[arg-type]
        colours = source.colour_at(int(x), int(y)), result.colour_at(at.x(), at.y())
        self._status.show_pixel(pixel_words(at.x(), at.y(), *colours))

    def _show_progress(self, progress: Progress | None) -> None:
        if self.busy:
            return  # an export's own progress stays in view
        if progress is None:
            self._controls.histogram.follow(self._easel.both_in_view)
            if self._status.bar.isVisible():
                self._status.rest(self._figure)
        elif (pipeline := self._session.pipeline) is not None:
            self._status.say(f"Rendering {pipeline.steps[-1].stage.label}", progress)


def _overview_key(source: Source, resolved: Resolved) -> Hashable:
    develop = [o for o in resolved.operations if o.stage is Stage.DEVELOP and o.on]
    return source.serial, tuple((o.id, o.mask, tuple(sorted(o.values.items()))) for o in develop)
