"""Strokes of colour: how they are kept, and drawn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model import Drawn, Shape, Tool, ToolError, Values

MOST = 400  # strokes


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
