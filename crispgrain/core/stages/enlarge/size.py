"""From a wish (factor, width, height, long side) to the pixels of the result."""

from __future__ import annotations

from crispgrain.geometry import Size

from ...errors import TreatmentError
from ...model import Model, Parameter, Value, Values

LARGEST_SIDE = 100_000
EXACTLY = "exactly"  # a way to give the size that follows from something else, and is no one's choice


def exactly(size: Size) -> dict[str, Value]:
    """Values that ask for just this size."""
    return {"by": EXACTLY, "exact-width": float(size.width), "exact-height": float(size.height)}


PARAMETERS = (
    Parameter("by", "Size by", "What the number below means; the other side follows.", "factor",
              choices=("factor", "width", "height", "long-side"), resizes=True,
              matters=lambda values: values["by"] != EXACTLY),
    Parameter("factor", "Factor", "How many times wider and higher.", 2.0, 0.05, 16, 0.05, "×",
              matters=lambda values: values["by"] == "factor", resizes=True),
    Parameter("pixels", "Pixels", "Width, height or long side of the result.", 4000, 1, LARGEST_SIDE, 1, "px",
              matters=lambda values: values["by"] not in ("factor", EXACTLY), resizes=True),
)  # fmt: skip


def summary(model: Model, values: Values, size: Size) -> str:
    return f"{model.name} to {size.width} × {size.height}"


def target_size(source: Size, values: Values) -> Size:
    """Size of the result: one side given, the other in proportion, rounded half up.

    Raises
    ------
    TreatmentError
        If a side would exceed 100,000 pixels.
    """
    by = values["by"]
    if by == EXACTLY:
        return _checked(Size(int(values["exact-height"]), int(values["exact-width"])))
    if by == "factor":
        factor = float(values["factor"])
    else:
        side = {
            "width": source.width, "height": source.height, "long-side": max(source.width, source.height)
        }[str(by)]  # fmt: skip
        factor = float(values["pixels"]) / side
    height, width = (max(1, int(n * factor + 0.5)) for n in (source.height, source.width))
    return _checked(Size(height, width))


def _checked(size: Size) -> Size:
    height, width = size.height, size.width
    if max(height, width) > LARGEST_SIDE:
        raise TreatmentError(
            f"the result would be {width} × {height} pixels; at most {LARGEST_SIDE} a side can be made"
        )
    return size
