"""From what the pointer drew on the result to what the tools of models take."""

from __future__ import annotations

import numpy as np

from crispgrain.core.model import Drawn, Role
from crispgrain.core.resolve import concrete
from crispgrain.core.transform import Transform
from crispgrain.desktop.easel.hand import Points
from crispgrain.session.session import Session


def drawn_on(session: Session, operation: str, points: Points) -> Drawn | None:
    """What was drawn on the result, as the tools of an operation take it; None without a shot."""
    shot, pipeline = session.shot, session.pipeline
    if shot is None or pipeline is None:
        return None
    given, _ = session.treatment.addressed(operation)
    concretely = concrete(given, shot.source, shot.reading)
    to_source = pipeline.steps[-1].after.to_source
    if concretely.model.may_be(Role.SHAPE):
        to_source = pipeline.unbent.inverse.after(to_source)
    points = moved_points(points, to_source) if points else ()
    everywhere = concrete(session.treatment[given.stage], shot.source, shot.reading).values
    return Drawn(points, shot.source, shot.reading, concretely.values, {} if given.everywhere else everywhere)


def moved_points(points: Points, transform: Transform) -> Points:
    x, y = transform(*np.array(points, float).T)
    return tuple(zip(x.tolist(), y.tolist(), strict=True))
