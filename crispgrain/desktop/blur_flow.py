"""Telling Sharpen about the blur by hand: a movement drawn on the picture, a path found in a chosen patch."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from PySide6.QtCore import QLineF, QObject

from crispgrain.arrays import Array
from crispgrain.core.model import Stage, Value
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.shot import Shot
from crispgrain.core.stages.sharpen.shake import find_path, metered_path
from crispgrain.core.stages.sharpen.undo import linear_noise
from crispgrain.geometry import Rect
from crispgrain.restoration.point_spread import as_text

from .background import Background, Urgency
from .control_sheet import ControlSheet
from .easel import Easel
from .path_row import PathRow
from .status_line import StatusLine


class HasTreatment(Protocol):
    """What the flow asks of the window."""

    background: Background
    pipeline: Pipeline | None

    @property
    def shot(self) -> Shot | None: ...

    def change_settings(self, stage: Stage, values: dict[str, Value], words: str) -> None: ...


class BlurFlow(QObject):
    """Asks for a line or a patch on the easel and makes settings of it."""

    def __init__(self, window: HasTreatment, easel: Easel, controls: ControlSheet, status: StatusLine) -> None:
        super().__init__(easel)
        self.window, self.easel, self.controls, self.status = window, easel, controls, status
        controls.tool_wanted.connect(self.start)
        controls.path_wanted.connect(self._show_path)

    def start(self, model: str) -> None:
        """Ask for what a model can be told by hand."""
        if model == "motion":
            self.easel.ask_line(self._take_movement)
            self.status.say("Draw along the streak that one point of light became, from end to end.")
        elif model == "shake":
            self.easel.ask_patch(self._find_path)
            self.status.say("Drag a rectangle over a part with clear edges in all directions.")

    def _in_source(self, x: list[float], y: list[float]) -> tuple[list[float], list[float]]:
        """Where points of the result lie in the source."""
        assert self.window.pipeline is not None
        there = self.window.pipeline.steps[-1].after.to_source(np.array(x), np.array(y))
        return there[0].tolist(), there[1].tolist()

    def _take_movement(self, line: QLineF) -> None:
        (x1, x2), (y1, y2) = self._in_source([line.x1(), line.x2()], [line.y1(), line.y2()])
        drawn = QLineF(x1, y1, x2, y2)
        length, angle = drawn.length(), drawn.angle() % 180
        self.status.say(f"Movement of {length:.1f} px at {angle:.0f}°.")
        values: dict[str, Value] = {"length": round(length * 2) / 2, "angle": round(angle) % 180}
        self.window.change_settings(Stage.SHARPEN, values, "movement drawn")

    def _find_path(self, patch: Rect) -> None:
        shot, pipeline = self.window.shot, self.window.pipeline
        if shot is None or pipeline is None:
            return
        extent = int(float(pipeline.resolved[Stage.SHARPEN].values["extent"]))
        corners = self._in_source([patch.left, patch.right] * 2, [patch.top, patch.top, patch.bottom, patch.bottom])
        left, top, right, bottom = (int(end(v)) // 2 * 2 for end in (min, max) for v in corners)
        in_source = Rect.between(top, left, bottom, right).intersect(shot.source.size.rect)
        if min(in_source.width, in_source.height) < 3 * extent:
            self.status.say(f"The patch is too small: it wants at least {3 * extent} pixels each way.")
            return
        self.status.say("Finding the path …")

        def done(path: Array) -> None:
            if self.window.shot is shot:
                self.status.say("")
                self.window.change_settings(Stage.SHARPEN, {"path": as_text(path)}, "path found in a patch")

        noise = linear_noise(shot.reading.noise)
        self.window.background.submit(
            Urgency.VISIBLE, lambda: find_path(shot.source, noise, extent, in_source), done,
            lambda error: self.status.say(f"No path could be found ({error})."),
        )  # fmt: skip

    def _show_path(self, row: PathRow) -> None:
        """Fill in the picture of a path that is metered."""
        shot, pipeline = self.window.shot, self.window.pipeline
        if shot is None or pipeline is None:
            return
        extent = int(float(pipeline.resolved[Stage.SHARPEN].values["extent"]))

        def done(path: Array) -> None:
            if self.window.shot is shot and self.controls.rows.get("path") is row and row.picture.kernel is None:
                row.show_found(path)

        self.window.background.submit(Urgency.OPENING, lambda: metered_path(shot.source, shot.reading, extent), done)
