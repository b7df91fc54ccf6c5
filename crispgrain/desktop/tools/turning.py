"""A picture all round that turns with the pointer."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from crispgrain.core.colour import icc
from crispgrain.core.model import Role, Tool
from crispgrain.core.render.overview import overview
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.easel.easel import Easel
from crispgrain.desktop.easel.hand import Points
from crispgrain.desktop.easel.layer import screen_image
from crispgrain.session.session import Session

from .drawn import drawn_on

LONGEST = 960  # px of the picture all round: its view keeps up with the pointer


class Turning:
    """The whole picture as it would be, shown while a stroke that turns it is drawn."""

    def __init__(self, session: Session, easel: Easel, background: Background, tool: Tool, operation: str) -> None:
        self._session, self._easel, self._tool, self._operation = session, easel, tool, operation
        self._small: NDArray[np.uint8] | None = None  # developed, not yet turned
        shot, pipeline = session.shot, session.pipeline
        if shot is None or pipeline is None:
            return
        shapes = [o for o in pipeline.resolved.beside if o.on and o.model.may_be(Role.SHAPE)]
        self._whole = len(shapes) == 1  # nothing is cut off, or bent once more
        unturned = replace(pipeline.resolved, beside=tuple(o for o in pipeline.resolved.beside if o not in shapes))

        def developed() -> NDArray[np.uint8]:
            return icc.from_working(overview(shot.source, unturned, LONGEST), icc.profile("srgb"), 8)

        def came(small: NDArray[np.uint8]) -> None:
            self._small = small

        background.submit(Urgency.VISIBLE, developed, came)

    def show(self, points: Points) -> None:
        """Both ends of the stroke, in px of the result."""
        drawn = drawn_on(self._session, self._operation, points)
        if self._small is None or drawn is None or not self._whole or self._tool.live is None:
            return
        turned = self._tool.settings(drawn)
        values = {**drawn.values, **(turned[0] if isinstance(turned, tuple) else turned)}
        self._easel.show_moving(screen_image(self._tool.live(self._small, values)))
