"""A print on a scanner's bed: straightened and cut to its edges."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from crispgrain import presets
from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Drawn, ToolError
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.develop.crop import MODEL
from crispgrain.core.stages.develop.crop_tools import CROP, PRINT_EDGE
from crispgrain.core.treatment import Treatment
from tests.conftest import photograph

READING = Reading(Noise.even(1))
BED = 240


def scan(slant, bed=BED, noise=2.0) -> np.ndarray:
    """A photograph with white borders of its own, leaning on a bed that is darker to one side, with dust."""
    print_ = np.full((560, 760, 3), 215, np.uint8)
    print_[20:-20, 20:-20] = cv2.resize((photograph("coffee") * 255).astype(np.uint8), (720, 520))
    turn = cv2.getRotationMatrix2D((380, 280), -slant, 1.0)
    turn[:, 2] += (120, 110)
    on_bed = np.full((800, 1000, 3), bed, np.uint8)
    where = cv2.warpAffine(np.ones(print_.shape[:2], np.float32), turn, (1000, 800), flags=cv2.INTER_AREA)[..., None]
    moved = cv2.warpAffine(print_, turn, (1000, 800), flags=cv2.INTER_LINEAR)
    rng = np.random.default_rng(2)
    shaded = on_bed * np.linspace(1, 0.98, 1000)[None, :, None]
    out = shaded * (1 - where) + moved * where + rng.normal(0, noise, on_bed.shape)
    for y, x in rng.integers(20, 780, (30, 2)):
        out[y, x] = 60
    return np.clip(out + 0.5, 0, 255).astype(np.uint8)


def found(pixels):
    source = PictureSource(Path("scan.png"), pixels, icc.profile("srgb"))
    values = {p.id: p.default for p in MODEL.parameters}
    settings, said = PRINT_EDGE.settings(Drawn((), source, READING, values))
    treatment = Treatment().only([])
    for name, value in settings.items():
        treatment = treatment.set(f"crop.{name}", value)
    pipeline = Pipeline(source, READING, resolve(treatment, source, READING))
    return settings, said, icc.from_working(pipeline.region(pipeline.size.rect), icc.profile("srgb"), 8)


@pytest.mark.slow
@pytest.mark.parametrize("slant", [-7.3, -1.2, 0.0, 3.4, 12.0])
@pytest.mark.parametrize("bed", [BED, 12], ids=("lid", "dark"))
def test_a_print_is_straightened_and_cut_to_its_edges(slant, bed):
    settings, said, out = found(scan(slant, bed))
    assert settings["angle"] == pytest.approx(-slant, abs=0.15) and f"{slant:+.1f}"[:3] in said
    assert out.shape[0] == pytest.approx(560, abs=11) and out.shape[1] == pytest.approx(760, abs=11)
    # What is left at the rim is the print's own border, not the bed.
    rim = np.concatenate([out[:2].reshape(-1, 3), out[-2:].reshape(-1, 3), out[:, :2].reshape(-1, 3)])
    assert np.abs(rim.astype(int) - 215).mean() < 5


@pytest.mark.parametrize(
    "pixels", [np.full((300, 400, 3), 128, np.uint8), (photograph("coffee") * 255).astype(np.uint8)]
)
def test_where_no_print_stands_out_that_is_said(pixels):
    with pytest.raises(ToolError, match="stands out"):
        found(pixels)


def test_a_preset_cuts_each_scan_to_its_own_print(tmp_path):
    """The one shipped for old prints; drawing a crop by hand ends that."""
    preset = presets.load("Old print")
    source = PictureSource(Path("scan.png"), scan(3.4), icc.profile("srgb"))
    crop = resolve(preset, source, READING).find("crop")
    assert crop.values["angle"] == pytest.approx(-3.4, abs=0.15) and "leaned by +3.4" in crop.remarks[0]
    pipeline = Pipeline(source, READING, resolve(preset, source, READING))
    assert pipeline.size.width == pytest.approx(760, abs=11) and pipeline.size.height == pytest.approx(560, abs=11)
    plain = PictureSource(Path("a.png"), np.full((300, 400, 3), 128, np.uint8), icc.profile("srgb"))
    crop = resolve(preset, plain, READING).find("crop")
    assert "stands out" in crop.remarks[0]
    assert Pipeline(plain, READING, resolve(preset, plain, READING)).size == plain.size
    drawn = Drawn(((10.0, 10.0), (90.0, 10.0), (90.0, 90.0), (10.0, 90.0)), plain, READING, crop.values)
    assert CROP.settings(drawn)["edge"] == "hand"
