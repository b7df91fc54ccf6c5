"""How much work a network takes on: the choice that all stages with networks offer."""

from __future__ import annotations

from ..model import Parameter

EFFORT = Parameter(
    "effort", "Effort", "Best averages four renderings: a little cleaner, four times as slow.", "fast",
    choices=("fast", "best"),
)  # fmt: skip
