"""What can be set of a mask, as parameters: for panels, and for whoever wants to change a mask by a name."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..model import Parameter, Value
from .composite import Composite, Shape
from .found import RANGES, Found, Kind
from .gradients import Lasso, Oval
from .rough import Rough
from .specks import Specks
from .strokes import Brush

FEATHER = Parameter("feather", "Soft rim", "How wide the edge is, as a share of the area.", 30.0, 0, 100, 1, "%")
RIM = Parameter("feather", "Soft rim", "How wide the edge is, as a share of the longer side.", 1.0, 0, 20, 0.1, "%")
SENSITIVITY = Parameter("sensitivity", "Sensitivity", "Higher takes more of the picture.", 50.0, 0, 100, 1, "%")
SOFTNESS = Parameter("softness", "Soft edge", "From a hard edge to all shades between.", 30.0, 0, 100, 1, "%")
LOW = Parameter("low", "From", "What is below is left out.", 0.0, 0, 100, 1, "%")
HIGH = Parameter("high", "To", "What is above is left out.", 100.0, 0, 100, 1, "%")
REACH = Parameter("high", "Range", "How far other colours may be from the chosen one.", 40.0, 1, 100, 1, "%")
LARGEST = Parameter("largest", "Largest", "Width of a speck, of the longer side.", 0.4, 0.05, 5, 0.05, "%")
FOLLOW = Parameter("follow", "Follow edges", "How far strokes end at edges in the picture.", 0.0, 0, 100, 1, "%")
GROW = Parameter("grow", "Grow", "Outwards to the right, inwards to the left.", 0.0, -10, 10, 0.1, "%")
SOFTEN = Parameter("feather", "Soften", "How far the whole mask is made soft.", 0.0, 0, 20, 0.1, "%")
STRENGTH = Parameter("strength", "Strength", "How much is done where the mask is.", 100.0, 0, 100, 1, "%")
HAIR = Parameter("hair", "Hair", "How far from the edge hair is looked for; 0: plain.", 0.0, 0, 10, 0.5, "%")
REST = Parameter("rest", "Elsewhere", "How much is done where the mask is not.", 0.0, 0, 100, 1, "%")
IN_PERCENT = ("feather", "low", "high", "grow", "strength", "rest", "largest", "hair", "follow")  # kept as shares


def settings_of(shape: Shape) -> tuple[Parameter, ...]:
    """What can be set of a mask or of a part of one."""
    if isinstance(shape, Oval):
        return (FEATHER,)
    if isinstance(shape, Lasso):
        return (RIM,)
    if isinstance(shape, Brush):
        return (FOLLOW,)
    if isinstance(shape, Rough):
        return (SOFTNESS,)
    if isinstance(shape, Specks):
        return (SENSITIVITY, LARGEST)
    if isinstance(shape, Composite):
        return (STRENGTH, REST, GROW, SOFTEN, HAIR)
    if isinstance(shape, Found):
        ranged = (REACH,) if shape.kind is Kind.COLOUR else (LOW, HIGH) if shape.kind in RANGES else ()
        return (*ranged, SENSITIVITY, SOFTNESS)
    return ()


def setting(shape: Shape, name: str) -> float:
    """The value of a setting."""
    value = float(getattr(shape, name))
    return 100 * value if name in IN_PERCENT else value


def with_setting(shape: Any, name: str, value: Value | None) -> Any:
    """The same with one setting changed; None puts it back to its start.

    Raises
    ------
    KeyError
        If there is no such setting.
    """
    parameter = next((p for p in settings_of(shape) if p.id == name), None)
    if parameter is None:
        raise KeyError(name)
    number = float(parameter.default if value is None else value)
    number = min(max(number, parameter.minimum), parameter.maximum)
    return replace(shape, **{name: number / 100 if name in IN_PERCENT else number})


def label_of(shape: Shape) -> str:
    """What a part is called in the interface."""
    return str(shape.as_json()["shape"]).replace("-", " ").capitalize()
