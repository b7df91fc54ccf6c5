"""Prints: sizes of paper, the pixels they need, and what becomes of each shot.

Sides of the A series: ISO 216:2007. Pixels for inch sizes at 300 ppi: common practice, no source.
"""

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from crispgrain.core.colour import icc
from crispgrain.core.describe import facts_of, remark_words
from crispgrain.core.errors import TreatmentError
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.registry import ABOUT
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.whole import export, render_whole, settings_of
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import Shot
from crispgrain.core.stages.print.paper import ISO_216, length_from, settings_from
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Size


def shot(height: int, width: int) -> Shot:
    stored = np.zeros((height, width, 3), np.uint8)
    source = PictureSource(Path("x.png"), stored, icc.profile("srgb"))
    return Shot(source, Reading(Noise.even(1), size=source.size))


def printed(words: str, size: tuple[int, int], **settings) -> Pipeline:
    treatment = Treatment().set("denoise.on", False).set("sharpen.on", False).set("enlarge.model", "lanczos")
    for name, value in (settings_from(words) | settings).items():
        treatment = treatment.set(name if "." in name else f"print.{name}", value)
    return shot(*size).pipeline(treatment)


@pytest.mark.parametrize(
    ("paper", "pixels"),
    [
        ("8x10in", (2400, 3000)), ("11 x 14 in", (3300, 4200)), ("a4", (2480, 3508)), ("A3", (3508, 4961)),
        ("30x40cm", (3543, 4724)), ("40×60 cm", (4724, 7087)), ("250x380mm", (2953, 4488)),
    ],
)  # fmt: skip
def test_a_paper_needs_so_many_pixels_lying_or_upright(paper, pixels):
    short, long = pixels
    assert printed(paper, (800, 1200)).size == Size(short, long)
    assert printed(paper, (1200, 800)).size == Size(long, short)


