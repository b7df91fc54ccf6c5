"""What a lens does to a picture in circles about its middle: it bends lines, fringes edges and darkens corners."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Size

Floats = NDArray[np.float64]
Terms = tuple[float, ...]
ROUNDS = 30  # of the way back's fixed point; distortions shrink the error at least by three at each


@dataclass(frozen=True)
class Radial:
    """Points move along their radius: ``r`` becomes ``r (terms[0] + terms[1] r + terms[2] r ** 2 ...)``.

    Attributes
    ----------
    x, y : float
        The middle, in px.
    unit : float
        Px of a radius of 1.
    terms : floats
        Coefficients, the constant first. Beyond ``reach`` the factor stays what it is there.
    reach : float
        The largest radius, in units, that the terms are known for.
    back : bool
        Whether this is the way back instead.

    References
    ----------
    All of lensfun's models of distortion and lateral colour for rectilinear lenses are of this form (its manual,
    "Lens distortion models", https://lensfun.github.io/manual/latest/group__Lens.html).
    """

    x: float
    y: float
    unit: float
    terms: Terms
    reach: float = 4.0
    back: bool = False

    @classmethod
    def about_middle(cls, size: Size, terms: Terms, middle: tuple[float, float] = (0.5, 0.5)) -> Radial:
        """Of a picture whose farthest corner is at a radius of 1; the ``middle`` is in shares of width and height."""
        x, y = middle[0] * size.width, middle[1] * size.height
        return cls(x, y, float(np.hypot(max(x, size.width - x), max(y, size.height - y))), terms)

    @property
    def inverse(self) -> Radial:
        return replace(self, back=not self.back)

    def factor(self, radius: Floats) -> Floats:
        """By how much a radius (in units) grows on the way there."""
        return np.asarray(np.polynomial.polynomial.polyval(np.minimum(radius, self.reach), self.terms), np.float64)

    def __call__(self, x: NDArray, y: NDArray) -> tuple[Floats, Floats]:
        """Where points go."""
        right, down = (np.asarray(x, float) - self.x) / self.unit, (np.asarray(y, float) - self.y) / self.unit
        radius = np.hypot(right, down)
        if self.back:
            before = radius / self.factor(radius)
            for _ in range(ROUNDS):
                before = radius / self.factor(before)
            factor = 1 / self.factor(before)
        else:
            factor = self.factor(radius)
        return self.x + self.unit * right * factor, self.y + self.unit * down * factor


@dataclass(frozen=True)
class Optics:
    """What is still to be undone of a lens when a picture is resampled, in px of the source.

    ``red`` and ``blue`` say where these colours were drawn that belong to a point of green; ``light`` what share of the
    light arrived, by radius.
    """

    red: Radial | None = None
    blue: Radial | None = None
    light: Radial | None = None

    @property
    def fringes(self) -> bool:
        return self.red is not None or self.blue is not None

    def gain(self, x: Floats, y: Floats) -> NDArray[np.float32]:
        """What linear light of points of the source has to be multiplied by."""
        if self.light is None:
            return np.ones(x.shape, np.float32)
        radius = np.hypot(x - self.light.x, y - self.light.y) / self.light.unit
        return (1 / np.maximum(self.light.factor(radius), LEAST_LIGHT)).astype(np.float32)


@dataclass(frozen=True)
class LensProfile:
    """Of one lens at one setting; radii are 1 in the picture's farthest corner, terms as in :class:`Radial`.

    ``middle`` is where its axis meets the picture, in shares of width and height. ``bends`` is from a straight picture
    to what the lens drew, ``red`` and ``blue`` from where it drew green to where it drew these, ``light`` the share of
    the light that arrived. Empty where nothing is known.
    """

    name: str
    bends: Terms = ()
    red: Terms = ()
    blue: Terms = ()
    light: Terms = ()
    middle: tuple[float, float] = (0.5, 0.5)

    def turned(self, quarters: int) -> LensProfile:
        """That of a picture turned by so many quarters anticlockwise."""
        x, y = self.middle
        for _ in range(quarters % 4):
            x, y = y, 1 - x
        return replace(self, middle=(x, y))


def fitted(radius: NDArray, factor: NDArray, powers: Iterable[int]) -> Terms:
    """Coefficients of a polynomial of some powers of the radius, by least squares, the constant first.

    Examples
    --------
    >>> radius = np.linspace(0, 1, 50)
    >>> [round(t, 6) for t in fitted(radius, 1 - 0.25 * radius**2, (0, 2))]
    [1.0, 0.0, -0.25]
    """
    powers = tuple(powers)
    seen = radius > 0.02  # in the very middle a quotient says nothing
    columns = np.stack([radius[seen] ** p for p in powers], axis=1)
    found = np.linalg.lstsq(columns, factor[seen].astype(float), rcond=None)[0]
    terms = np.zeros(max(powers) + 1)
    terms[list(powers)] = found
    return tuple(float(t) for t in terms)


LEAST_LIGHT = 1 / 16  # four stops; more can only be a mistake
