"""Other files of the same scene: where they lie on a shot, and how near they are to it."""

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data

from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.outside import laid_over
from crispgrain.core.render.whole import export
from crispgrain.core.shot import Shot
from crispgrain.core.transform import Transform
from crispgrain.core.treatment import Treatment


def picture(tmp_path, pixels: np.ndarray, name: str = "x.png") -> PictureSource:
    return PictureSource(tmp_path / name, pixels.astype(np.float32), icc.profile("srgb"))


def moved(pixels: np.ndarray, scale: float, shift: float) -> np.ndarray:
    """An enlarged copy: a point at x of the original lies at ``scale`` x (x + shift)."""
    height, width = pixels.shape[:2]
    warp = np.array([[scale, 0, scale * shift + scale / 2 - 0.5], [0, scale, scale * shift + scale / 2 - 0.5]])
    size = round(width * scale), round(height * scale)
    return cv2.warpAffine(pixels, warp, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)


@pytest.mark.slow
@pytest.mark.parametrize(
    ("name", "scale", "noise"), [("coffee", 2.0, 0.0), ("astronaut", 2.0, 8.0), ("chelsea", 0.5, 4.0)]
)
def test_a_copy_of_another_size_shifted_by_a_part_of_a_pixel_is_found_within_a_tenth(tmp_path, name, scale, noise):
    truth = getattr(data, name)().astype(np.float32) / 255
    noisy = truth + np.random.default_rng(0).normal(0, noise / 255, truth.shape)
    shot, other = picture(tmp_path, noisy), picture(tmp_path, moved(truth, scale, 0.7))
    found = laid_over(other, shot.region(shot.size.rect), shot.size)
    x, y = np.array([60.0, truth.shape[1] - 60.0]), np.array([60.0, truth.shape[0] - 60.0])
    seen = found.region(shot.size.rect, Transform())[60:-60, 60:-60]
    assert np.abs(seen - picture(tmp_path, truth).region(shot.size.rect)[60:-60, 60:-60]).mean() < 0.02
    to = found.to_shot.inverse(x, y)
    for got, asked in zip(to, (x, y), strict=True):
        np.testing.assert_allclose(got, scale * (asked + 0.7), atol=0.1)


def test_our_own_export_lies_on_the_result_to_one_step(tmp_path):
    stored = (data.coffee()[:300, :420]).astype(np.uint8)
    Image.fromarray(stored).save(tmp_path / "shot.png")
    shot = Shot(read_shot(tmp_path / "shot.png"), Reading(Noise.even(4)))
    for stages, factor in (([Stage.DENOISE], 1.0), ([Stage.ENLARGE], 2.0)):
        treatment = Treatment().only(stages).set("enlarge.factor", factor).set("enlarge.model", "lanczos")
        treatment = treatment if Stage.ENLARGE in stages else treatment.set("enlarge.on", False)
        pipeline = shot.pipeline(treatment.set("print.format", "png").set("print.bits", "8"))
        written = read_shot(export(pipeline, tmp_path / "out"))
        found = laid_over(written, shot.source.region(shot.source.size.rect), shot.source.size)
        rect = pipeline.size.rect
        ours = icc.from_working(pipeline.region(rect), icc.profile("srgb"), 8)
        theirs = icc.from_working(found.region(rect, pipeline.steps[-1].after.to_source), icc.profile("srgb"), 8)
        assert np.abs(ours.astype(int) - theirs).max() <= 1


def test_another_scene_and_a_turned_one_are_refused(tmp_path):
    shot = picture(tmp_path, data.coffee()[:300, :400] / 255)
    pixels = shot.region(shot.size.rect)
    with pytest.raises(ShotError, match="another scene"):
        laid_over(picture(tmp_path, data.chelsea()[:300, :400] / 255, "cat.png"), pixels, shot.size)
    turned = cv2.warpAffine(shot.stored, cv2.getRotationMatrix2D((200, 150), 6, 1), (400, 300), borderMode=2)
    with pytest.raises(ShotError, match="turned"):
        laid_over(picture(tmp_path, turned, "turned.png"), pixels, shot.size)


def test_a_part_of_the_shot_is_black_where_it_has_nothing(tmp_path):
    whole = data.coffee()[:300, :400].astype(np.float32) / 255
    shot, part = picture(tmp_path, whole), picture(tmp_path, whole[40:240, 100:350])
    found = laid_over(part, shot.region(shot.size.rect), shot.size)
    pixels = found.region(shot.size.rect, Transform())
    np.testing.assert_allclose(pixels[60:200, 120:330], shot.region(shot.size.rect)[60:200, 120:330], atol=2e-2)
    assert pixels[:20].max() == 0
