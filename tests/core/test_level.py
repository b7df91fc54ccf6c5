"""The tilt of a picture, against rotations by known angles; photographs of scikit-image."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from skimage import data

from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter.level import tilt_of, tilt_of_shot


def leaning(picture: np.ndarray, degrees: float) -> np.ndarray:
    """Turned clockwise about the middle, without its edges."""
    height, width = picture.shape[:2]
    matrix = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), -degrees, 1.0)
    turned = cv2.warpAffine(picture, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    edge = round(0.12 * min(height, width))
    return np.ascontiguousarray(turned[edge:-edge, edge:-edge])


@pytest.mark.parametrize("degrees", [0.0, 2.3, -4.1, 7.7])
def test_a_level_photograph_that_is_turned_leans_by_as_much(degrees):
    """*camera* was taken level: its tripod and horizon say so."""
    tilt = tilt_of(leaning(data.camera(), degrees))
    assert tilt.degrees == pytest.approx(degrees, abs=0.1)
    assert tilt.sure


@pytest.mark.parametrize("name", ["gravel", "grass", "coffee", "chelsea"])
def test_what_has_no_level_is_not_sure(name):
    picture = getattr(data, name)()
    assert not tilt_of(picture if picture.ndim == 2 else cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)).sure


def test_nothing_at_all_has_no_tilt():
    assert tilt_of(np.full((200, 300), 128, np.uint8)).confidence == 0


def test_shots_are_looked_at_as_they_are_stored(raw_file, tmp_path):
    stored = np.repeat(leaning(data.camera(), 2.3)[..., None], 3, axis=2)
    tilt = tilt_of_shot(PictureSource(tmp_path / "x.png", stored, icc.profile("srgb")))
    assert tilt.degrees == pytest.approx(2.3, abs=0.1)
    raw = read_shot(raw_file)
    light = (stored[: stored.shape[0] // 2 * 2, : stored.shape[1] // 2 * 2, 0] / 255.0) ** 2.2
    black = float(np.mean(raw.black))
    mosaic = (black + light * (raw.white - black)).astype(raw.mosaic.dtype)
    assert tilt_of_shot(replace(raw, mosaic=mosaic)).degrees == pytest.approx(2.3, abs=0.2)
