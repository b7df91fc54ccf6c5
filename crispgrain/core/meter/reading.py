"""What the meter finds in a shot, as plain data."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from crispgrain.restoration.curves import Points

from ..colour.spaces import srgb_decode, srgb_encode

TONES = 33  # at which noise is known after a change of light
EVEN = 0.5  # share of luminance's noise that colour has at least, unless it was smoothed
DRAWN = 0.85  # drawings have 0.91 and more, photographs up to 0.71
LEAST_QUALITY = 90  # of JPEG; below, so much of weak noise is lost that what is left is not white


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
    iso : float, or None
        The sensitivity at which this camera is as noisy, where its noise at one is known.
    confidence : float
        0 (a guess) to 1 (well measured).
    points : tuple
        For RAW: what it adds to what is known of its camera, (signal, variance, patches) by range of tones.
    shots : int
        From how many shots of the same camera ``a`` and ``b`` are; 1 if from this one alone.
    corner : float
        By how much the corners of a RAW were brightened before it was written. ``a`` and ``b`` are those of the middle;
        where the gain is g, the variance is a g x signal + b g^2.
    """

    luminance: float = 0.0
    colour: float = 0.0
    levels: tuple[float, ...] = (0.0, 1.0)
    luminance_at: tuple[float, ...] = (0.0, 0.0)
    colour_at: tuple[float, ...] = (0.0, 0.0)
    a: tuple[float, float, float] | None = None
    b: tuple[float, float, float] | None = None
    confidence: float = 0.0
    iso: float | None = None
    points: tuple[tuple[float, float, float], ...] = ()
    shots: int = 1
    corner: float = 1.0

    def sigma_at(self, luma: NDArray[np.float32], colour: bool) -> NDArray[np.float32]:
        """Standard deviation, in encoded units 0..1, at encoded luma values 0..1."""
        sigma = self.colour_at if colour else self.luminance_at
        return np.interp(luma, self.levels, np.asarray(sigma) / 255).astype(np.float32)

    def brightened(self, stops: float) -> Noise:
        """The noise by tone after linear light was multiplied by ``2 ** stops`` (a and b stay those of the sensor).

        A tone moves along the curve, and the noise around it grows by the gain and the ratio of the curve's slopes.
        """
        gain = np.float32(2**stops)
        # The curve bends between the tones that were metered.
        before = np.union1d(np.asarray(self.levels, np.float32), np.linspace(0, 1, TONES, dtype=np.float32))
        after = srgb_encode(srgb_decode(before) * gain)
        return self._moved(before, after, gain * _slope(after) / _slope(before))

    def stronger(self, gain: float) -> Noise:
        """The noise so many times as strong, at the same tones."""
        return self if gain == 1 else self.curved(lambda luma: luma, gain)

    def curved(self, curve: Callable[[NDArray], NDArray], detail: float = 1.0) -> Noise:
        """The noise by tone after encoded luma went through a curve, on which ``detail`` is so many times as strong.

        What rides on the curve is neither steeper nor flatter than before; what is seen of it in light is.
        """
        before = np.union1d(np.asarray(self.levels, np.float32), np.linspace(0, 1, TONES, dtype=np.float32))
        after = np.asarray(curve(before), np.float32)
        return self._moved(before, after, np.full(before.shape, detail, np.float32))

    def through(self, curve: Callable[[NDArray], NDArray]) -> Noise:
        """The noise by tone after everything, noise too, went through a curve of encoded luma."""
        before = np.union1d(np.asarray(self.levels, np.float32), np.linspace(0, 1, TONES, dtype=np.float32))
        step = np.float32(0.01)
        steep = (curve(before + step) - curve(before - step)) / (2 * step)
        return self._moved(before, np.clip(curve(before), 0, 2).astype(np.float32), np.asarray(steep, np.float32))

    def _moved(self, before: NDArray, after: NDArray, steeper: NDArray) -> Noise:
        """The noise at other tones, so many times as strong."""
        luma, colour = (
            np.interp(before, self.levels, sigma) * steeper for sigma in (self.luminance_at, self.colour_at)
        )
        whole = float(np.mean(steeper))
        return replace(
            self, luminance=self.luminance * whole, colour=self.colour * whole, levels=tuple(after.tolist()),
            luminance_at=tuple(luma.tolist()), colour_at=tuple(colour.tolist()),
        )  # fmt: skip

    @classmethod
    def even(cls, sigma: float, colour: float | None = None) -> Noise:
        """The same noise at every tone, in 8-bit units."""
        c = sigma if colour is None else colour
        return cls(sigma, c, (0.0, 1.0), (sigma, sigma), (c, c), confidence=1.0)


def _slope(encoded: NDArray[np.float32]) -> NDArray[np.float32]:
    """How steep the sRGB curve is at encoded values: steps of the encoded value for one of light."""
    linear = srgb_decode(encoded)
    return (srgb_encode(linear * np.float32(1.01) + np.float32(1e-4)) - encoded) / (
        linear * np.float32(0.01) + np.float32(1e-4)
    )


