"""The mosaic net with more layers: it looks farther, and takes more than twice as long."""

from __future__ import annotations

from functools import partial

from ...model import Domain, Model, Stage
from ...networks import ensemble, runtime
from . import mosaic_net
from .parameters import STRENGTHS, after_demosaicing, summary

NAME = "mosaic-net-large"
# Of its field of view, 228 px on each side, little is used beyond that; so tiles are the same everywhere.
REACH = 96
TILE = 768  # px; of smaller ones more would be margin

MODEL = Model(
    Stage.DENOISE, NAME, "Large mosaic net",
    "For RAW: the mosaic net with more layers. Finer detail, fewer dots of faulty pixels; more than twice as long.",
    (*STRENGTHS, ensemble.EFFORT), partial(mosaic_net.run, name=NAME), lambda values, context: REACH, Domain.MOSAIC,
    unavailable=lambda: runtime.unavailable(NAME), after=after_demosaicing, tile=lambda values: TILE, same_tiles=True,
    tolerance=runtime.ROUNDING, draft=mosaic_net.NAME,
    summary=summary, strength="luminance",
)  # fmt: skip
