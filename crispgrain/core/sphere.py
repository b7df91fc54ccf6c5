"""Views of a picture all round: from the pixels of a view to those of the equirectangular picture, and back."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Size

Floats = NDArray[np.float64]
BEHIND = 1e-6  # of a ray's length: less lies behind a flat view
FAR = 1e7  # px, where points go that a view does not show


class Projection(StrEnum):
    FLAT = "flat"  # straight lines stay straight: rectilinear
    ROUND = "round"  # circles stay circles: stereographic


@dataclass(frozen=True)
class Sphere:
    """Where the points of a view lie in an equirectangular picture.

    Attributes
    ----------
    whole, view : Size
        Of the picture all round, and of the view, in px.
    direction, pitch, roll : float
        Where the middle of the view looks, in degrees: to the right of the picture's middle, upwards, and turned
        clockwise.
    field : float
        Angle of view across its width, in degrees.
    back : bool
        Whether this is the way back instead.

    References
    ----------
    J. P. Snyder, "Map Projections: A Working Manual", USGS Professional Paper 1395, 1987: equidistant cylindrical,
    gnomonic (flat) and stereographic (round).
    """

    whole: Size
    view: Size
    projection: Projection = Projection.FLAT
    direction: float = 0.0
    pitch: float = 0.0
    roll: float = 0.0
    field: float = 90.0
    back: bool = False

    @property
    def inverse(self) -> Sphere:
        return replace(self, back=not self.back)

    @property
    def unit(self) -> float:
        return float(self.whole.width)

    @property
    def focal(self) -> float:
        """Px of the view to a radian in its middle."""
        half = math.radians(self.field) / 2
        across = math.tan(half) if self.projection is Projection.FLAT else 2 * math.tan(half / 2)
        return self.view.width / 2 / across

    @property
    def stretch(self) -> float:
        """Px of the picture all round, along its horizon, to one in the middle of the view."""
        return self.whole.width / (2 * math.pi) / self.focal

    @property
    def turn(self) -> Floats:
        """From rays of the view (right, down, ahead) to those of the picture, before its direction."""
        pitch, roll = math.radians(self.pitch), math.radians(self.roll)
        up = [[1, 0, 0], [0, math.cos(pitch), -math.sin(pitch)], [0, math.sin(pitch), math.cos(pitch)]]
        round_ = [[math.cos(roll), -math.sin(roll), 0], [math.sin(roll), math.cos(roll), 0], [0, 0, 1]]
        return np.array(up) @ np.array(round_)

    def __call__(self, x: NDArray, y: NDArray) -> tuple[Floats, Floats]:
        """Where points go; beyond the left or right edge of the picture all round where a view crosses its seam."""
        return self._to_view(x, y) if self.back else self._to_whole(x, y)

    def _to_whole(self, x: NDArray, y: NDArray) -> tuple[Floats, Floats]:
        right, down = (
            (np.asarray(x) - self.view.width / 2) / self.focal,
            (np.asarray(y) - self.view.height / 2) / self.focal,
        )
        if self.projection is Projection.FLAT:
            ahead = np.ones_like(right)
        else:  # r = 2 tan(angle / 2)
            quarter = (right**2 + down**2) / 4
            ahead = 1 - quarter
        a, b, c = self.turn @ np.stack([right.ravel(), down.ravel(), ahead.ravel()])
        longitude, latitude = np.arctan2(a, c), np.arctan2(b, np.hypot(a, c))
        across = self.whole.width * (0.5 + self.direction / 360 + longitude / (2 * np.pi))
        return across.reshape(right.shape), (self.whole.height * (0.5 + latitude / np.pi)).reshape(right.shape)

    def _to_view(self, x: NDArray, y: NDArray) -> tuple[Floats, Floats]:
        longitude = 2 * np.pi * (np.asarray(x, float) / self.whole.width - 0.5 - self.direction / 360)
        latitude = np.pi * (np.asarray(y, float) / self.whole.height - 0.5)
        longitude, latitude = np.broadcast_arrays(longitude, latitude)
        level = np.cos(latitude)
        rays = np.stack([level * np.sin(longitude), np.sin(latitude), level * np.cos(longitude)])
        right, down, ahead = self.turn.T @ rays.reshape(3, -1)
        if self.projection is Projection.FLAT:
            scale = np.where(ahead > BEHIND, 1 / np.maximum(ahead, BEHIND), FAR)
        else:
            scale = 2 / np.maximum(1 + ahead, 2 * BEHIND)
        across, along = self.focal * right * scale, self.focal * down * scale
        return (
            (self.view.width / 2 + across).reshape(longitude.shape),
            (self.view.height / 2 + along).reshape(longitude.shape),
        )

    def poles(self) -> tuple[Floats, Floats]:
        """Where the view has the point above and that below, x and y of each."""
        return self.inverse(np.full(2, self.whole.width / 2), np.array([0.0, self.whole.height]))
