"""Healing against the clean picture, beside reference methods of scikit-image and OpenCV."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage.restoration import inpaint_biharmonic

from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Drawn, ToolError
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.develop.heal import MODEL
from crispgrain.core.stages.develop.spots import HEAL, spots_from
from crispgrain.core.treatment import Treatment
from tests.conftest import encoded

READING = Reading(Noise.even(1))
PLAIN = Treatment().only([])


def textured():
    """Gravel-like texture under uneven light: what diffusion cannot guess."""
    rng = np.random.default_rng(3)
    grain = cv2.GaussianBlur(rng.standard_normal((240, 320)).astype(np.float32), (0, 0), 1.6)
    y, x = np.mgrid[:240, :320]
    light = 0.45 + 0.0008 * x + 0.0004 * y
    return np.clip(np.repeat((light + 0.35 * grain)[..., None], 3, axis=2), 0, 1).astype(np.float32)


def source_of(pixels) -> PictureSource:
    return PictureSource(Path("x.png"), (pixels * 255 + 0.5).astype(np.uint8), icc.profile("srgb"))


def drawn(source, points, spots="", size=6.0):
    values = {p.id: p.default for p in MODEL.parameters} | {"spots": spots, "size": size}
    return Drawn(tuple(points), source, READING, values)


def result(source, spots, tile=64, **settings):
    treatment = PLAIN.set("heal.spots", spots)
    for name, value in settings.items():
        treatment = treatment.set(name.replace("_", ".", 1), value)
    pipeline = Pipeline(source, READING, resolve(treatment, source, READING), tile=tile)
    return pipeline.region(pipeline.size.rect)


def fine(pixels):
    """What is finer than a few pixels, in one channel."""
    plane = np.float32(pixels[..., 0])
    return plane - cv2.GaussianBlur(plane, (0, 0), 6)


def error(pixels, truth, hole):
    return float(np.sqrt(np.mean((pixels - truth)[hole] ** 2)))


def test_a_spot_is_healed_with_the_texture_around_it():
    clean = textured()
    y, x = np.mgrid[:240, :320] + 0.5
    hole = np.hypot(x - 150, y - 110) < 7
    spoilt = clean.copy()
    spoilt[hole] = 0.05
    source = source_of(spoilt)
    settings, words = HEAL.settings(drawn(source, [(150.0, 110.0)]))
    assert words == "1 spot."
    healed = encoded(result(source, settings["spots"]))
    eight_bits, holed = (spoilt * 255).astype(np.uint8), hole.astype(np.uint8)
    others = {
        "biharmonic (scikit-image)": inpaint_biharmonic(spoilt, hole, channel_axis=-1),
        "Telea (OpenCV)": cv2.inpaint(eight_bits, holed, 3, cv2.INPAINT_TELEA) / 255,
    }
    texture = {name: fine(p)[hole].std() / fine(clean).std() for name, p in {"healed": healed, **others}.items()}
    errors = {name: error(p, clean, hole) for name, p in {"healed": healed, **others}.items()}
    print({name: (round(errors[name], 3), round(float(texture[name]), 2)) for name in texture})
    # As much texture as around; diffusion leaves a smooth disc. Against the truth a guess of texture cannot win.
    assert 0.75 < texture["healed"] < 1.4
    assert max(texture[name] for name in others) < 0.7  # diffusion leaves a smooth disc
    assert errors["healed"] < 3 * fine(clean).std()  # texture by chance, not the one that was there
    assert np.abs(healed - spoilt)[np.hypot(x - 150, y - 110) > 12].max() < 0.0025  # a step of 8 bits
    light = cv2.GaussianBlur(healed[..., 0], (0, 0), 8) - cv2.GaussianBlur(clean[..., 0], (0, 0), 8)
    assert np.abs(light[hole]).max() < 0.05


@pytest.mark.slow
def test_a_scratch_is_healed_along_a_stroke_whatever_the_tiles():
    clean = textured()
    spoilt = clean.copy()
    cv2.line(spoilt, (80, 60), (220, 130), (1.0, 1.0, 1.0), 3)
    source = source_of(spoilt)
    settings, _ = HEAL.settings(drawn(source, [(76.0, 58.0), (150.0, 95.0), (224.0, 132.0)], size=4.0))
    assert len(spots_from(settings["spots"])) > 15
    whole = result(source, settings["spots"], 256)
    np.testing.assert_allclose(result(source, settings["spots"], 32), whole, atol=1e-5)
    line = np.zeros((240, 320), np.uint8)
    cv2.line(line, (80, 60), (220, 130), 1, 3)
    healed = encoded(whole)
    assert np.abs(fine(healed)[line > 0]).max() < 0.4
    assert error(healed, clean, line > 0) < 0.5 * error(spoilt, clean, line > 0)


def test_healing_follows_the_crop_and_is_undone_by_being_off():
    source = source_of(textured())
    spots = HEAL.settings(drawn(source, [(150.0, 110.0)]))[0]["spots"]
    whole = result(source, spots)
    np.testing.assert_allclose(result(source, spots, crop_left=25.0), whole[:, 80:], atol=1e-6)
    np.testing.assert_array_equal(result(source, spots, heal_on=False), result(source, ""))
    assert np.abs(whole - result(source, "")).max() > 0.01


def test_what_cannot_be_healed_is_said():
    source = source_of(textured())
    with pytest.raises(ToolError, match="edge"):
        HEAL.settings(drawn(source, [(1.0, 1.0)]))
    for text in ("1 2", "0.5 0.5 0 0 0", "a b c d e", "; ".join(["0.5 0.5 0.01 0.1 0"] * 2001)):
        with pytest.raises(ValueError):
            spots_from(text)
    far = "0.5 0.5 0.01 1.9 1.9"  # a patch beyond the picture
    np.testing.assert_allclose(result(source, far), result(source, ""), atol=1e-6)