def test_the_a_series_halves_its_long_side():
    """ISO 216, clause 3: each size is the one before cut in two, rounded down to whole mm."""
    sheets = list(ISO_216.values())
    for (width, height), (larger_width, larger_height) in pairwise(sheets):
        assert (height, width) == (larger_width, larger_height // 2)


def test_a_picture_that_fills_is_cut_and_nothing_is_stretched():
    pipeline = printed("8x10in", (1000, 1500))
    (across, _, _), (_, along, _), _ = pipeline.steps[-1].after.to_source.rows
    assert across == pytest.approx(along, rel=1e-3)
    x, y = pipeline.steps[-1].after.to_source(np.array([0, 3000]), np.array([0, 2400]))
    assert (y[0], y[1]) == (0, 1000) and x[0] == pytest.approx(1500 - x[1]) == pytest.approx(125, abs=0.5)


def test_the_crop_drawn_by_hand_is_cut_further_about_its_middle():
    pipeline = printed("30x30cm", (1000, 1500), **{"crop.left": 50.0})
    x, y = pipeline.steps[-1].after.to_source(np.array([0, 3543]), np.array([0, 3543]))
    assert (x.mean(), y.mean()) == pytest.approx((1125, 500), abs=0.5)
    assert x[1] - x[0] == pytest.approx(750, abs=0.5)


def test_a_ratio_of_the_crop_that_the_paper_overrules_is_said():
    base = Treatment().only([]).set("print.paper", "40x60cm")
    one = shot(600, 900)

    def remarks(treatment):
        return [r for r in resolve(treatment, one.source, one.reading).remarks if "ratio of its own" in r]

    assert remarks(base.set("crop.ratio", "4:5")) and not remarks(base.set("crop.left", 10.0))
    assert not remarks(base.set("crop.ratio", "4:5").set("print.fit", "fit"))


@pytest.mark.slow
def test_bleed_makes_the_file_larger_and_a_border_the_picture_smaller():
    assert printed("30x40cm", (900, 1200), bleed=3.0).size == Size(3614, 4795)  # 306 x 406 mm
    pipeline = printed("30x40cm", (900, 1200), border=20.0)
    assert pipeline.size == Size(3071, 4252)  # 260 x 360 mm
    result = render_whole(pipeline, settings_of(pipeline))
    assert result.shape == (3543, 4724, 3)
    white = (result == 65535).all(axis=2)
    assert white[:236].all() and white[-236:].all() and white[:, :236].all() and white[:, -236:].all()
    assert not white[236:-236, 236:-236].any()
    with pytest.raises(TreatmentError, match="leaves nothing of the paper"):
        printed("10x15cm", (900, 1200), border=50.0)


def test_what_fits_in_whole_keeps_its_shape_and_gets_white_around():
    pipeline = printed("8x10in", (1000, 2000), fit="fit")
    assert pipeline.size == Size(1500, 3000)
    result = render_whole(pipeline, settings_of(pipeline))
    assert result.shape == (2400, 3000, 3)
    assert (result[:450] == 65535).all() and (result[-450:] == 65535).all() and (result[450:-450] == 0).all()


def test_without_enlarging_all_pixels_stay_and_the_resolution_follows():
    # 3000 x 2000 px: an 8 x 10 in print has 250 ppi, an 11 x 14 in print 182 (common practice, no source).
    for paper, ppi in (("8x10in", 250), ("11x14in", 182)):
        pipeline = printed(paper, (2000, 3000), **{"enlarge.on": False})
        assert pipeline.size.height == 2000
        assert settings_of(pipeline).ppi == pytest.approx(ppi, abs=0.5)
        enlarged = facts_of(printed(paper, (2000, 3000)))
        assert enlarged.ppi / enlarged.factor == pytest.approx(ppi, abs=0.5)


def test_it_is_said_what_the_cropped_source_carries():
    small = printed("30x40cm", (1000, 1500), **{"crop.left": 70.0})
    assert any("crop is under 500 pixels" in words for words in remark_words(Stage.ENLARGE, small))
    smeared = printed("60x90cm", (427, 640))
    assert any("×17: will look smeared" in words for words in remark_words(Stage.ENLARGE, smeared))
    guessed = printed("40x60cm", (533, 800))
    assert any("×8.9" in words for words in remark_words(Stage.ENLARGE, guessed))
    fine = printed("30x40cm", (3000, 4000))
    assert remark_words(Stage.ENLARGE, fine) == []
    words = ABOUT[Stage.PRINT].reading(facts_of(fine))
    assert "254 ppi without enlarging" in words and "for 30 × 40 cm" in words
    assert "a good print goes up to 203.2 × 152.4 cm" in words
    inches = ABOUT[Stage.PRINT].reading(facts_of(printed("8x10in", (3000, 4000))))
    assert "a good print goes up to 75.0 × 60.0 in" in inches


@pytest.mark.parametrize("words", ["", "a9", "40x60", "0x10cm", "8x10ft", "-8x10in", "axbcm"])
def test_no_paper(words):
    with pytest.raises(TreatmentError, match="a paper is one of"):
        settings_from(words)


def test_lengths():
    assert [length_from(w) for w in ("3mm", "0.5 cm", "0.125in", "7")] == pytest.approx([3, 5, 3.175, 7])
    with pytest.raises(TreatmentError):
        length_from("wide")


@pytest.mark.slow
def test_the_file_has_the_papers_pixels_and_resolution(raw_file, tmp_path):
    """Read back by another library."""
    source = read_shot(raw_file)
    reading = Reading(Noise.even(1), size=source.size)
    treatment = Treatment().set("denoise.on", False).set("sharpen.on", False).set("enlarge.model", "lanczos")
    treatment = treatment.set("print.paper", "10x15cm").set("print.format", "jpeg")
    path = export(Pipeline(source, reading, resolve(treatment, source, reading)), tmp_path)
    with Image.open(path) as picture:
        assert sorted(picture.size) == [1181, 1772]
        assert picture.info["dpi"] == (300, 300)
