"""The noise of a camera at one ISO, from many of its shots together.

It is the same in all of them, but where a shot is textured everywhere it is read wrongly at low ISO: texture passes
for noise, and there is only ever more of that. So the lowest variances that any of the shots has at a tone count.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from ..files.source import RawSource, Source
from .mosaic_noise import propagate
from .noise_line import fit_line
from .reading import Noise, Reading

LEAST_SHOTS = 3  # of fewer, one that is textured says as much as the others together
LOW = 0.05  # share of the points that lie below the line that the search starts from
TOLERANCES = np.geomspace(0.1, 0.02, 10)  # by how much more than expected is still noise, from round to round
SCATTER = 0.6  # of the variance in one patch, relative; a point of n patches is uncertain by this over the root of n
ROUNDS = 40
MANY = 5000  # patches; more make a point no surer


@dataclass(frozen=True)
class SensorNoise:
    """Variance = a x signal + b, signal 0 to 1, for all colours; and from how many shots that is known."""

    a: float
    b: float
    shots: int
    points: tuple[tuple[float, float, float], ...] = ()


def pooled(points: NDArray) -> tuple[float, float]:
    """The (a, b) of a sensor from rows of (signal, variance, patches) of several shots, textured or not.

    A quantile regression finds the lower edge of the points; from there a weighted least squares is done again and
    again that trusts points above the line less and less. All residuals are relative to the expected variance.

    References
    ----------
    R. Koenker, G. Bassett, "Regression quantiles", Econometrica 46(1), 1978.
    """
    signal, variance, count = np.asarray(points, float).T
    a, b = fit_line(signal, variance, count)
    for _ in range(ROUNDS):
        excess = variance / np.maximum(a * signal + b, 1e-12) - 1
        weight = (
            np.where(excess > 0, LOW, 1 - LOW) / np.maximum(np.abs(excess), 0.02) * np.sqrt(np.minimum(count, 5000))
        )
        a, b = _weighted(signal, variance, weight, a, b)
    chance = SCATTER / np.sqrt(count)
    for tolerance in TOLERANCES:
        excess = np.maximum(variance / np.maximum(a * signal + b, 1e-12) - 1, 0)
        a, b = _weighted(signal, variance, count / (1 + (excess / np.hypot(tolerance, chance)) ** 2) ** 2, a, b)
    return a, b


def _weighted(signal: NDArray, variance: NDArray, weight: NDArray, a: float, b: float) -> tuple[float, float]:
    """(a, b), neither below 0, by least squares of residuals relative to the line so far."""
    expected = np.maximum(a * signal + b, 1e-12)
    design = np.stack([signal, np.ones_like(signal)], axis=1) / expected[:, None] * np.sqrt(weight)[:, None]
    scale = np.maximum(np.linalg.norm(design, axis=0), 1e-30)  # as the solver wants columns of one order
    solution, _ = scipy.optimize.nnls(design / scale, variance / expected * np.sqrt(weight))
    return float(solution[0] / scale[0]), float(solution[1] / scale[1])


def at_iso(known: Mapping[int, SensorNoise], iso: int) -> SensorNoise | None:
    """What is known of an ISO: from its own shots, or between two others, which gain joins by a power law."""
    if iso in known:
        return known[iso]
    below, above = [i for i in known if i < iso], [i for i in known if i > iso]
    if not below or not above:
        return None
    low, high = known[max(below)], known[min(above)]
    share = np.log(iso / max(below)) / np.log(min(above) / max(below))

    def between(x: float, y: float) -> float:
        return float(np.exp((1 - share) * np.log(max(x, 1e-12)) + share * np.log(max(y, 1e-12))))

    return SensorNoise(between(low.a, high.a), between(low.b, high.b), low.shots + high.shots)


def told(source: Source, reading: Reading, sensor: SensorNoise | None) -> Reading:
    """The reading of a shot with its sensor's noise in place of its own, unless the file itself says what that is."""
    if sensor is None or not isinstance(source, RawSource) or source.noise_profile is not None:
        return reading
    noise = reading.noise
    levels = np.linspace(0.05, 0.95, 10)
    luma, colour = propagate(source, np.full(3, sensor.a), np.full(3, sensor.b), levels)
    known = Noise(
        float(np.median(luma)), float(np.median(colour)), tuple(levels.tolist()), tuple(luma.tolist()),
        tuple(colour.tolist()), (sensor.a,) * 3, (sensor.b,) * 3, 1.0, noise.iso, noise.points, sensor.shots,
        noise.corner,
    )  # fmt: skip
    return replace(reading, noise=known)
