"""Zones, crop and level line: what is drawn on the easel becomes operations of the treatment."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from PySide6.QtCore import QLineF, QObject

from crispgrain.core.masks import LinearGradient
from crispgrain.core.model import Stage
from crispgrain.core.registry import CROP
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.shot import Shot
from crispgrain.core.transform import Transform
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect

from .easel import Easel
from .status_line import StatusLine
from .zone_row import operation_name

LEAST = 4  # px; a shorter stroke was a slip


class HasTreatment(Protocol):
    """What the flow asks of the window."""

    stage: Stage
    pipeline: Pipeline | None

    @property
    def shot(self) -> Shot | None: ...
    @property
    def treatment(self) -> Treatment: ...
    def change_treatment(self, treatment: Treatment, words: str) -> None: ...
    def choose_operation(self, id: str) -> None: ...


class ZoneFlow(QObject):
    """Asks for a stroke on the easel and puts an operation into the treatment."""

    def __init__(self, window: HasTreatment, easel: Easel, status: StatusLine) -> None:
        super().__init__(easel)
        self.window, self.easel, self.status = window, easel, status

    def add(self) -> None:
        """Ask for a gradient of a new zone of the stage that is open."""
        self.easel.ask_line(self._take_gradient)
        self.status.say("Draw from where the zone is whole to where it ends. Esc leaves it.")

    def start(self, tool: str) -> None:
        """Ask for what a tool of the crop needs: ``crop`` a rectangle, ``level`` a line."""
        if tool == CROP.id:
            self.easel.ask_patch(self._take_crop)
            self.status.say("Drag a rectangle over what is to stay. Esc leaves it.")
        elif tool == "level":
            self.easel.ask_line(self._take_level)
            self.status.say("Draw along something that is to be level or upright. Esc leaves it.")

    def show_guide(self, id: str) -> None:
        """Show on the easel where a zone lies; nothing for what has no mask."""
        shot, to_source, zone = self.window.shot, self._to_source(), self.window.treatment.find(id)
        mask = zone.mask if zone is not None else None
        if shot is None or to_source is None or mask is None:
            self.easel.show_guide(None)
            return
        size = shot.source.size
        x, y = (np.array(v) for v in zip(mask.start, mask.end, strict=True))
        x, y = to_source.inverse(x * size.width, y * size.height)
        self.easel.show_guide(QLineF(x[0], y[0], x[1], y[1]))

    def remove(self, id: str) -> None:
        stage = self.window.stage
        self.window.change_treatment(self.window.treatment.without(id), f"{stage.label}: {operation_name(id)} removed")
        self.window.choose_operation(stage.value)

    def _to_source(self) -> Transform | None:
        pipeline = self.window.pipeline
        return pipeline.steps[-1].after.to_source if pipeline is not None else None

    def _take_gradient(self, line: QLineF) -> None:
        shot, to_source = self.window.shot, self._to_source()
        if shot is None or to_source is None or line.length() < LEAST:
            return
        size = shot.source.size
        x, y = to_source(np.array([line.x1(), line.x2()]), np.array([line.y1(), line.y2()]))
        start, end = ((float(a / size.width), float(b / size.height)) for a, b in zip(x, y, strict=True))
        treatment, id = self.window.treatment.with_zone(self.window.stage, LinearGradient(start, end))
        self.status.say("")
        self.window.change_treatment(treatment, f"{self.window.stage.label}: {operation_name(id)}")
        self.window.choose_operation(id)

    def _take_crop(self, patch: Rect) -> None:
        shot, to_source = self.window.shot, self._to_source()
        if shot is None or to_source is None or min(patch.height, patch.width) < LEAST:
            return
        size = shot.source.size
        # The wish is kept in the source as it is turned now.
        angle = self._angle()
        turned = Transform.turn(angle, size.width / 2, size.height / 2).after(to_source)
        x, y = turned(np.array([patch.left, patch.right]), np.array([patch.top, patch.bottom]))
        treatment = self.window.treatment
        for name, share in zip(
            ("left", "right", "top", "bottom"), (*(x / size.width), *(y / size.height)), strict=True
        ):
            treatment = treatment.set(f"{CROP.id}.{name}", min(max(float(share) * 100, 0.0), 100.0))
        self.status.say("")
        self.window.change_treatment(treatment, "Develop: crop drawn")

    def _take_level(self, line: QLineF) -> None:
        if line.length() < LEAST:
            return
        # QLineF counts anticlockwise; what is nearer to upright is to be upright.
        slant = (line.angle() + 45) % 90 - 45
        angle = min(max(self._angle() + slant, -45.0), 45.0)
        self.status.say(f"Turned by {angle:.2f}°.")
        self.window.change_treatment(self.window.treatment.set(f"{CROP.id}.angle", angle), "Develop: straightened")

    def _angle(self) -> float:
        kept = self.window.treatment.find(CROP.id)
        return float(kept.values.get("angle", 0.0)) if kept is not None else 0.0
