"""The two strengths every Denoise model has."""

from __future__ import annotations

from ...model import Parameter

STRENGTHS = (
    Parameter("luminance", "Luminance", "How much of the metered luminance noise to remove; 100 % is as measured.",
              100.0, 0, 200, 1, "%"),
    Parameter("colour", "Colour", "How much of the metered colour noise to remove; 100 % is as measured.",
              100.0, 0, 200, 1, "%"),
)  # fmt: skip
