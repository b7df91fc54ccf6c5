"""The two strengths every Denoise model has, and what they leave of the noise."""

from __future__ import annotations

from ...frame import Frame
from ...model import Parameter, Values

STRENGTHS = (
    Parameter("luminance", "Luminance", "How much of the metered luminance noise to remove; 100 % is as measured.",
              100.0, 0, 200, 1, "%"),
    Parameter("colour", "Colour", "How much of the metered colour noise to remove; 100 % is as measured.",
              100.0, 0, 200, 1, "%"),
)  # fmt: skip


def after(frame: Frame, values: Values) -> Frame:
    return frame.denoised(float(values["luminance"]) / 100)


def after_demosaicing(frame: Frame, values: Values) -> Frame:
    """Where the model puts the colours together, too."""
    return frame.denoised(float(values["luminance"]) / 100, demosaiced=True)
