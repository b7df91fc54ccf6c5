"""How likely each place of the small picture belongs to what is looked for: h x w, 0 to 1."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect

from ..colour import oklab
from ..colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from ..networks.faces import Face, find_faces
from .ground import Ground
from .placing import eased

Colour = tuple[float, float, float]
CUT = 320  # px of the picture that GrabCut works on
ROUNDS = 5  # of GrabCut
FINE, COARSE = (0.7, 1.4), (2.8, 5.6)  # px, sigmas of two bands of detail in the full picture
NEAR = 6.0  # px of the small picture over which what has no detail follows what has
BAND = 1_000_000  # px that are looked at at a time


def in_focus(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    """Where fine detail is strong against coarse: both grow with contrast, only the fine one dies out of focus."""
    fine, coarse = _bands(ground)
    noise = np.quantile(fine, 0.25)  # a quarter of most pictures is smooth
    # A place without detail says nothing; its surroundings speak for it.
    near, far = ((0, 0), NEAR), ((0, 0), 2 * NEAR)
    signal, ground_swell = np.maximum(fine - 1.5 * noise, 0), coarse + np.float32(1e-3)
    share = [cv2.GaussianBlur(signal, *s) / cv2.GaussianBlur(ground_swell, *s) for s in (near, far)]
    told = np.clip(cv2.GaussianBlur(coarse, *near) / TELLING, 0, 1)
    sharp = told * share[0] + (1 - told) * share[1]
    return (sharp / (sharp + np.float32(AS_SHARP))).astype(np.float32)


AS_SHARP = 0.14  # of coarse detail: on 14 training photographs mostly 0.1 to 1.2; blurred, below 0.13
TELLING = 0.003  # of encoded white: mean coarse detail that says enough by itself


def _bands(ground: Ground) -> tuple[Array, Array]:
    """Mean strength of fine and of coarse detail of the full picture, at the small one's size."""
    height, width = ground.small.shape[:2]
    size = ground.origin.size
    whole = Ground(ground.origin, ground.origin, ground.remembered)
    strengths: list[list[Array]] = [[], []]
    rows = max(1, min(height, round(BAND / size.width * height / size.height)))
    for first in range(0, height, rows):
        last = min(first + rows, height)
        top, bottom = (round(n * size.height / height) for n in (first, last))
        pad = 24
        rect = Rect.between(max(top - pad, 0) // 2 * 2, 0, min(bottom + pad, size.height), size.width)
        luma = whole.luma(rect)
        for kept, (inner, outer) in zip(strengths, (FINE, COARSE), strict=True):
            band = np.abs(cv2.GaussianBlur(luma, (0, 0), inner) - cv2.GaussianBlur(luma, (0, 0), outer))
            own = band[top - rect.top : bottom - rect.top]
            kept.append(cv2.resize(own, (width, last - first), interpolation=cv2.INTER_AREA))
    fine, coarse = (np.concatenate(kept) for kept in strengths)
    return fine, coarse


def subject(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    """What stands out and is in focus, grown to its edges by GrabCut.

    References
    ----------
    R. Achanta et al., "Frequency-tuned salient region detection", CVPR 2009 (distance of a colour from the mean);
    C. Rother, V. Kolmogorov, A. Blake, "GrabCut", SIGGRAPH 2004.
    """
    small = ground.small
    height, width = small.shape[:2]
    lab = _oklab(cv2.GaussianBlur(small, (0, 0), 2))
    inner = np.zeros((height, width), bool)
    inner[8:-8, 8:-8] = True
    distance = np.linalg.norm(lab - np.median(lab[~inner], axis=0), axis=2)
    stands_out = distance / (np.quantile(distance, 0.98) + 1e-6)
    y, x = np.mgrid[:height, :width]
    central = np.exp(-(((x / width - 0.5) / 0.35) ** 2 + ((y / height - 0.5) / 0.4) ** 2))
    focused = ground.found("focus", lambda g: in_focus(g, 0, 1, colour))
    score = (np.clip(stands_out, 0, 1) + 1.5 * focused) * central
    return cut(small, cv2.GaussianBlur(score.astype(np.float32), (0, 0), 6), _by_rank)


def _by_rank(scored: Array) -> NDArray[np.uint8]:
    """The highest scores are surely within, the lowest without."""
    labels = np.where(scored > np.quantile(scored, 0.7), cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[scored > np.quantile(scored, 0.92)] = cv2.GC_FGD
    labels[scored < np.quantile(scored, 0.3)] = cv2.GC_BGD
    return labels


def cut(small: Array, score: Array, labelled: Callable[[Array], NDArray[np.uint8]]) -> Array:
    """GrabCut on a few hundred px, from labels that are made of a score; at the size of the picture again."""
    height, width = small.shape[:2]
    share = min(1.0, CUT / max(height, width))
    size = max(8, round(width * share)), max(8, round(height * share))
    picture = (cv2.resize(small, size, interpolation=cv2.INTER_AREA)[..., ::-1] * 255).astype(np.uint8)
    labels = labelled(cv2.resize(score, size, interpolation=cv2.INTER_AREA))
    return cv2.resize(grab(picture, labels), (width, height), interpolation=cv2.INTER_LINEAR)


def grab(picture: NDArray[np.uint8], labels: NDArray[np.uint8]) -> Array:
    """Labels of GrabCut settled: 1 within, 0 without."""
    kinds = set(np.unique(labels).tolist())
    if not (kinds & {cv2.GC_FGD, cv2.GC_PR_FGD} and kinds & {cv2.GC_BGD, cv2.GC_PR_BGD}):
        return np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.float32)
    cv2.setRNGSeed(0)
    cv2.grabCut(
        np.ascontiguousarray(picture), labels, (0, 0, 1, 1), np.zeros((1, 65)), np.zeros((1, 65)), ROUNDS,
        cv2.GC_INIT_WITH_MASK,
    )  # fmt: skip
    return np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.float32)


def background(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    return 1 - ground.found("subject", lambda g: subject(g, low, high, colour))


def sky(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    """What is smooth and light, or blue, and reaches the upper edge; grown to its edges by GrabCut."""
    small = ground.small
    luma = ground.small_luma()
    steep = cv2.GaussianBlur(np.hypot(cv2.Sobel(luma, cv2.CV_32F, 1, 0), cv2.Sobel(luma, cv2.CV_32F, 0, 1)), (0, 0), 3)
    smooth = np.exp(-((steep / 0.12) ** 2))
    blue = small[..., 2] - small[..., 0]
    likely = smooth * np.clip(np.maximum(1.6 * (luma - 0.35), 0.5 + 4 * blue), 0, 1)
    sure = (likely > 0.5).astype(np.uint8)
    _, parts = cv2.connectedComponents(cv2.morphologyEx(sure, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8)))
    above = np.unique(parts[: max(1, len(parts) // 40)])
    upper = np.isin(parts, above[above > 0])
    if upper.mean() < LEAST_SKY:
        return np.zeros(luma.shape, np.float32)
    score = np.where(upper, 1.0, 0.3 * likely).astype(np.float32)
    return cut(small, score, _sure_within)


def _sure_within(scored: Array) -> NDArray[np.uint8]:
    """What is likely, and away from its rim, is surely within."""
    labels = np.where(scored > 0.5, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[cv2.erode((scored > 0.9).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0] = cv2.GC_FGD
    labels[scored < 0.05] = cv2.GC_BGD
    return labels


EYE = 0.13  # of a face's width, radius of an eye
LEAST_SKY = 0.02  # of the picture


def faces(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    """Ovals over the faces that YuNet finds."""
    height, width = ground.small.shape[:2]
    out = np.zeros((height, width), np.float32)
    y, x = np.mgrid[:height, :width]
    for face in (f.where for f in _faces(ground)):
        right, down = (
            (x - face.left - face.width / 2) / (0.62 * face.width),
            (y - face.top - face.height / 2) / (0.66 * face.height),
        )
        out = np.maximum(out, eased((1.15 - np.hypot(right, down)) / 0.3))
    return out


def eyes(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    """Discs over the eyes of the faces that are found."""
    height, width = ground.small.shape[:2]
    out = np.zeros((height, width), np.float32)
    y, x = np.mgrid[:height, :width]
    for face in _faces(ground):
        for right, down in face.eyes:
            out = np.maximum(out, eased((1.25 - np.hypot(x - right, y - down) / (EYE * face.where.width)) / 0.5))
    return out


def _faces(ground: Ground) -> list[Face]:
    return find_faces((ground.small * 255).astype(np.uint8))


def skin(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    """What has the colours of the middle of the faces that are found; nothing without a face.

    A Gaussian in red and blue against luma, learnt from the picture itself: skin has no colour of its own.
    """
    chroma = cv2.cvtColor(ground.small, cv2.COLOR_RGB2YCrCb)[..., 1:]
    out = np.zeros(chroma.shape[:2], np.float32)
    for face in (f.where for f in _faces(ground)):
        y, x = face.top + face.height // 4, face.left + face.width // 4
        inner = chroma[y : y + max(1, face.height // 2), x : x + max(1, face.width // 2)].reshape(-1, 2)
        middle = np.median(inner, axis=0)
        spread = np.cov(inner[np.linalg.norm(inner - middle, axis=1) < 0.08].T) + 2e-4 * np.eye(2)
        away = chroma - middle
        far = np.einsum("...i,ij,...j", away, np.linalg.inv(spread), away)
        out = np.maximum(out, np.exp(-far / 6).astype(np.float32))
    return out


def light(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    return _within(ground.small_luma(), low, high, 0.1)


def detail(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    """By the spread of luma over about a hundredth of the picture, as a share of the strongest."""
    luma = ground.small_luma()
    spread = np.sqrt(np.maximum(cv2.blur(luma**2, (7, 7)) - cv2.blur(luma, (7, 7)) ** 2, 0))
    return _within(np.clip(spread / (np.quantile(spread, 0.98) + 1e-6), 0, 1), low, high, 0.1)


def noise(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    """By how strong the finest detail is at least, over a fiftieth of the picture, as a share of where it is most.

    Noise is everywhere; what is not is texture.
    """
    fine, _ = _bands(ground)
    calmest = cv2.erode(cv2.GaussianBlur(fine, (0, 0), 1.5), np.ones((CALM, CALM), np.uint8))
    level = cv2.GaussianBlur(calmest, (0, 0), CALM)
    return _within(level / (np.quantile(level, 0.98) + 1e-6), low, high, 0.1)


CALM = 15  # px of the small picture, in which some place is smooth


def colour_range(ground: Ground, low: float, high: float, colour: Colour) -> Array:
    """By the distance in a and b of Oklab; ``high`` of 1 reaches a fifth, about from grey to a strong colour."""
    lab = oklab.from_working(apply_matrix(srgb_decode(ground.small), SRGB_TO_WORKING))
    wanted = oklab.from_working(
        apply_matrix(srgb_decode(np.array(colour, np.float32).reshape(1, 1, 3)), SRGB_TO_WORKING)
    )
    far = np.linalg.norm((lab - wanted)[..., 1:], axis=2) / 0.2
    return eased((max(high, 0.02) * 1.5 - far) / max(high, 0.02))


def _oklab(encoded: Array) -> Array:
    return oklab.from_working(apply_matrix(srgb_decode(encoded), SRGB_TO_WORKING))


def _within(values: Array, low: float, high: float, soft: float) -> Array:
    rises = eased((values - low) / soft + 0.5) if low > 0 else np.ones_like(values)
    falls = eased((high - values) / soft + 0.5) if high < 1 else np.ones_like(values)
    return rises * falls


MAPS: Mapping[str, Callable[[Ground, float, float, Colour], Array]] = {
    "in-focus": in_focus, "subject": subject, "background": background, "sky": sky, "faces": faces, "eyes": eyes,
    "skin": skin, "light": light, "colour": colour_range, "detail": detail, "noise": noise,
}  # fmt: skip
