"""A part of the picture is measured by itself, and a stage follows it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject

from crispgrain.core.masks.extent import extent_of
from crispgrain.core.meter.part import measure_part
from crispgrain.core.meter.reading import Reading
from crispgrain.core.model import Shape
from crispgrain.core.resolve import fixed_by
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.desktop.easel.easel import Easel
from crispgrain.desktop.easel.hand import Points
from crispgrain.desktop.sheet.control_sheet import ControlSheet
from crispgrain.geometry import Rect
from crispgrain.session.session import Session

from .tool_flow import moved_points


class MeterFlow(QObject):
    """Asks for a rectangle, or takes a zone's own place, and measures there."""

    def __init__(
        self, session: Session, easel: Easel, controls: ControlSheet, background: Background, status: StatusLine
    ) -> None:
        super().__init__(easel)
        self._session, self._easel, self._background, self._status = session, easel, background, status
        controls.meter_wanted.connect(self.start)

    def start(self) -> None:
        """Measure where the zone that is open shows; else ask for a rectangle."""
        pipeline, operation = self._session.pipeline, self._session.treatment.find(self._session.operation)
        if pipeline is not None and operation is not None and operation.mask is not None:
            mask, ground = operation.mask, pipeline.ground
            self._measure(lambda: extent_of(mask, ground))
            return
        self._easel.hand.ask(Shape.RECTANGLE, self._take)
        self._status.say("Drag over what is to be measured. Esc leaves it.")

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
            self._status.say(f"Measured here: softness {blur.softness:.1f} px{kind}.")

        def failed(error: Exception) -> None:
            self._status.say(f"That could not be measured ({error}).")

        self._status.say("Measuring …")
        self._background.submit(Urgency.VISIBLE, job, done, failed)
