"""What the meter finds in a shot, as plain data."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Noise:
    """Noise of a shot.

    Attributes
    ----------
    luminance, colour : float
        Standard deviation along the luma and the colour-difference axes of the
        sRGB-encoded picture, in 8-bit units (0..255).
    levels, luminance_at, colour_at : tuple of float
        The same by tone: ``levels`` are encoded luma values 0..1.
    a, b : tuple of float, or None
        For RAW: variance = a x signal + b for red, green, blue, signal 0..1.
    confidence : float
        0 (a guess) to 1 (well measured).
    """

    luminance: float = 0.0
    colour: float = 0.0
    levels: tuple[float, ...] = (0.0, 1.0)
    luminance_at: tuple[float, ...] = (0.0, 0.0)
    colour_at: tuple[float, ...] = (0.0, 0.0)
    a: tuple[float, float, float] | None = None
    b: tuple[float, float, float] | None = None
    confidence: float = 0.0

    def sigma_at(self, luma: NDArray[np.float32], colour: bool) -> NDArray[np.float32]:
        """Standard deviation, in encoded units 0..1, at encoded luma values 0..1."""
        sigma = self.colour_at if colour else self.luminance_at
        return np.interp(luma, self.levels, np.asarray(sigma) / 255).astype(np.float32)

    @classmethod
    def even(cls, sigma: float, colour: float | None = None) -> Noise:
        """The same noise at every tone, in 8-bit units."""
        c = sigma if colour is None else colour
        return cls(sigma, c, (0.0, 1.0), (sigma, sigma), (c, c), confidence=1.0)


@dataclass(frozen=True)
class Blur:
    """Softness of the sharpest edges, as the sigma of a Gaussian in pixels."""

    kind: str = "none"
    radius: float = 0.0
    confidence: float = 0.0


@dataclass(frozen=True)
class Compression:
    """JPEG quality 1 to 100 on the usual scale; None for a file that is not JPEG."""

    quality: float | None = None
    confidence: float = 0.0

    @property
    def strength(self) -> float:
        """How strongly the picture was compressed, in percent: 0 not at all, 90 at quality 10."""
        return 0.0 if self.quality is None else 100 - self.quality


@dataclass(frozen=True)
class Extent:
    """Pixels of the shot, upright."""

    width: int = 0
    height: int = 0


@dataclass(frozen=True)
class Reading:
    """Everything the meter found."""

    noise: Noise = field(default_factory=Noise)
    blur: Blur = field(default_factory=Blur)
    size: Extent = field(default_factory=Extent)
    jpeg: Compression = field(default_factory=Compression)
    raw: bool = False

    def as_json(self) -> dict[str, Any]:
        """Plain data for JSON, one group per kind of finding."""
        return asdict(self)

    @property
    def headline(self) -> str:
        """The one line that matters most, for the contact sheet."""
        if self.noise.luminance >= 1:
            return f"noise {self.noise.luminance:.0f} / {self.noise.colour:.0f}"
        if self.blur.radius >= 0.8:
            return f"soft {self.blur.radius:.1f} px"
        return f"{self.size.width} × {self.size.height}"
