"""The network that restores small pictures while it enlarges them, and when it is proposed."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from skimage import data

from crispgrain.core.colour import icc
from crispgrain.core.describe import reading_words, stage_summary
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import Blur, Compression, Extent, Noise, Reading, measure
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect
from tests.conftest import encoded, psnr, save_noisy_jpeg

ENLARGED = Treatment().set("enlarge.on", True).set("enlarge.factor", 4)
WORN = Reading(
    Noise.even(6), Blur("soft lens", 1.0, 1.0), Extent(160, 120), Compression(60.0, (0, 0), "table", 1.0)
)  # fmt: skip


def worn(name: str, path) -> tuple[PictureSource, np.ndarray]:
    """A photograph shipped with scikit-image: reduced to a quarter, soft, noisy, compressed; and the truth."""
    picture = getattr(data, name)()
    truth = picture[: picture.shape[0] // 32 * 32, : picture.shape[1] // 32 * 32] / 255
    small = cv2.GaussianBlur(cv2.resize(truth, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA), (0, 0), 0.6)
    save_noisy_jpeg(path / "small.jpg", np.round(255 * small), sigma=4, quality=70)
    return read_shot(path / "small.jpg"), truth


def small_source(tmp_path) -> PictureSource:
    return PictureSource(tmp_path / "small.jpg", np.full((120, 160, 3), 120, np.uint8), icc.profile("srgb"))


def test_small_worn_pictures_are_proposed_it_and_it_does_the_work_of_two_stages(tmp_path):
    source = small_source(tmp_path)
    resolved = resolve(ENLARGED, source, WORN)
    assert resolved[Stage.ENLARGE].model.id == "restore-net"
    for stage in (Stage.DENOISE, Stage.SHARPEN):
        assert not resolved[stage].on
        assert resolved[stage].done_in is Stage.ENLARGE
    assert [s.stage for s in Pipeline(source, WORN, resolved).steps] == [Stage.DEVELOP, Stage.ENLARGE]
    assert stage_summary(Stage.DENOISE, Pipeline(source, WORN, resolved)) == "done in Enlarge"


def test_who_wants_to_denoise_all_the_same_can(tmp_path):
    resolved = resolve(ENLARGED.set("denoise.on", True), small_source(tmp_path), WORN)
    assert resolved[Stage.DENOISE].on
    assert not resolved[Stage.SHARPEN].on


def test_without_enlarging_the_stages_work_as_ever(tmp_path):
    resolved = resolve(Treatment(), small_source(tmp_path), WORN)
    assert resolved[Stage.DENOISE].on
    assert resolved[Stage.DENOISE].done_in is None


@pytest.mark.parametrize(
    "reading",
    [
        replace(WORN, size=Extent(6000, 4000)),
        replace(WORN, noise=Noise.even(0.4), blur=Blur(softness=0.3), jpeg=Compression()),
        replace(WORN, raw=True),
    ],
    ids=["large", "clean", "raw"],
)
def test_others_are_proposed_the_detail_net(tmp_path, reading):
    assert resolve(ENLARGED, small_source(tmp_path), reading)[Stage.ENLARGE].model.id == "detail-net"


def test_with_a_factor_of_1_it_restores_without_enlarging(tmp_path):
    """Against the photograph reduced to the same size; Denoise and Sharpen, metered, are told to do without it."""
    gains = []
    for name in ("astronaut", "chelsea", "coffee"):
        source, truth = worn(name, tmp_path)
        reading, small = measure(source), cv2.resize(truth, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
        restored, stages = (
            psnr(encoded(p.region(p.size.rect)), small)
            for p in (
                Pipeline(source, reading, resolve(t, source, reading))
                for t in (ENLARGED.set("enlarge.factor", 1).set("enlarge.model", "restore-net"), Treatment())
            )
        )
        gains.append(restored - stages)
    assert min(gains) > 0
    assert np.mean(gains) > 0.5


def test_smaller_than_the_picture_there_is_nothing_to_restore_and_parts_are_those_of_the_whole(tmp_path):
    source, _ = worn("coffee", tmp_path)
    reading, restore = measure(source), ENLARGED.set("enlarge.model", "restore-net")
    half, plain, whole = (
        Pipeline(source, reading, resolve(t.set("denoise.on", False).set("sharpen.on", False), source, reading))
        for t in (
            restore.set("enlarge.factor", 0.5), restore.set("enlarge.model", "lanczos").set("enlarge.factor", 0.5),
            restore.set("enlarge.factor", 1),
        )
    )  # fmt: skip
    assert np.array_equal(half.region(half.size.rect), plain.region(plain.size.rect))
    part = Rect(17, 23, 40, 51)
    assert np.abs(whole.region(whole.size.rect)[part.slices] - whole.region(part)).max() < 1e-5


def test_what_would_do_more_is_said_in_denoise(tmp_path):
    source = small_source(tmp_path)
    said = [
        reading_words(Stage.DENOISE, Pipeline(source, WORN, resolve(t, source, WORN))) for t in (Treatment(), ENLARGED)
    ]
    assert [any("factor of 1" in line for line in lines) for lines in said] == [True, False]


def test_it_is_nearer_to_the_truth_than_three_stages_in_a_row_and_than_bicubic(tmp_path):
    """Photographs shipped with scikit-image, which no network was trained on: mean gains, and on none a loss."""
    over_bicubic, over_stages = [], []
    for name in ("astronaut", "chelsea", "coffee"):
        source, truth = worn(name, tmp_path)
        reading = measure(source)
        metered, stages = (
            psnr(encoded(p.region(p.size.rect)), truth)
            for p in (
                Pipeline(source, reading, resolve(t, source, reading))
                for t in (ENLARGED, ENLARGED.set("enlarge.model", "detail-net"))
            )
        )
        bicubic = cv2.resize(source.stored / 255, truth.shape[1::-1], interpolation=cv2.INTER_CUBIC)
        over_bicubic.append(metered - psnr(np.clip(bicubic, 0, 1), truth))
        over_stages.append(metered - stages)
    assert min(over_bicubic) > 0.1
    assert np.mean(over_bicubic) > 0.5
    assert np.mean(over_stages) > 0.1
