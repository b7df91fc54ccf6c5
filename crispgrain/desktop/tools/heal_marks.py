"""While Heal is open, what is healed is marked on the easel, with where each patch is from."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QLineF, QObject

from crispgrain.core.registry import HEAL
from crispgrain.core.stages.develop.spots import in_px
from crispgrain.desktop.easel.easel import Easel
from crispgrain.session.session import Session


class HealMarks(QObject):
    """Keeps the easel's marks those of the spots of the shot that is looked at."""

    def __init__(self, session: Session, easel: Easel) -> None:
        super().__init__(easel)
        self._session, self._easel = session, easel
        session.operation_changed.connect(self.show)
        session.treatment_changed.connect(lambda id: self.show())

    def show(self) -> None:
        session, pipeline = self._session, self._session.pipeline
        healing = session.treatment.find(HEAL.id)
        if pipeline is None or healing is None or session.operation != HEAL.id or not healing.values.get("spots"):
            self._put([])
            return
        size, back = pipeline.source.size, pipeline.steps[-1].after.to_source.inverse
        marks: list[tuple[QLineF, float]] = []
        for spot in in_px(healing.values, size, size.rect):
            x, y = back(
                np.array([spot.x, spot.x + spot.right, spot.x + spot.radius]),
                np.array([spot.y, spot.y + spot.down, spot.y]),
            )
            marks.append((QLineF(x[0], y[0], x[1], y[1]), float(np.hypot(x[2] - x[0], y[2] - y[0]))))
        self._put(marks)

    def _put(self, marks: list[tuple[QLineF, float]]) -> None:
        self._easel.result.healed = marks
        self._easel.update()
