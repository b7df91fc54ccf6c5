"""Faces in a picture, found by the YuNet detector through OpenCV."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Rect

from .runtime import HERE, NetworkUnavailableError

WEIGHTS = HERE / "face_detection_yunet_2023mar_int8bq.onnx"  # see NOTICE beside it
SURE = 0.8  # score from which it is a face
OVERLAP = 0.3  # share from which two finds are the same face


@dataclass(frozen=True)
class Face:
    """Where a face is, and its eyes (x, y), in px."""

    where: Rect
    eyes: tuple[tuple[float, float], tuple[float, float]]


def find_faces(picture: NDArray[np.uint8]) -> list[Face]:
    """Where faces are, the largest first.

    Parameters
    ----------
    picture
        Height x width x 3, sRGB. Faces of about 10 to 300 px are found.

    Returns
    -------
    list of Face
        Cut to the picture.

    Raises
    ------
    NetworkUnavailableError
        If the weights are missing or damaged.

    References
    ----------
    Wu, Peng, Yu: YuNet: A Tiny Millisecond-level Face Detector. Machine Intelligence Research, 2023.
    """
    height, width = picture.shape[:2]
    level = cv2.utils.logging.setLogLevel(cv2.utils.logging.LOG_LEVEL_ERROR)  # it warns of its own defaults
    try:
        detector = cv2.FaceDetectorYN.create(str(WEIGHTS), "", (width, height), SURE, OVERLAP)
        _, found = detector.detect(np.ascontiguousarray(picture[..., ::-1]))
    except cv2.error as error:
        raise NetworkUnavailableError(f"The face detector cannot be run: {error}") from error
    finally:
        cv2.utils.logging.setLogLevel(level)
    faces = [] if found is None else [_face(face, Rect(0, 0, height, width)) for face in found]
    inside = [face for face in faces if not face.where.empty]
    return sorted(inside, key=lambda face: -face.where.width * face.where.height)


def _face(found: NDArray[np.float32], whole: Rect) -> Face:
    """From left, top, width, height, both eyes and what else the detector says."""
    left, top, width, height, x1, y1, x2, y2 = (float(n) for n in found[:8])
    where = Rect(round(top), round(left), round(height), round(width)).intersect(whole)
    return Face(where, ((x1, y1), (x2, y2)))
