"""Another file of the same scene, laid over a shot: registered in scale and shift, and seen in a result's pixels."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

from .colour.spaces import to_opponent
from .errors import ShotError
from .files.source import PictureSource
from .transform import Transform

WORKED = 1500  # px on the long side of the pictures that are laid over each other
LEAST_MATCHES = 12  # points found in both; with fewer, both are taken to show the same field
RATIO = 0.75  # of the distances to the best and the second best match (Lowe 2004)
LEAST_ALIKE = 0.6  # correlation; below it is another scene
ROUNDS, ENOUGH = 300, 1e-7  # of the correlation's climb
TURNED = 0.02  # of shear or turn in the scale: more is no scale and shift
WHOLE = 0.06  # px; this near to whole pixels of the same size, it is whole pixels
SMOOTHED = 1.2  # px, so that noise and sharpening do not lead the match astray


@dataclass(frozen=True, eq=False)
class OutsidePicture:
    """A picture and where it lies: ``to_shot`` goes from its pixels to those of the shot's source."""

    picture: PictureSource
    to_shot: Transform
    alike: float = 1.0  # correlation with the shot

    @property
    def name(self) -> str:
        return self.picture.path.name

    def region(self, rect: Rect, to_source: Transform) -> Array:
        """Working-space pixels (h x w x 3) of a rectangle of a result, whose pixels go ``to_source``; 0 beyond it."""
        back = self.to_shot.inverse.after(to_source)
        (a, _, right), (_, e, down), _ = back.rows
        if back.lens is None and abs(a - 1) * rect.right < WHOLE and abs(e - 1) * rect.bottom < WHOLE:
            moved = rect.moved(round(down), round(right))
            if _whole(right, WHOLE) and _whole(down, WHOLE) and moved.intersect(self.picture.size.rect) == moved:
                return self.picture.region(moved)  # to the last bit
        reach = 4 + int(np.ceil(2 * max(back.stretch, 1)))
        seen = back.rect(rect)
        grown = Rect.between(seen.top - reach, seen.left - reach, seen.bottom + reach, seen.right + reach)
        part = grown.intersect(self.picture.size.rect)
        if part.empty:
            return np.zeros((rect.height, rect.width, 3), np.float32)
        pixels = self.picture.region(part)
        if back.stretch > 1.05:  # several of its pixels for one: averaged first
            pixels = cv2.GaussianBlur(pixels, (0, 0), 0.5 * np.sqrt(back.stretch**2 - 1))
        x, y = back.middles(rect)
        return cv2.remap(
            pixels, (x - part.left - 0.5).astype(np.float32), (y - part.top - 0.5).astype(np.float32),
            cv2.INTER_CUBIC if back.stretch <= 1.05 else cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT,
        )  # fmt: skip


def _whole(value: float, near: float) -> bool:
    return abs(value - round(value)) < near


def laid_over(outside: PictureSource, shot: Array, size: Size) -> OutsidePicture:
    """Find where a picture lies on a shot, given developed at any reduced size (h x w x 3) and its full ``size``.

    Points that both have in common give a first guess of scale and shift; the correlation of both is then climbed.

    Raises
    ------
    ShotError
        If it shows another scene, or is turned.

    References
    ----------
    G. D. Evangelidis, E. Z. Psarakis, "Parametric image alignment using enhanced correlation coefficient
    maximization", IEEE Trans. Pattern Analysis and Machine Intelligence 30(10), 2008. D. G. Lowe, "Distinctive image
    features from scale-invariant keypoints", International Journal of Computer Vision 60, 2004.
    """
    mine, my_scale = _worked(shot)
    my_scale *= size.width / shot.shape[1]
    own, own_scale = _worked(outside.region(outside.size.rect))
    warp = _guess(mine, own)
    try:
        criteria = cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, ROUNDS, ENOUGH
        alike, found = cv2.findTransformECC(mine, own, warp, cv2.MOTION_AFFINE, criteria)
        warp = np.asarray(found, np.float32)
    except cv2.error:
        alike = 0.0
    if alike < LEAST_ALIKE:
        raise ShotError(outside.path, "the picture shows another scene than the shot")
    scale = float(warp[0, 0] + warp[1, 1]) / 2
    if max(abs(warp[0, 1]), abs(warp[1, 0]), abs(warp[0, 0] - warp[1, 1])) > TURNED * scale:
        raise ShotError(outside.path, "the picture is turned or stretched beside the shot")
    # What is left of shear and unequal scales is chance: its effect in the middle of the picture goes into the shift.
    middle = np.array([mine.shape[1], mine.shape[0]]) / 2
    right, down = warp[:, :2] @ middle + warp[:, 2] - scale * middle
    # OpenCV counts from the middle of the first pixel.
    to_own = Transform.shift(right + 0.5 - 0.5 * scale, down + 0.5 - 0.5 * scale).after(Transform.scale(scale, scale))
    to_picture = Transform.scale(own_scale, own_scale).after(to_own).after(Transform.scale(1 / my_scale, 1 / my_scale))
    return OutsidePicture(outside, _settled(to_picture, outside.size, size).inverse, float(alike))


def _worked(pixels: Array) -> tuple[NDArray[np.float32], float]:
    """Smoothed luma of a picture at a size to work with, and px of the picture for one of it."""
    reduced = max(1.0, max(pixels.shape[:2]) / WORKED)
    luma: NDArray = to_opponent(pixels)[..., 0] / np.float32(3**0.5)
    if reduced > 1:
        size = round(pixels.shape[1] / reduced), round(pixels.shape[0] / reduced)
        luma = cv2.resize(luma, size, interpolation=cv2.INTER_AREA)
        reduced = pixels.shape[1] / size[0]
    return cv2.GaussianBlur(luma, (0, 0), SMOOTHED).astype(np.float32), reduced


def _guess(mine: NDArray[np.float32], own: NDArray[np.float32]) -> NDArray[np.float32]:
    """A first affine warp from one picture's coordinates to the other's."""
    finder = cv2.SIFT_create(2000)  # type: ignore[attr-defined]
    found = [finder.detectAndCompute((np.clip(p, 0, 1) * 255).astype(np.uint8), None) for p in (mine, own)]
    (points, marks), (own_points, own_marks) = found
    same = np.array([[own.shape[1] / mine.shape[1], 0, 0], [0, own.shape[0] / mine.shape[0], 0]], np.float32)
    if marks is None or own_marks is None or len(own_marks) < 2:
        return same
    pairs = cv2.BFMatcher().knnMatch(marks, own_marks, k=2)
    good = [p[0] for p in pairs if len(p) == 2 and p[0].distance < RATIO * p[1].distance]
    if len(good) < LEAST_MATCHES:
        return same
    start = np.array([points[m.queryIdx].pt for m in good])
    end = np.array([own_points[m.trainIdx].pt for m in good])
    warp, inliers = cv2.estimateAffinePartial2D(start, end, method=cv2.RANSAC, ransacReprojThreshold=3)
    return warp.astype(np.float32) if warp is not None and inliers.sum() >= LEAST_MATCHES else same


def _settled(to_picture: Transform, own: Size, shot: Size) -> Transform:
    """The transform, or the plain one from size to size if that is as near as can be told: an export of the shot."""
    plain = Transform.scale(own.width / shot.width, own.height / shot.height)
    corners = np.array([[0.0, shot.width], [0.0, shot.height]])
    far = max(float(np.abs(p - q).max()) for p, q in zip(to_picture(*corners), plain(*corners), strict=True))
    return plain if far < WHOLE * max(plain.stretch, 1) else to_picture
