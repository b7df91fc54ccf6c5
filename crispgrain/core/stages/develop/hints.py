"""Colour by hints: strokes of chosen colours on a grey picture, spread along what is alike in light."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.colour_hints import spread
from crispgrain.restoration.guided import guided_coefficients

from ...colour import oklab
from ...colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from ...files.source import Source
from ...frame import Frame
from ...masks.ground import Ground
from ...masks.placing import enlarged
from ...meter.reading import Reading
from ...model import Context, Drawn, Model, Parameter, Product, Role, Shape, Stage, Tool, ToolError, Values

LONGEST = 320  # px of the picture that colours are spread on
MOST = 400  # strokes
RADIUS, EPSILON = 4, 1e-4  # of the filter that brings colours to the full size
PALE_FROM = 0.85  # Oklab lightness from which colours fade into white


@dataclass(frozen=True)
class Hint:
    """A stroke of one colour: encoded sRGB 0 to 1, radius as a share of the longer side, points as shares of both."""

    colour: tuple[float, float, float]
    radius: float
    points: tuple[tuple[float, float], ...]


def as_text(hints: list[Hint]) -> str:
    return "; ".join(
        " ".join([_hex(h.colour), f"{h.radius:.5g}", *(f"{v:.5g}" for point in h.points for v in point)]) for h in hints
    )


def hints_from(text: str) -> list[Hint]:
    """Strokes from text as :func:`as_text` writes it: ``#rrggbb radius x y x y …; …``.

    Raises
    ------
    ValueError
        If it is none, or they are too many.
    """
    hints = []
    for words in (part.split() for part in text.split(";") if part.strip()):
        numbers = [float(v) for v in words[1:]]
        if len(numbers) < 3 or not len(numbers) % 2 or numbers[0] <= 0 or any(abs(v) > 2 for v in numbers):
            raise ValueError("a stroke of colour is #rrggbb, its radius, and its places in pairs")
        hints.append(Hint(colour_from(words[0]), numbers[0], tuple(zip(numbers[1::2], numbers[2::2], strict=True))))
    if len(hints) > MOST:
        raise ValueError(f"{MOST} strokes of colour at most")
    return hints


def colour_from(text: str) -> tuple[float, float, float]:
    """Encoded sRGB, 0 to 1, of ``#rrggbb``.

    Raises
    ------
    ValueError
        If it is no such colour.
    """
    if len(text) != 7 or text[0] != "#":
        raise ValueError(f"a colour is written #rrggbb, not “{text[:20]}”")
    red, green, blue = (int(text[n : n + 2], 16) / 255 for n in (1, 3, 5))
    return red, green, blue


def _hex(colour: tuple[float, float, float]) -> str:
    return "#" + "".join(f"{round(255 * v):02x}" for v in colour)


def _chroma(colour: tuple[float, float, float]) -> NDArray[np.float32]:
    """a and b of Oklab over lightness: what light and shade leave alone."""
    lab = oklab.from_working(apply_matrix(srgb_decode(np.array([[colour]], np.float32)), SRGB_TO_WORKING))[0, 0]
    return np.asarray(lab[1:] / max(float(lab[0]), 0.05), np.float32)


def _spread(source: Source, reading: Reading, values: Values) -> Array:
    """Slopes and offsets (4 x h x w), by which luma tells a and b over lightness."""
    ground = Ground.of(source)
    luma = ground.small_luma()
    share = min(1.0, LONGEST / max(luma.shape))
    width, height = (max(8, round(n * share)) for n in (luma.shape[1], luma.shape[0]))
    small = cv2.resize(luma, (width, height), interpolation=cv2.INTER_AREA)
    colours, given = np.zeros((2, height, width), np.float32), np.zeros((height, width), np.uint8)
    for hint in hints_from(str(values["hints"])):
        drawn = np.zeros((height, width), np.uint8)
        points = np.rint(np.array(hint.points) * (width, height) - 0.5).astype(np.int32)
        thick = max(1, round(2 * hint.radius * max(width, height)))
        cv2.polylines(drawn, [points[:, None]], False, 1, thick)
        for x, y in points.tolist():
            cv2.circle(drawn, (x, y), thick // 2, 1, cv2.FILLED)
        given |= drawn
        colours[:, drawn > 0] = _chroma(hint.colour)[:, None]
    found = spread(small, colours, given > 0)
    a, b = (guided_coefficients(small, plane, RADIUS, EPSILON) for plane in found)
    return np.stack([*a, *b])


SPREAD = Product("colour-hints", 1, ("hints",), _spread)


def run(pixels: Array, values: Values, context: Context) -> Array:
    if not hints_from(str(values["hints"])):
        return pixels
    size = context.source.size
    luma = Ground.of(context.source).luma(context.rect)
    maps = [enlarged(plane, size, context.rect) for plane in context.product(SPREAD, values)]
    lightness = oklab.from_working(pixels)[..., 0]
    fade = np.clip((1 - lightness) / np.float32(1 - PALE_FROM), 0, 1) * np.float32(float(values["strength"]) / 100)
    a, b = (lightness * fade * (slope * luma + offset) for slope, offset in (maps[:2], maps[2:]))
    return oklab.to_working(np.stack([lightness, a, b], axis=-1))


def after(frame: Frame, values: Values) -> Frame:
    return replace(frame, grey=frame.grey and not values["hints"])


def summary(model: Model, values: Values, size: Size) -> str:
    count = len(hints_from(str(values["hints"])))
    return f"{count} stroke{'s' if count != 1 else ''} of colour"


def _stroke(drawn: Drawn) -> Values:
    size = drawn.source.size
    hints = hints_from(str(drawn.values["hints"]))
    if len(hints) >= MOST:
        raise ToolError(f"There are {MOST} strokes of colour at most.")
    shares = (np.array(drawn.points) / (size.width, size.height)).clip(-0.5, 1.5)
    points = tuple((round(x, 5), round(y, 5)) for x, y in shares.tolist())
    hint = Hint(colour_from(str(drawn.values["paint"])), float(drawn.values["size"]) / 200, points)
    return {"hints": as_text([*hints, hint])}


STROKE = Tool(
    "Stroke …", "Draw a few strokes of the colour below. Esc leaves it.", "colour", Shape.PATH, _stroke, again=True,
    across="size",
)  # fmt: skip
MODEL = Model(
    Stage.DEVELOP, "colour-by-hints", "Colour by hints", "Your colours, spread along what is alike in light.",
    (
        Parameter("hints", "Strokes", "Colour, radius and places of each; empty for none.", "", check=hints_from,
                  per_shot=True),
        Parameter("paint", "Colour", "Of the next stroke.", "#b08d57", check=colour_from, colour=True),
        Parameter("size", "Size", "Of the next stroke, across, as a share of the longer side.", 1.0, 0.1, 10, 0.1, "%"),
        Parameter("strength", "Strength", "Of all these colours.", 100.0, 0, 200, 1, "%"),
    ),
    run, after=after, roles=(Role.RETOUCH,), summary=summary, tools=(STROKE,), tolerance=1e-4,
)  # fmt: skip
