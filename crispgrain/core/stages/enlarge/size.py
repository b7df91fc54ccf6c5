"""From a wish (factor, a side, megapixels, a screen) to the pixels of the result."""

from __future__ import annotations

from crispgrain.geometry import Size

from ...errors import TreatmentError
from ...model import Model, Parameter, Value, Values

LARGEST_SIDE = 100_000
EXACTLY = "exactly"  # a way to give the size that follows from something else, and is no one's choice


def exactly(size: Size) -> dict[str, Value]:
    """Values that ask for just this size."""
    return {"by": EXACTLY, "exact-width": float(size.width), "exact-height": float(size.height)}


# ITU-R BT.709 and BT.2020 name the first and the last two; the others are common practice, no source.
SCREENS = {"1920x1080": "HD, 1920 × 1080", "2560x1440": "2560 × 1440", "2880x1800": "2880 × 1800",
           "3840x2160": "UHD, 3840 × 2160", "5120x2880": "5120 × 2880", "7680x4320": "UHD, 7680 × 4320"}  # fmt: skip
SIDES = ("width", "height", "long-side")

PARAMETERS = (
    Parameter("by", "Size by", "What the number below means; the other side follows.", "factor",
              choices=("factor", *SIDES, "megapixels", "screen"), resizes=True,
              matters=lambda values: values["by"] != EXACTLY),
    Parameter("factor", "Factor", "How many times wider and higher.", 2.0, 0.05, 16, 0.05, "×",
              matters=lambda values: values["by"] == "factor", resizes=True),
    Parameter("pixels", "Pixels", "Width, height or long side of the result.", 4000, 1, LARGEST_SIDE, 1, "px",
              matters=lambda values: values["by"] in SIDES, resizes=True),
    Parameter("megapixels", "Megapixels", "Width times height of the result.", 12.0, 0.01, 1000, 0.1, "MP",
              matters=lambda values: values["by"] == "megapixels", resizes=True),
    Parameter("screen", "Screen", "The result fits in whole.", "3840x2160", choices=tuple(SCREENS),
              labels=tuple(SCREENS.values()), matters=lambda values: values["by"] == "screen", resizes=True),
)  # fmt: skip


def summary(model: Model, values: Values, size: Size) -> str:
    return f"{model.name} to {size.width} × {size.height}"


def target_size(source: Size, values: Values) -> Size:
    """Size of the result in the proportions of the source, rounded half up.

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
    elif by == "megapixels":
        factor = (1e6 * float(values["megapixels"]) / (source.width * source.height)) ** 0.5
    elif by == "screen":
        width, height = (int(n) for n in str(values["screen"]).split("x"))
        factor = min(width / source.width, height / source.height)
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