@dataclass(frozen=True)
class Blur:
    """Blur of the sharpest parts of a shot.

    Attributes
    ----------
    kind : str
        ``none``, ``soft lens``, ``defocus``, ``motion`` or ``shake``.
    softness : float
        As the sigma of a Gaussian in px, whatever the kind; of the edges, or of what is in focus as a network sees it.
    radius : float
        px; of a soft lens the sigma, of defocus the radius of its disc.
    length, angle : float
        Of motion: px, and degrees counter-clockwise from the horizontal, 0 to 180. Of shake: its extent in px.
    confidence : float
        0 (a guess) to 1 (well measured).
    disc_radius, line_length, line_angle : float
        The disc and the line that explain the spectrum best, whatever the kind; 0 if there is no telling.
    regions : tuple of tuple of float
        Softness in a coarse grid of parts of the picture, row by row; empty if it is too small for that.
    """

    kind: str = "none"
    softness: float = 0.0
    radius: float = 0.0
    length: float = 0.0
    angle: float = 0.0
    confidence: float = 0.0
    disc_radius: float = 0.0
    line_length: float = 0.0
    line_angle: float = 0.0
    regions: tuple[tuple[float, ...], ...] = ()


@dataclass(frozen=True)
class Compression:
    """How a shot was compressed.

    Attributes
    ----------
    quality : float, or None
        JPEG quality 1 to 100 on the usual scale; None if there is no trace of JPEG.
    grid : tuple of int, or None
        Column and row, 0 to 7, of the first corner of a block.
    found_in : str
        ``table`` of the file, or ``pixels``; empty without a quality.
    confidence : float
        0 (a guess) to 1 (well measured).
    """

    quality: float | None = None
    grid: tuple[int, int] | None = None
    found_in: str = ""
    confidence: float = 0.0

    @property
    def strength(self) -> float:
        """How strongly the picture was compressed, in percent: 0 not at all, 90 at quality 10."""
        return 0.0 if self.quality is None else 100 - self.quality


@dataclass(frozen=True)
class Tones:
    """Shares of pixels lost in white and in black (0..1), and light in stops.

    ``exposure`` is the median's distance from mid grey, ``lift`` by how much a RAW is brightened at first.
    ``curve`` and ``camera`` are points of curves from encoded luma in that light to what is shown: by the histogram,
    and as the camera's own picture in the file, if there is one; ``camera_colour`` is by how much that has stronger
    colours.
    """

    clipped: float = 0.0
    blocked: float = 0.0
    exposure: float = 0.0
    lift: float = 0.0
    curve: Points = ()
    camera: Points = ()
    camera_colour: float = 1.0
    confidence: float = 1.0


@dataclass(frozen=True)
class History:
    """What was done to a finished picture before: enlarged about so many times (1 if not), sharpened too much."""

    enlarged: float = 1.0
    sharpened: bool = False
    confidence: float = 0.0


@dataclass(frozen=True)
class Extent:
    """Pixels of the shot, upright; the share of them that a damaged file has lost."""

    width: int = 0
    height: int = 0
    confidence: float = 1.0
    lost: float = 0.0

    def print_size(self, ppi: float) -> tuple[float, float]:
        """Width and height of a print in cm."""
        return self.width / ppi * 2.54, self.height / ppi * 2.54


@dataclass(frozen=True)
class Reading:
    """Everything the meter found."""

    noise: Noise = field(default_factory=Noise)
    blur: Blur = field(default_factory=Blur)
    size: Extent = field(default_factory=Extent)
    jpeg: Compression = field(default_factory=Compression)
    tones: Tones = field(default_factory=Tones)
    history: History = field(default_factory=History)
    raw: bool = False
    flat: float = 0.0  # share of even places that are one of a few colours, of a finished picture

    @property
    def drawn(self) -> bool:
        """Whether it is a drawing, letters or a logo."""
        return self.flat >= DRAWN

    def brightened(self, stops: float) -> Reading:
        """The reading of the same shot so many stops brighter: the noise moves with its tones, and grows."""
        return self if not stops else replace(self, noise=self.noise.brightened(stops))

    @property
    def white(self) -> bool:
        """Whether noise is of its own in every pixel.

        Demosaicing and halved colour resolution spread it over neighbours, strong compression takes half of it. The
        two limits separate what matched blocks, which is for white noise, does better and worse than the photo net
        (docs/benchmarks.md).
        """
        smoothed = self.noise.colour < EVEN * self.noise.luminance
        compressed = self.jpeg.quality is not None and self.jpeg.quality < LEAST_QUALITY
        return not (self.raw or smoothed or compressed)

    def as_json(self) -> dict[str, Any]:
        """Plain data for JSON, one group per kind of finding."""
        return asdict(self)


GROUPS = {"noise": Noise, "blur": Blur, "size": Extent, "jpeg": Compression, "tones": Tones, "history": History}


def reading_from_json(data: dict[str, Any]) -> Reading:
    """What :meth:`Reading.as_json` gave.

    Raises
    ------
    KeyError, TypeError
        If it is of another kind.
    """
    groups = {name: kind(**{k: _frozen(v) for k, v in data[name].items()}) for name, kind in GROUPS.items()}
    return Reading(**groups, raw=bool(data["raw"]), flat=float(data.get("flat", 0)))


def _frozen(value: Any) -> Any:
    """Lists, which JSON has, as tuples, which can be looked up."""
    return tuple(_frozen(v) for v in value) if isinstance(value, list) else value
