"""A mosaic whose corners were brightened before it was written, as its sensor saw it: with even noise."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Concatenate, ParamSpec

from crispgrain.arrays import Array
from crispgrain.restoration.radial_gain import radial_gain

from ...model import Context, Values

P = ParamSpec("P")
Run = Callable[Concatenate[Array, Values, Context, P], Array]


def levelled(run: Run[P]) -> Run[P]:
    """A model on the mosaic that works before the gain that the meter found, which then is given back."""

    @wraps(run)
    def before_gain(mosaic: Array, values: Values, context: Context, *args: P.args, **kwargs: P.kwargs) -> Array:
        corner = context.noise.corner
        if corner <= 1:
            return run(mosaic, values, context, *args, **kwargs)
        gain = radial_gain(context.rect, context.before.size, corner)
        result = run(mosaic / gain, values, context, *args, **kwargs)
        return result * (gain[..., None] if result.ndim == 3 else gain)

    return before_gain
