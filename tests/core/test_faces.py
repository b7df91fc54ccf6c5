"""Faces are found where they are, and nowhere else; pictures of scikit-image."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data

from crispgrain.core.files.read import read_shot
from crispgrain.core.networks import faces
from crispgrain.core.networks.faces import find_faces
from crispgrain.core.networks.runtime import NetworkUnavailableError
from crispgrain.session.line_up import Spot, spot_of

HEAD = np.s_[30:210, 130:310]  # of *astronaut*, read off the picture: eyes at (102, 200) and (103, 247)
EYES = ((102 - 30 + 103 - 30) / 2, (200 - 130 + 247 - 130) / 2)


def page(top: int, left: int, side: int) -> np.ndarray:
    """A grey page of 700 x 1000 with a head on it."""
    out = np.full((700, 1000, 3), 120, np.uint8)
    out[top : top + side, left : left + side] = cv2.resize(
        data.astronaut()[HEAD], (side, side), interpolation=cv2.INTER_AREA
    )
    return out


@pytest.mark.parametrize(("top", "left", "side"), [(40, 60, 300), (400, 700, 160), (300, 500, 60)])
def test_a_head_is_found_around_its_eyes(top, left, side):
    (found,) = find_faces(page(top, left, side))
    face = found.where
    eyes = top + EYES[0] * side / 180, left + EYES[1] * side / 180
    assert face.top < eyes[0] < face.top + face.height * 0.55
    assert face.left < eyes[1] < face.right
    for (x, y), away in zip(found.eyes, (-1, 1), strict=True):
        assert y == pytest.approx(eyes[0], abs=0.12 * side) and 0 < away * (x - eyes[1]) < 0.3 * side
    assert 0.35 * side < face.width < 0.7 * side


def test_the_larger_of_two_comes_first():
    both = np.maximum(page(40, 60, 160), page(300, 500, 300))
    first, second = (face.where for face in find_faces(both))
    assert first.left > 500 and second.right < 300


@pytest.mark.parametrize("name", ["coffee", "chelsea", "rocket"])
def test_no_face_where_there_is_none(name):
    assert find_faces(getattr(data, name)()) == []


def test_missing_weights_are_named(monkeypatch, tmp_path):
    monkeypatch.setattr(faces, "WEIGHTS", tmp_path / "gone.onnx")
    with pytest.raises(NetworkUnavailableError, match="face detector"):
        find_faces(data.coffee())


def test_a_line_up_looks_at_the_face_and_without_one_at_the_finest_detail(tmp_path: Path):
    picture = page(400, 700, 160)
    picture[:300, :300] = 60 + 120 * (np.indices((300, 300)).sum(axis=0) // 6 % 2)[..., None]  # much finer
    Image.fromarray(picture).save(tmp_path / "page.png")
    source = read_shot(tmp_path / "page.png")
    assert spot_of(source, Spot.FACE).left > 600
    Image.fromarray(picture[:, :600]).save(tmp_path / "none.png")
    without = read_shot(tmp_path / "none.png")
    assert spot_of(without, Spot.FACE) == spot_of(without, Spot.DETAIL)
