"""How strong noise is at which tone: from patches to variances, and from these to a line."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.geometry import Rect, Size

from .patches import Content, cosine_split

BINS = 12
LEAST_PATCHES = 800  # the mean of fewer says little
MOST_READ_NOISE, ROUNDS = 10.0, 4  # times what is usual beside so much shot noise; steps towards agreement
SAMPLE_EDGE = 96
SAMPLES = 120


def sample_rects(size: Size, edge: int = SAMPLE_EDGE, count: int = SAMPLES) -> list[Rect]:
    """Up to ``count`` squares spread evenly over a picture, starting on even rows and columns."""
    if size.height * size.width <= edge * edge * count:
        return [size.rect]
    across = max(1, round((count * size.width / size.height) ** 0.5))
    down = max(1, count // across)
    return [
        Rect(
            int((size.height - edge) * (i + 0.5) / down) // 2 * 2,
            int((size.width - edge) * (j + 0.5) / across) // 2 * 2,
            edge,
            edge,
        ).intersect(size.rect)
        for i in range(down)
        for j in range(across)
    ]


def smooth_variance(patches: Content) -> tuple[float, NDArray[np.bool_]]:
    """Variance of white noise in patches of a picture that is anything underneath.

    Also says which patches it comes from: where noise depends on tone, the
    smoothest patches of a range of tones are its darkest, and the variance
    belongs to their tone and no other.

    In the cosine domain white noise is equally strong and independent in every
    coefficient. Patches are chosen by their low frequencies, where structure
    shows first, and measured by their high ones, so that choosing does not bias
    the measure. The choice starts from the smoothest fifth and lets in what
    pure noise of the strength found would let in.

    References
    ----------
    N. Ponomarenko et al., "An automatic approach to lossy compression of AVIRIS
    images", IGARSS 2007; M. Colom, A. Buades, "Analysis and extension of the
    Ponomarenko et al. method, estimating a noise curve from a single image",
    Image Processing On Line 3, 2013.
    """
    _, structure, strength = patches
    freedom = len(cosine_split()[1])
    median_of_noise = scipy.special.chdtri(freedom, 0.5) / freedom
    chosen = structure <= np.quantile(structure, 0.2)
    for _ in range(6):
        variance = float(strength[chosen].mean())
        wider = structure < variance * median_of_noise
        if wider.sum() < LEAST_PATCHES // 4:
            break
        chosen = wider
    return float(strength[chosen].mean()), chosen


def by_tone(tones: NDArray, bins: int = BINS, least: int = LEAST_PATCHES) -> list[NDArray[np.intp]]:
    """Patches sorted into bins by tone, as their numbers.

    Bins are of equal width; those with fewer than ``least`` patches are joined to the next.
    """
    order = np.argsort(tones, kind="stable")
    if len(order) < least:
        return []
    edges = np.searchsorted(tones[order], np.linspace(tones[order[0]], tones[order[-1]], bins + 1)[1:-1])
    cuts = [0]
    for edge in edges:
        if edge - cuts[-1] >= least and len(order) - edge >= least:
            cuts.append(int(edge))
    return np.split(order, cuts[1:])


def fit_line(signal: NDArray, variance: NDArray, count: NDArray) -> tuple[float, float]:
    """Robust fit of variance = a x signal + b with a, b >= 0.

    Texture can only add to a measured variance, so points above the line are
    trusted less, and the more so at each round.
    """
    weight = count / np.maximum(variance, 1e-12) ** 2
    a = b = 0.0
    for tolerance in np.geomspace(0.5, 0.05, 12):
        design = np.stack([signal, np.ones_like(signal)], axis=1) * np.sqrt(weight)[:, None]
        a, b = np.linalg.lstsq(design, variance * np.sqrt(weight), rcond=None)[0]
        if b < 0:
            a, b = float((weight * signal * variance).sum() / max((weight * signal**2).sum(), 1e-30)), 0.0
        if a < 0:
            a, b = 0.0, float((weight * variance).sum() / weight.sum())
        expected = np.maximum(a * signal + b, 1e-12)
        excess = np.maximum(variance / expected - 1, 0)
        weight = count / expected**2 / (1 + (excess / tolerance) ** 2)
    return float(max(a, 0.0)), float(max(b, 0.0))


def with_shot_noise(a: float, b: float, signal: NDArray) -> tuple[float, float]:
    """A line of noise with as much shot noise as any sensor has beside so much read noise.

    Where the darkest parts alone are smooth, their variance says nothing of how noise grows with the signal.

    References
    ----------
    T. Brooks et al., "Unprocessing images for learned raw denoising", CVPR 2019: ln b is 2.18 ln a + 1.2 on average
    over a set of cameras; up to :data:`MOST_READ_NOISE` times that b is believed here.
    """
    darkest = max(float(signal.min()), 0.0)
    total = a * darkest + b
    for _ in range(ROUNDS):
        least = float(np.exp((np.log(max(b, 1e-12) / MOST_READ_NOISE) - 1.2) / 2.18))
        if a >= least:
            break
        a = least if least * darkest < total else total / max(darkest, 1e-12)
        b = max(total - a * darkest, 0.0)
    return a, b


def variance_by_signal(patches: Content, least: int = LEAST_PATCHES) -> NDArray:
    """Rows of (signal, variance, patches) for one colour, in equal steps of the root of the signal.

    Along these shot noise changes evenly.
    """
    rows = []
    for part in by_tone(np.sqrt(np.maximum(patches.mean, 0)), least=least):
        variance, chosen = smooth_variance(patches.of(part))
        rows.append((float(patches.mean[part][chosen].mean()), variance, len(part)))
    return np.array(rows).reshape(-1, 3)
