"""Perspective by drawn lines: what is drawn along upright and level edges becomes so.

References
----------
R. Hartley, A. Zisserman, "Multiple View Geometry in Computer Vision", 2nd edition, 2004, sections 2.7 and 8.6: the line
through the vanishing points of a plane is brought to infinity.
"""

from __future__ import annotations

from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Size

from ...transform import Transform

Line = tuple[float, float, float, float]  # both ends, x and y, as shares of the source's width and height
MOST = 4
SHORTEST = 0.02  # of the longer side


def as_text(lines: list[Line]) -> str:
    return "; ".join(" ".join(f"{v:.5f}" for v in line) for line in lines)


def lines_from(text: str) -> list[Line]:
    """Lines from text as :func:`as_text` writes it.

    Raises
    ------
    ValueError
        If it is none, or more than four.
    """
    try:
        lines = [tuple(float(v) for v in part.split()) for part in text.split(";") if part.strip()]
    except ValueError:
        raise ValueError(f"a line is four numbers, not “{text}”") from None
    if any(len(line) != 4 or not all(-10 <= v <= 10 for v in line) for line in lines):
        raise ValueError("a line is four numbers, its ends as shares of width and height")
    if len(lines) > MOST:
        raise ValueError(f"{MOST} lines at most")
    return [(x1, y1, x2, y2) for x1, y1, x2, y2 in lines]


def correction(lines: list[Line], size: Size) -> Transform:
    """From the corrected picture to the source (of a size), whose middle stays, and the scale there.

    Of two lines or more that are nearer to upright, and of such nearer to level, each family becomes parallel to the
    picture's edge. A single line of a family does nothing.

    Raises
    ------
    ValueError
        If lines of a family cross within the picture, or are too short.
    """
    middle, unit = np.array([size.width, size.height]) / 2, max(size.width, size.height) / 2
    upright, level = _families(lines, size, middle, unit)
    points = [_vanishing(family) for family in (upright, level)]
    if points[0] is None and points[1] is None:
        return Transform()
    to_plane = _rectifying(*points)
    # Scale of the middle: rows divided so that nothing grows or shrinks there, on the whole.
    to_plane[:2] /= np.sqrt(abs(np.linalg.det(to_plane[:2, :2])))
    normal = np.array([[1 / unit, 0, -middle[0] / unit], [0, 1 / unit, -middle[1] / unit], [0, 0, 1]])
    back = np.linalg.inv(np.linalg.inv(normal) @ to_plane @ normal)
    return Transform(tuple(tuple(float(v) for v in row) for row in back / back[2, 2]))  # type: ignore[arg-type]


def _families(
    lines: list[Line], size: Size, middle: NDArray[np.float64], unit: float
) -> tuple[list[NDArray[np.float64]], list[NDArray[np.float64]]]:
    """Homogeneous lines near to upright and near to level, about the middle, half of the longer side being 1."""
    families: tuple[list[NDArray[np.float64]], list[NDArray[np.float64]]] = [], []
    for x1, y1, x2, y2 in lines:
        ends = (np.array([[x1 * size.width, y1 * size.height], [x2 * size.width, y2 * size.height]]) - middle) / unit
        along = ends[1] - ends[0]
        if np.hypot(*along) < SHORTEST:
            raise ValueError("a line is too short to say a direction")
        line = np.cross([*ends[0], 1], [*ends[1], 1])
        families[int(abs(along[0]) > abs(along[1]))].append(line / np.hypot(*line[:2]))
    edge = middle / unit
    for family in families:
        for one, other in combinations(family, 2):
            x, y, w = np.cross(one, other)
            if abs(x) < abs(w) * edge[0] * 1.05 and abs(y) < abs(w) * edge[1] * 1.05:
                raise ValueError("two lines cross within the picture, and cannot both be upright, or both be level")
    return families


def _vanishing(family: list[NDArray[np.float64]]) -> NDArray[np.float64] | None:
    """The point where lines meet, by least squares; None if there are fewer than two."""
    if len(family) < 2:
        return None
    point = np.linalg.svd(np.stack(family))[2][-1]
    return point / np.linalg.norm(point)


def _rectifying(upright: NDArray[np.float64] | None, level: NDArray[np.float64] | None) -> NDArray[np.float64]:
    """The homography (3 x 3) that brings vanishing points to infinity, straight down and to the right."""
    given = [p for p in (upright, level) if p is not None]
    # With one of them, the other is taken to be at infinity, across: a camera that was tilted, or swung, and no more.
    across = given[1] if len(given) == 2 else np.array([-given[0][1], given[0][0], 0.0])
    horizon = np.cross(given[0], across)
    to_affine = np.array([[1, 0, 0], [0, 1, 0], horizon / horizon[2]])
    first, second = ((to_affine @ p)[:2] for p in (given[0], across))
    down, right = (first, second) if upright is not None else (second, first)
    down, right = down / np.hypot(*down), right / np.hypot(*right)
    down, right = down * (1 if down[1] >= 0 else -1), right * (1 if right[0] >= 0 else -1)
    straight = np.eye(3)
    straight[:2, :2] = np.linalg.inv(np.stack([right, down], axis=1))
    return straight @ to_affine
