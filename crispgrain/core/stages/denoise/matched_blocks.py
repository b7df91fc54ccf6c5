"""What the photo net makes of a picture, cleaned once more together with all that looks alike; the two mixed."""

from __future__ import annotations

import numpy as np

from ...colour.spaces import Array
from ...geometry import Rect
from ...model import Knowledge, Model, Stage, Values
from ...networks import ensemble, runtime
from ...networks.conditioned import REACH
from . import alike, photo_net
from .parameters import STRENGTHS
from .sliding_dct import TONE_REACH

HALFWAY = 45 / 255  # of white; of so much noise both results have as much left, and not the same
TILE = 512  # px; a spot the network rounds otherwise may find other blocks alike, so tiles are the same everywhere


def run(pixels: Array, values: Values, knowledge: Knowledge) -> Array:
    """The photo net needs all of its margin, blocks only theirs."""
    part = knowledge.wanted.grow(alike.REACH + alike.STEP, knowledge.rect)
    top, left = part.top // alike.STEP * alike.STEP, part.left // alike.STEP * alike.STEP
    inside = Rect.between(top, left, part.bottom, part.right).within(knowledge.rect).slices

    def together(opponent: Array, cleaned: Array, told: Array) -> Array:
        sigma = told[inside][..., [0, 1, 1]]
        better = alike.clean_together(opponent[inside], cleaned[inside], sigma)
        share = np.square(sigma) / (np.square(sigma) + HALFWAY**2)
        cleaned[inside] = better + share * (cleaned[inside] - better)
        return cleaned

    return photo_net.denoised(pixels, {**values, "compression": 0.0}, knowledge, together)


MODEL = Model(
    Stage.DENOISE, "matched-blocks", "Matched blocks",
    "For white noise, which is of its own in every pixel: the photo net, then spots that look alike are cleaned "
    "together. Slow, and worse than the photo net where noise was smoothed, compressed or made smaller.",
    (*STRENGTHS, ensemble.EFFORT), run, lambda values, knowledge: REACH + TONE_REACH + alike.REACH + alike.STEP,
    problem=lambda: runtime.problem(photo_net.NAME), tile=lambda values: TILE, same_tiles=True,
)  # fmt: skip
