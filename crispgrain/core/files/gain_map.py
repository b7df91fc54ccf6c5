"""Gains by place that a DNG asks for, to undo what its lens and sensor took of the light.

References
----------
Adobe DNG specification 1.4, chapter 7, "Opcode List Processing": OpcodeList2 and GainMap. The number of the opcode and
the order of its fields are from memory.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

from .opcodes import entries

GAIN_MAP = 9
FIELDS = struct.Struct(">10I4dI")
MOST_POINTS = 1 << 20  # of a map; more are damage
LEAST, MOST = 1 / 64, 64.0  # gains beyond are damage


@dataclass(frozen=True, eq=False)
class GainMap:
    """Gains of red, green and blue at points of a grid; between them they change evenly, beyond them not at all.

    Attributes
    ----------
    gains : float32, V x H x 3
    first : (float, float)
        Row and column of the first point, in px, where 0 is the middle of the first pixel.
    step : (float, float)
        From point to point.
    """

    gains: Array
    first: tuple[float, float]
    step: tuple[float, float]

    def at(self, rows: NDArray, columns: NDArray) -> Array:
        """Gains (h x w x 3) in the pixels where rows and columns (px, any fraction) meet.

        Examples
        --------
        >>> ramp = np.array([[1.0], [3.0]], np.float32)[..., None].repeat(3, 2)
        >>> GainMap(ramp, (0.0, 0.0), (10.0, 1.0)).at(np.array([-4.0, 5.0]), np.array([0.0]))[:, 0, 1].tolist()
        [1.0, 2.0]
        """
        return _along(_along(self.gains, rows, self.first[0], self.step[0], 0), columns, self.first[1], self.step[1], 1)

    def over(self, rect: Rect) -> Array:
        """Gains (h x w x 3) of a rectangle."""
        return self.at(np.arange(rect.top, rect.bottom), np.arange(rect.left, rect.right))

    def moved(self, down: int, right: int) -> GainMap:
        """The map of a part that begins so many rows and columns farther."""
        return replace(self, first=(self.first[0] - down, self.first[1] - right))

    def reduced(self, factor: int) -> GainMap:
        """The map of a picture some times smaller."""
        y, x = ((n + 0.5) / factor - 0.5 for n in self.first)
        return replace(self, first=(y, x), step=(self.step[0] / factor, self.step[1] / factor))

    def turned(self, quarters: int, size: Size) -> GainMap:
        """The map of a picture of a ``size`` turned by so many quarters anticlockwise."""
        turned, height, width = self, size.height, size.width
        for _ in range(quarters % 4):
            (y, x), (down, right) = turned.first, turned.step
            last = width - 1 - (x + right * (turned.gains.shape[1] - 1))
            turned = GainMap(np.rot90(turned.gains), (last, y), (right, down))
            height, width = width, height
        return turned


def _along(values: Array, places: NDArray, first: float, step: float, axis: int) -> Array:
    number = values.shape[axis]
    share = np.clip((np.asarray(places, np.float32) - first) / step, 0, number - 1)
    before = np.minimum(share.astype(np.intp), max(number - 2, 0))
    weight = (share - before).astype(np.float32).reshape((-1, 1, 1) if axis == 0 else (1, -1, 1))
    low, high = values.take(before, axis), values.take(np.minimum(before + 1, number - 1), axis)
    return low + weight * (high - low)


def read(opcodes: bytes, size: Size, pattern: NDArray[np.int8]) -> GainMap | None:
    """The gains that an OpcodeList2 asks for, of a sensor of a size whose colours (0 to 2) repeat in a ``pattern``.

    Maps for the places of a cell are joined to one of each colour. None if there are none.

    Raises
    ------
    ValueError
        If they are damaged, or of a kind that is not known here.
    """
    try:
        return _joined(_maps(opcodes), size, pattern) if opcodes else None
    except struct.error as error:
        raise ValueError("its gain maps are cut short") from error


@dataclass(frozen=True)
class _One:
    """A map as it is stored, for every so many rows and columns from a first."""

    top: int
    left: int
    row_pitch: int
    column_pitch: int
    spacing: tuple[float, float]
    origin: tuple[float, float]
    gains: Array


def _maps(opcodes: bytes) -> list[_One]:
    found = []
    for opcode, _, data in entries(opcodes):
        if opcode != GAIN_MAP:
            continue
        top, left, _, _, _, _, row, column, down, right, *spaces, planes = FIELDS.unpack_from(data)
        if not (0 < down * right * planes <= MOST_POINTS and row and column and min(spaces[:2]) >= 0):
            raise ValueError("its gain maps make no sense")
        stored = struct.unpack_from(f">{down * right * planes}f", data, FIELDS.size)
        gains = np.array(stored, np.float32).reshape(down, right, planes)[..., 0]
        if not (np.isfinite(gains).all() and gains.min() >= LEAST and gains.max() <= MOST):
            raise ValueError("its gain maps make no sense")
        found.append(_One(top, left, row, column, (spaces[0], spaces[1]), (spaces[2], spaces[3]), gains))
    return found


def _joined(maps: list[_One], size: Size, pattern: NDArray[np.int8]) -> GainMap | None:
    if not maps:
        return None
    first = maps[0]
    if any((m.gains.shape, m.spacing, m.origin) != (first.gains.shape, first.spacing, first.origin) for m in maps):
        raise ValueError("its gain maps are on different grids")
    sums, counts = np.zeros((*first.gains.shape, 3), np.float32), np.zeros(3)
    for y, x in np.ndindex(pattern.shape):
        gain = np.ones_like(first.gains)
        for one in maps:
            if (y - one.top) % one.row_pitch == 0 and (x - one.left) % one.column_pitch == 0:
                gain = gain * one.gains
        sums[..., pattern[y, x]] += gain
        counts[pattern[y, x]] += 1
    (down, right), (top, left) = first.spacing, first.origin
    return GainMap(
        (sums / np.maximum(counts, 1)).astype(np.float32), (top * size.height - 0.5, left * size.width - 0.5),
        (max(down * size.height, 1e-3), max(right * size.width, 1e-3)),
    )  # fmt: skip
