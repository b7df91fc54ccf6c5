"""The two strengths every Denoise model has, what they leave of the noise, and what the rail says of them."""

from __future__ import annotations

from crispgrain.geometry import Size

from ...frame import Frame
from ...model import Model, Parameter, Values

STRENGTHS = (
    Parameter("luminance", "Luminance", "How much of the metered luminance noise to remove; 100 % is as measured.",
              100.0, 0, 200, 1, "%"),
    Parameter("colour", "Colour", "How much of the metered colour noise to remove; 100 % is as measured.",
              100.0, 0, 200, 1, "%"),
)  # fmt: skip


def summary(model: Model, values: Values, size: Size) -> str:
    return f"{model.name} {float(values['luminance']):.0f} / {float(values['colour']):.0f} %"


def after(frame: Frame, values: Values) -> Frame:
    return frame.denoised(float(values["luminance"]) / 100)


def after_demosaicing(frame: Frame, values: Values) -> Frame:
    """Where the model puts the colours together, too."""
    return frame.denoised(float(values["luminance"]) / 100, demosaiced=True)
