"""What the rail says of models that undo a blur."""

from __future__ import annotations

from crispgrain.geometry import Size

from ...model import Model, Values


def with_radius(model: Model, values: Values, size: Size) -> str:
    return f"{model.name} {float(values['radius']):.1f} px"


def with_line(model: Model, values: Values, size: Size) -> str:
    return f"{model.name} {float(values['length']):.1f} px, {float(values['angle']):.0f}°"
