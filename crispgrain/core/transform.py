"""From the coordinates of one frame to those of another.

Coordinates are continuous, x to the right and y down: the pixel in row i and column j covers j to j + 1 and i to i + 1,
so its middle lies at (j + 0.5, i + 0.5).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Rect

from .optics import Radial
from .sphere import Sphere

Rows = tuple[tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]]


UNMOVED: Rows = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
ALONG_EDGE = 65  # points of an edge that a lens bends
SAME = 1e-9  # of a picture's coordinates


@dataclass(frozen=True)
class Transform:
    """A homography; ``rows`` are those of its 3 x 3 matrix. Perhaps a ``lens`` (or a sphere, of a view of a picture all
    round) then, and the homography ``last``.

    One lens at most: two that are the way there and back cancel out, as they do from one frame of a shot to another.

    References
    ----------
    R. Hartley, A. Zisserman, "Multiple View Geometry in Computer Vision", 2nd edition, 2004, section 2.3.
    """

    rows: Rows = UNMOVED
    lens: Radial | Sphere | None = None
    last: Rows = UNMOVED

    @classmethod
    def shift(cls, right: float, down: float) -> Transform:
        return cls(((1.0, 0.0, right), (0.0, 1.0, down), (0.0, 0.0, 1.0)))

    @classmethod
    def scale(cls, across: float, along: float) -> Transform:
        """Horizontally and vertically, about the corner."""
        return cls(((across, 0.0, 0.0), (0.0, along, 0.0), (0.0, 0.0, 1.0)))

    @classmethod
    def turn(cls, degrees: float, x: float, y: float) -> Transform:
        """Clockwise as seen on the screen, about a point."""
        c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
        return cls(((c, -s, x - c * x + s * y), (s, c, y - s * x - c * y), (0.0, 0.0, 1.0)))

    def after(self, first: Transform) -> Transform:
        """This one applied to what ``first`` gives.

        Raises
        ------
        ValueError
            If both have a lens, and these do not cancel out.
        """
        if first.lens is None:
            return Transform(_product(self.rows, first.rows), self.lens, self.last)
        between = _product(self.rows, first.last)
        if self.lens is None:
            return Transform(first.rows, first.lens, between)
        if self.lens != first.lens.inverse or not np.allclose(between, UNMOVED, rtol=0, atol=SAME * self.lens.unit):
            raise ValueError("a picture goes through one lens only")
        return Transform(_product(self.last, first.rows))

    @property
    def stretch(self) -> float:
        """How many px become of one, in each direction, on the geometric mean; with perspective, at the corner."""
        return self.stretch_at(0.0, 0.0)

    def stretch_at(self, x: float, y: float) -> float:
        """How many px become of one at a point, in each direction, on the geometric mean; of a view, in its middle."""
        if isinstance(self.lens, Sphere):
            own = 1 / self.lens.stretch if self.lens.back else self.lens.stretch
            return own * Transform(self.rows).stretch_at(x, y) * Transform(self.last).stretch_at(x, y)
        if self.lens is not None:
            right, down = self(x + np.array([-0.5, 0.5, 0, 0]), y + np.array([0, 0, -0.5, 0.5]))
            return math.sqrt(
                abs((right[1] - right[0]) * (down[3] - down[2]) - (right[3] - right[2]) * (down[1] - down[0]))
            )
        (a, b, _), (d, e, _), (g, h, i) = self.rows
        if not g and not h:
            return math.sqrt(abs(a * e - b * d)) / abs(i)
        return math.sqrt(abs(np.linalg.det(self._matrix)) / abs(g * x + h * y + i) ** 3)

    @property
    def rearranges(self) -> bool:
        """Whether every pixel becomes a whole one: moved, mirrored or turned by quarters."""
        (a, b, c), (d, e, f), last = self.rows
        whole = c == round(c) and f == round(f) and last == (0, 0, 1)
        return self.lens is None and whole and {abs(a), abs(b)} == {0, 1} == {abs(d), abs(e)} and abs(a) == abs(e)

    @property
    def upright(self) -> bool:
        """Whether it only moves and stretches."""
        (a, b, _), (d, e, _), (g, h, _) = self.rows
        return self.lens is None and a > 0 and e > 0 and not (b or d or g or h)

    @property
    def tilts(self) -> bool:
        """Whether it changes perspective: parallels do not stay so."""
        return bool(self.rows[2][0] or self.rows[2][1])

    def rect(self, rect: Rect) -> Rect:
        """The smallest rectangle of whole pixels around what becomes of one; hairs of rounding left aside."""
        if isinstance(self.lens, Sphere) and not self.lens.back:
            return self._round(self.lens, rect)
        if self.lens is None:
            corners = [(x, y) for x in (rect.left, rect.right) for y in (rect.top, rect.bottom)]
        else:
            across, along = (
                np.linspace(*ends, ALONG_EDGE) for ends in ((rect.left, rect.right), (rect.top, rect.bottom))
            )
            corners = [(x, y) for x in across for y in (rect.top, rect.bottom)]
            corners += [(x, y) for x in (rect.left, rect.right) for y in along]
        x, y = self(*np.array(corners, float).T)
        near = 1e-6  # whole numbers stay whole
        return Rect.between(
            math.floor(y.min() + near), math.floor(x.min() + near), math.ceil(y.max() - near), math.ceil(x.max() - near)
        )

    def _round(self, sphere: Sphere, rect: Rect) -> Rect:
        """As :meth:`rect`, of a view of a sphere: around a pole lies all of its latitude."""
        x, y = np.meshgrid(*(np.linspace(*e, ALONG_EDGE) for e in ((rect.left, rect.right), (rect.top, rect.bottom))))
        x, y = self(x, y)
        left, right, top, bottom = x.min(), x.max(), y.min(), y.max()
        poles = zip(*_moved(_inverted(self.rows), *sphere.poles()), strict=True)
        hair = 1.0  # px: poles on the edge, too
        for number, (across, down) in enumerate(poles):
            inside = rect.left - hair <= across <= rect.right + hair and rect.top - hair <= down <= rect.bottom + hair
            if inside:
                middle = sphere.whole.width * (0.5 + sphere.direction / 360)
                ends = _moved(self.last, middle + np.array([-0.5, 0.5]) * sphere.whole.width, np.zeros(2))[0]
                left, right = min(left, ends.min()), max(right, ends.max())
                edge = _moved(self.last, np.zeros(1), np.array([number * float(sphere.whole.height)]))[1][0]
                top, bottom = min(top, edge), max(bottom, edge)
        between = 2 + (right - left) / ALONG_EDGE, 2 + (bottom - top) / ALONG_EDGE  # what lies between the points
        return Rect.between(
            math.floor(top - between[1]), math.floor(left - between[0]), math.ceil(bottom + between[1]),
            math.ceil(right + between[0]),
        )  # fmt: skip

    @property
    def inverse(self) -> Transform:
        """Raises numpy.linalg.LinAlgError if there is none."""
        if self.lens is None:
            return Transform(_inverted(self.rows))
        return Transform(_inverted(self.last), self.lens.inverse, _inverted(self.rows))

    def __call__(self, x: NDArray, y: NDArray) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Where points go."""
        x, y = _moved(self.rows, x, y)
        return (x, y) if self.lens is None else _moved(self.last, *self.lens(x, y))

    def middles(self, rect: Rect) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Where the middles of a rectangle's pixels go: x and y, each height x width."""
        y, x = np.mgrid[rect.top : rect.bottom, rect.left : rect.right] + 0.5
        return self(x, y)

    @property
    def _matrix(self) -> NDArray[np.float64]:
        return np.array(self.rows)


def _moved(rows: Rows, x: NDArray, y: NDArray) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    (a, b, c), (d, e, f), (g, h, i) = rows
    depth = g * x + h * y + i
    return (a * x + b * y + c) / depth, (d * x + e * y + f) / depth


def _product(second: Rows, first: Rows) -> Rows:
    return _rows(np.array(second) @ np.array(first))


def _inverted(rows: Rows) -> Rows:
    back = np.linalg.inv(np.array(rows))
    return _rows(back / back[2, 2])


def _rows(matrix: NDArray[np.float64]) -> Rows:
    return tuple(tuple(float(v) for v in row) for row in matrix)  # type: ignore[return-value]
