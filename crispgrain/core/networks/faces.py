"""Faces in a picture, found by the YuNet detector through OpenCV."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Rect

from .runtime import HERE, NetworkUnavailableError

WEIGHTS = HERE / "face_detection_yunet_2023mar_int8bq.onnx"  # see NOTICE beside it
SURE = 0.8  # score from which it is a face
OVERLAP = 0.3  # share from which two finds are the same face


def find_faces(picture: NDArray[np.uint8]) -> list[Rect]:
    """Where faces are, the largest first.

    Parameters
    ----------
    picture
        Height x width x 3, sRGB. Faces of about 10 to 300 px are found.

    Returns
    -------
    list of Rect
        Within the picture.

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
    rects = [] if found is None else [_rect(*face[:4]) for face in found]
    inside = [rect.intersect(Rect(0, 0, height, width)) for rect in rects]
    return sorted((rect for rect in inside if rect.width and rect.height), key=lambda rect: -rect.width * rect.height)


def _rect(x: float, y: float, width: float, height: float) -> Rect:
    return Rect(round(float(y)), round(float(x)), round(float(height)), round(float(width)))
