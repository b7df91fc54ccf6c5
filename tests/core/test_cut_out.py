"""A cut-out: opacity from a mask, in files that have it, without the old background's colour."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from crispgrain.core.errors import ShotError
from crispgrain.core.files import read_shot
from crispgrain.core.masks import Oval, Picture, picture
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.operation import Operation
from crispgrain.core.registry import CUT_OUT
from crispgrain.core.render.opacity import unmixed
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import Result
from crispgrain.core.render.whole import export
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from tests.core.test_mask_shapes import overlap, scene
from tests.test_cli import main

EDGE, GOLD, GREEN = 128, np.array([210, 160, 40], np.float32), np.array([20, 120, 60], np.float32)


def share():
    y, x = np.mgrid[:EDGE, :EDGE] + 0.5
    return np.clip((40 - np.hypot(x - 64, y - 64)) / 8 + 0.5, 0, 1)[..., None]


@pytest.fixture
def shot(tmp_path) -> Path:
    """A golden disc with a soft rim before green, mixed as encoded values are, and its opacity as a grey picture."""
    Image.fromarray(np.rint(GOLD * share() + GREEN * (1 - share())).astype(np.uint8)).save(tmp_path / "disc.png")
    Image.fromarray(np.rint(share()[..., 0] * 255).astype(np.uint8)).save(tmp_path / "mask.png")
    return tmp_path / "disc.png"


def cut(mask, **settings):
    treatment = Treatment().only([]).put(Operation(CUT_OUT.id, CUT_OUT.stage, True, CUT_OUT.id, settings, mask))
    return Treatment.from_json(treatment.set("print.format", "png").as_json())


def chain(path, treatment):
    source, reading = read_shot(path), Reading(Noise.even(0.5))
    return Pipeline(source, reading, resolve(treatment, source, reading))


def test_the_rim_has_the_subjects_own_colour(shot, tmp_path):
    mask = picture.from_file(tmp_path / "mask.png")
    assert isinstance(mask, Picture)
    results = {}
    for fringe in ("on", "off"):
        written = export(chain(shot, cut(mask, fringe=fringe)), tmp_path / "out")
        results[fringe] = np.asarray(Image.open(written)).astype(np.float32)
    rim = (share()[..., 0] > 0.2) & (share()[..., 0] < 0.8)
    off = {k: np.abs(v[..., :3] - GOLD)[rim].mean() for k, v in results.items()}
    assert off["off"] > 25
    assert off["on"] < 0.4 * off["off"]
    np.testing.assert_allclose(results["on"][..., 3] / 255, share()[..., 0], atol=0.01)
    assert np.abs(results["on"][64, 64, :3] - GOLD).max() <= 1


@pytest.mark.parametrize(("behind", "value"), [("white", 255), ("black", 0)])
def test_a_plain_background_makes_it_opaque(shot, tmp_path, behind, value):
    written = export(chain(shot, cut(Oval((0.2, 0.2), (0.8, 0.8)), behind=behind)), tmp_path / "out")
    result = np.asarray(Image.open(written))
    assert result.shape[2] == 3
    assert np.abs(result[2, 2].astype(int) - value).max() <= 1


def test_it_is_seen_on_the_easel_and_cropped_with_the_picture(shot):
    pipeline = chain(shot, cut(Oval((0.2, 0.2), (0.8, 0.8), 0.01)).set("crop.left", 50.0))
    shown = Result(pipeline).display(0, 0)
    assert np.abs(shown[64, 0].astype(int) - GOLD).max() <= 1
    assert len(set(shown[2, -2].tolist())) == 1  # the grey of the easel


def test_without_a_mask_or_switched_off_nothing_is_cut(shot, tmp_path):
    for treatment in (cut(None), cut(Oval((0.2, 0.2), (0.8, 0.8))).set("cut-out.on", False)):
        assert np.asarray(Image.open(export(chain(shot, treatment), tmp_path / "out"))).shape[2] == 3
    assert "add a mask" in " ".join(chain(shot, cut(None)).resolved.remarks)


@pytest.mark.slow
def test_a_subject_is_cut_out_from_the_command_line(tmp_path):
    pixels, truth = scene()
    Image.fromarray(pixels).save(tmp_path / "scene.png")
    out = tmp_path / "out"
    call = ["run", str(tmp_path / "scene.png"), "--out", str(out), "--format", "png", "--only", "finish"]
    assert main([*call, "--cut-out", "subject"]) == 0
    (written,) = out.iterdir()
    alpha = np.asarray(Image.open(written))[..., 3] / 255
    assert overlap(alpha, truth) > 0.9


def test_colours_stay_where_nothing_is_within_or_all_is():
    pixels = np.random.default_rng(1).random((20, 20, 3), np.float32)
    for value in (0.0, 0.5, 1.0):
        np.testing.assert_array_equal(unmixed(pixels, np.full((20, 20), value, np.float32)), pixels)


@pytest.mark.slow
def test_another_picture_stands_behind_in_the_shots_light_and_with_its_grain(shot, tmp_path):
    rng = np.random.default_rng(7)
    noisy = np.asarray(Image.open(shot)).astype(float) + rng.normal(0, 6, (EDGE, EDGE, 1))
    Image.fromarray(np.clip(noisy, 0, 255).astype(np.uint8)).save(shot)
    y, x = np.mgrid[:300, :500]
    ramp = np.stack([120 + x / 8, 100 + y / 8, 200 - x / 8], axis=2)
    Image.fromarray(ramp.astype(np.uint8)).save(tmp_path / "wall.png")
    mask = picture.from_file(tmp_path / "mask.png")
    results = {}
    for match in (0.0, 100.0):
        treatment = cut(mask, behind="picture", picture=str(tmp_path / "wall.png"), match=match)
        written = np.asarray(Image.open(export(chain(shot, treatment), tmp_path / "out"))).astype(float)
        assert written.shape == (EDGE, EDGE, 3)
        results[match] = written
        tile = Pipeline(*(getattr(chain(shot, treatment), n) for n in ("source", "reading", "resolved")), tile=64)
        whole = Result(chain(shot, treatment)).display(0, 0)
        np.testing.assert_array_equal(Result(tile).display(1, 1), whole[64:, 64:])
    behind = share()[..., 0] == 0
    # As it is: the middle square of the ramp, reduced to the frame.
    plain = np.asarray(
        Image.fromarray(ramp.astype(np.uint8)[:, 100:400]).resize((EDGE, EDGE), Image.Resampling.LANCZOS)
    )
    assert np.abs(results[0.0] - plain)[behind].max() <= 2
    like = results[100.0][behind]
    assert np.abs(like.mean(0) - GREEN).max() < 12 < np.abs(plain[behind].mean(0) - GREEN).max()

    def grain(pixels):
        return np.diff(pixels[:20, :, 1].astype(float), axis=1).std()

    assert grain(results[0.0]) < 1.5 and 0.5 < grain(results[100.0]) / grain(noisy) < 1.5


def test_a_picture_behind_that_is_gone_is_named(shot, tmp_path):
    mask = picture.from_file(tmp_path / "mask.png")
    treatment = cut(mask, behind="picture", picture=str(tmp_path / "gone.png"))
    with pytest.raises(ShotError, match=r"gone\.png"):
        export(chain(shot, treatment), tmp_path / "out")
    assert not list(tmp_path.glob("out/*"))
