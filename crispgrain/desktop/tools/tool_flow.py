"""What is drawn on the easel becomes settings, as a model's tools make them of it."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QObject

from crispgrain.arrays import Array
from crispgrain.core.errors import TreatmentError
from crispgrain.core.model import Shape, Tool, ToolError, Values
from crispgrain.core.resolve import concrete
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.desktop.easel.easel import Easel
from crispgrain.desktop.easel.hand import Points
from crispgrain.desktop.sheet.control_sheet import ControlSheet
from crispgrain.desktop.sheet.path_row import PathRow
from crispgrain.session.session import Session

from .drawn import drawn_on
from .heal_marks import HealMarks
from .turning import Turning


class ToolFlow(QObject):
    """Asks for a stroke on the easel and makes settings, or an operation, of it."""

    def __init__(
        self, session: Session, easel: Easel, controls: ControlSheet, background: Background, status: StatusLine
    ) -> None:
        super().__init__(easel)
        controls.tool_wanted.connect(self.start)
        controls.find_wanted.connect(self.find)
        self._session, self._easel, self._background, self._status = session, easel, background, status
        self.heal_marks = HealMarks(session, easel)

    # ---- tools of models -----------------------------------------------------------
    def start(self, tool: Tool) -> None:
        """Ask for what a tool needs; nothing is drawn for some."""
        if tool.shape is Shape.NOTHING:
            self._use(tool, self._session.operation, ())
            return
        operation, shot, pipeline = self._session.operation, self._session.shot, self._session.pipeline
        if shot is None or pipeline is None:
            return
        given, _ = self._session.treatment.addressed(f"{operation}.on")
        there = pipeline.resolved.find(operation) or concrete(given, shot.source, shot.reading)
        size, stretch = shot.source.size, pipeline.steps[-1].after.stretch
        held = partial(tool.held, there.values, size)
        share = float(there.values[tool.across]) / 100 if tool.across else 0.0
        width = share * max(size.width, size.height) / stretch
        turning = Turning(self._session, self._easel, self._background, tool, operation) if tool.live else None
        then = partial(self._use, tool, operation)
        self._easel.hand.ask(tool.shape, then, held, width, turning.show if turning is not None else None)
        self._status.say(tool.hint)

    def _use(self, tool: Tool, operation: str, points: Points) -> None:
        shot, drawn = self._session.shot, drawn_on(self._session, operation, points)
        if shot is None or drawn is None:
            return
        given, _ = self._session.treatment.addressed(operation)

        def done(answer: Values | tuple[Values, str]) -> None:
            settings, said = answer if isinstance(answer, tuple) else (answer, "")
            if self._session.shot is not shot:
                return
            self._status.remark(said)
            before = self._session.treatment
            try:
                named = {f"{operation}.{name}": value for name, value in settings.items()}
                self._session.change_settings(named, f"{given.stage.label}: {tool.done}")
            except TreatmentError as error:
                self._status.say(str(error))
            if self._session.treatment == before:
                self._easel.show_moving(None)  # else it stays until what follows is there
            if tool.again and self._easel.hand.shape is None and self._session.operation == operation:
                self.start(tool)

        def failed(error: Exception) -> None:
            self._easel.show_moving(None)
            self._status.say(str(error) if isinstance(error, ToolError) else f"That could not be used ({error}).")

        if tool.slow:
            self._status.say(tool.hint if tool.shape is Shape.NOTHING else "Working it out …")
            self._background.submit(Urgency.VISIBLE, lambda: tool.settings(drawn), done, failed)
            return
        try:
            done(tool.settings(drawn))
        except ToolError as error:
            failed(error)

    def find(self, row: PathRow) -> None:
        """Fill in what was found in the whole shot for a setting that is left to that."""
        shot, pipeline, product = self._session.shot, self._session.pipeline, row.parameter.product
        if shot is None or pipeline is None or product is None:
            return
        values = pipeline.resolved[self._session.stage].values

        def done(found: Array) -> None:
            if self._session.shot is shot and row.picture.kernel is None:
                row.show_found(found)

        self._background.submit(Urgency.OPENING, lambda: pipeline.product(product, values), done)
