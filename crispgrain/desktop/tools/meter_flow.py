"""A part of the picture is measured by itself, and a stage follows it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject

from crispgrain.core.masks import Oval
from crispgrain.core.masks.extent import extent_of
from crispgrain.core.meter.part import measure_part
from crispgrain.core.meter.reading import Reading
from crispgrain.core.model import Shape, Stage
from crispgrain.core.render.as_sharp import SIDE, AsSharp, around, as_sharp
from crispgrain.core.resolve import fixed_by
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.desktop.easel.easel import Easel
from crispgrain.desktop.easel.hand import Points
from crispgrain.desktop.sheet.control_sheet import ControlSheet
from crispgrain.geometry import Rect
from crispgrain.session.session import Session

from .drawn import moved_points


class MeterFlow(QObject):
    """Asks for a rectangle, or takes a zone's own place, and measures there."""

    def __init__(
        self, session: Session, easel: Easel, controls: ControlSheet, background: Background, status: StatusLine
    ) -> None:
        super().__init__(easel)
        self._session, self._easel, self._background, self._status = session, easel, background, status
        controls.meter_wanted.connect(self.start)
        controls.alike_wanted.connect(self.start_alike)

    def start(self) -> None:
        """Measure where the zone that is open shows; else ask for a rectangle."""
        pipeline, operation = self._session.pipeline, self._session.treatment.find(self._session.operation)
        if pipeline is not None and operation is not None and operation.mask is not None:
            mask, ground = operation.mask, pipeline.ground
            self._measure(lambda: extent_of(mask, ground))
            return
        self._easel.hand.ask(Shape.RECTANGLE, self._take)
        self._status.say("Drag over what is to be measured. Esc leaves it.")

    def start_alike(self) -> None:
        """Ask for two places, of which one is to become as sharp as the other."""
        self._easel.hand.ask(Shape.LINE, self._take_alike)
        self._status.say("Draw from a place that is sharp enough to one that is not. Esc leaves it.")

    def _take_alike(self, points: Points) -> None:
        session, shot, pipeline = self._session, self._session.shot, self._session.pipeline
        if shot is None or pipeline is None or len(points) < 2:
            return
        size = shot.source.size
        good, soft = moved_points(points, pipeline.steps[-1].after.to_source)[:2]
        treatment, id = session.treatment, session.operation
        found = treatment.find(id)
        if found is None or found.mask is None:
            x, y, radius = soft[0] / size.width, soft[1] / size.height, 0.75 * SIDE
            across, along = radius / size.width, radius / size.height
            treatment, id = treatment.with_zone(
                Stage.SHARPEN, Oval((x - across, y - along), (x + across, y + along), 0.5)
            )
        operation = treatment.addressed(f"{id}.on")[0]

        def job() -> AsSharp:
            shown, here = around(good, size), around(soft, size)
            return as_sharp(shot.source, shot.reading, treatment, operation, shown, here, session.cache)

        def done(made: AsSharp) -> None:
            if session.shot is not shot:
                return
            if made.operation != operation:
                session.change_treatment(session.treatment.put(made.operation), "Sharpen: as sharp as shown")
                session.choose_operation(id)
            self._status.remark(made.words)

        self._status.say("Sharpening until both are alike …")
        self._background.submit(Urgency.VISIBLE, job, done, self._failed)

    def _failed(self, error: Exception) -> None:
        self._status.say(f"That could not be measured ({error}).")

    def _take(self, points: Points) -> None:
        pipeline = self._session.pipeline
        if pipeline is None:
            return
        x, y = np.array(moved_points(points, pipeline.steps[-1].after.to_source)).T
        rect = Rect.between(int(y.min()), int(x.min()), int(np.ceil(y.max())), int(np.ceil(x.max())))
        rect = rect.intersect(pipeline.source.size.rect)
        self._measure(lambda: rect)

    def _measure(self, where: Callable[[], Rect | None]) -> None:
        session, shot = self._session, self._session.shot
        if shot is None:
            return
        operation, _ = session.treatment.addressed(f"{session.operation}.on")

        def job() -> Reading | None:
            rect = where()
            return measure_part(shot.source, rect, shot.reading) if rect is not None and not rect.empty else None

        def done(reading: Reading | None) -> None:
            if session.shot is not shot:
                return
            if reading is None:
                self._status.say("There is nothing to measure: the zone shows nowhere.")
                return
            treatment = session.treatment.put(fixed_by(operation, shot.source, reading))
            session.change_treatment(treatment, f"{operation.stage.label}: metered here")
            blur = reading.blur
            kind = "" if blur.kind == "none" else f", {blur.kind}"
            self._status.remark(f"Measured here: softness {blur.softness:.1f} px{kind}.")

        self._status.say("Measuring …")
        self._background.submit(Urgency.VISIBLE, job, done, self._failed)
