"""How much work a network takes on: the choice that all stages with networks offer."""

from __future__ import annotations

from dataclasses import replace

from ..model import Parameter

EFFORT = Parameter(
    "effort", "Effort", "Best averages four renderings: a little cleaner, four times as slow.", "fast",
    choices=("fast", "best"),
)  # fmt: skip
LAYERS_EFFORT = replace(
    EFFORT, help="Best takes a network with more layers, twice: finer detail, four to six times as slow."
)
