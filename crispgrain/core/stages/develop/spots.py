"""Spots to heal as text, in px, and from what is drawn."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.healing import RIM, TRIED, Spot, best_patch

from ...colour.spaces import srgb_encode
from ...files.preview import balanced, sensor_colours
from ...files.source import RawSource, Source
from ...model import Drawn, Shape, Tool, ToolError, Values

Kept = tuple[float, float, float, float, float]  # x, y, radius, patch to the right and down: shares of the longer side
MOST = 2000
NEAR = 1.5  # radii from a spot within which it is meant
APART = 0.7  # of the radius, between the spots along a stroke


def as_text(spots: list[Kept]) -> str:
    return "; ".join(" ".join(f"{v:.6g}" for v in spot) for spot in spots)


def spots_from(text: str) -> list[Kept]:
    """Spots from text as :func:`as_text` writes it.

    Raises
    ------
    ValueError
        If it is none, or they are too many.
    """
    parts = [p.split() for p in text.split(";") if p.strip()]
    try:
        spots = [tuple(float(v) for v in p) for p in parts]
    except ValueError:
        raise ValueError(f"a spot is five numbers, not “{text[:40]}”") from None
    if any(len(s) != 5 or not all(abs(v) <= 2 for v in s) or s[2] <= 0 for s in spots):
        raise ValueError("a spot is five numbers: its middle, its radius, and where its patch lies")
    if len(spots) > MOST:
        raise ValueError(f"{MOST} spots at most")
    return [(x, y, r, right, down) for x, y, r, right, down in spots]


def in_px(values: Values, size: Size, rect: Rect) -> list[Spot]:
    """Spots in px from the corner of a rectangle of a source, perhaps a reduced one, of a size."""
    longer = max(size.width, size.height)
    return [
        Spot(
            x * longer - rect.left, y * longer - rect.top, max(radius * longer, 0.75), round(right * longer),
            round(down * longer),
        )
        for x, y, radius, right, down in spots_from(str(values["spots"]))
    ]  # fmt: skip


def _of_stroke(drawn: Drawn) -> tuple[Values, str]:
    size = drawn.source.size
    longer = max(size.width, size.height)
    radius = max(float(drawn.values["size"]) / 200 * longer, 2.0)
    spots, missed = spots_from(str(drawn.values["spots"])), 0
    places = _along(np.array(drawn.points), APART * radius)
    bad = [(x * longer, y * longer, r * longer) for x, y, r, _, _ in spots] + [(x, y, radius) for x, y in places]
    for x, y in places:
        try:
            spots.append(_patched(drawn.source, x, y, radius, bad))
        except ValueError:
            missed += 1
    if len(spots) > MOST:
        raise ToolError(f"There are {MOST} spots at most.")
    if missed and len(spots) == len(spots_from(str(drawn.values["spots"]))):
        raise ToolError("There is no room for a patch there: it lies too near to the edge of the picture.")
    return {"spots": as_text(spots)}, f"{len(spots)} spot{'s' if len(spots) != 1 else ''}."


def _along(points: np.ndarray, step: float) -> list[tuple[float, float]]:
    """Places along a path, ``step`` px apart, its start among them."""
    places = [points[0]]
    for point in points[1:]:
        while np.hypot(*(point - places[-1])) >= step:
            ahead = point - places[-1]
            places.append(places[-1] + ahead * step / np.hypot(*ahead))
    return [(float(x), float(y)) for x, y in places]


def _patched(source: Source, x: float, y: float, radius: float, bad: list[tuple[float, float, float]]) -> Kept:
    longer = max(source.size.width, source.size.height)
    far = int(np.ceil((TRIED[-1][0] + RIM + 0.2) * radius)) + 2
    around = Rect.between(int(y) - far, int(x) - far, int(y) + far, int(x) + far).intersect(source.size.rect)
    around = Rect.between(around.top // 2 * 2, around.left // 2 * 2, around.bottom // 2 * 2, around.right // 2 * 2)
    scale = float(source.block) if isinstance(source, RawSource) else 1.0
    pixels = _seen(source, around)
    rows, columns = np.mgrid[: pixels.shape[0], : pixels.shape[1]] * scale + scale / 2
    spoilt = np.zeros(pixels.shape[:2], bool)
    for bad_x, bad_y, reach in bad:
        spoilt |= np.hypot(columns + around.left - bad_x, rows + around.top - bad_y) < reach
    spot = best_patch(pixels, (x - around.left) / scale, (y - around.top) / scale, radius / scale, spoilt)
    shares = (x, y, radius, spot.right * scale, spot.down * scale)
    kept = tuple(round(v / longer, 7) for v in shares)
    return kept[0], kept[1], kept[2], kept[3], kept[4]


def _seen(source: Source, rect: Rect) -> Array:
    """Encoded pixels of a rectangle; of a RAW its blocks of all colours, half or a third as many each way."""
    if isinstance(source, RawSource):
        part = source.part(rect)
        return srgb_encode(balanced(part, sensor_colours(part, max(rect.width, rect.height))))
    return srgb_encode(source.region(rect))


HEAL = Tool(
    "Heal …", "Click on a spot, or draw along a scratch. Esc leaves it.", "healed", Shape.PATH, _of_stroke, again=True,
    across="size",
)  # fmt: skip


def _moved_source(drawn: Drawn) -> tuple[Values, str]:
    """The spot that a line begins in gets its patch from where the line ends; it becomes the last one."""
    size = drawn.source.size
    longer = max(size.width, size.height)
    spots = spots_from(str(drawn.values["spots"]))
    (x1, y1), (x2, y2) = (np.array(point) / longer for point in drawn.points[:2])
    far = [np.hypot(x - x1, y - y1) / radius for x, y, radius, _, _ in spots]
    if not far or min(far) > NEAR:
        raise ToolError("Begin in a spot that is healed.")
    x, y, radius, _, _ = spots.pop(int(np.argmin(far)))
    right, down = float(x2 - x1), float(y2 - y1)
    if np.hypot(right, down) < 2 * radius:
        raise ToolError("That is within the spot itself.")
    if not (RIM * radius <= x + right <= size.width / longer - RIM * radius) or not (
        RIM * radius <= y + down <= size.height / longer - RIM * radius
    ):
        raise ToolError("That lies too near to the edge of the picture.")
    return {"spots": as_text([*spots, (x, y, radius, round(right, 7), round(down, 7))])}, "It is healed from there."


MOVE = Tool(
    "Move a source …", "Draw from a healed spot to where its patch is to be from. Esc leaves it.", "source moved",
    Shape.LINE, _moved_source,
)  # fmt: skip
