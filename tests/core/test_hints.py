"""Colour by hints: strokes of chosen colours spread over a grey picture, against the colours that were there."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from crispgrain.core.colour import icc
from crispgrain.core.colour.difference import ciede2000, lab
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, luminance, srgb_decode, srgb_encode
from crispgrain.core.errors import TreatmentError
from crispgrain.core.files import PictureSource
from crispgrain.core.files.palette import palette_of
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Drawn, Stage
from crispgrain.core.operation import Operation
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.develop.hint_strokes import STROKE, Hint, as_text, hints_from
from crispgrain.core.stages.develop.hints import MODEL
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect
from tests.conftest import photograph

READING = Reading(Noise.even(1))


def grey_of(pixels) -> PictureSource:
    """A picture (encoded sRGB) without its colours."""
    luma = srgb_encode(luminance(apply_matrix(srgb_decode(pixels), SRGB_TO_WORKING)))
    stored = (255 * luma.clip(0, 1) + 0.5).astype(np.uint8)[..., None].repeat(3, -1)
    return PictureSource(Path("grey.png"), stored, icc.profile("srgb"), grey=True)


def coloured(source, hints, strength=100.0, **values):
    given = {"hints": as_text(hints), "strength": strength, **values}
    operation = Operation(MODEL.id, Stage.DEVELOP, on=True, model=MODEL.id, values=given)
    treatment = Treatment().only([]).put(operation)
    return Pipeline(source, READING, resolve(treatment, source, READING))


def test_colours_of_a_few_strokes_come_near_to_those_that_were_there():
    picture = photograph("coffee")
    truth = apply_matrix(srgb_decode(picture), SRGB_TO_WORKING)
    rng = np.random.default_rng(5)
    places = rng.uniform(0.04, 0.96, (30, 2))
    at = (places * 256).astype(int)
    hints = [
        Hint(tuple(picture[y - 2 : y + 3, x - 2 : x + 3].mean((0, 1)).tolist()), 0.008, ((p[0], p[1]),))
        for (x, y), p in zip(at, places.tolist(), strict=True)
    ]
    source = grey_of(picture)
    whole = source.size.rect
    plain, painted = (coloured(source, h).region(whole) for h in ([], hints))
    assert np.ptp(plain, axis=-1).max() == 0
    apart = [float(ciede2000(lab(p), lab(truth)).mean()) for p in (plain, painted)]
    assert apart[1] < 0.5 * apart[0]
    lightness = [lab(p)[..., 0] for p in (plain, painted)]
    assert np.abs(lightness[0] - lightness[1]).mean() < 2.5  # light is the picture's own


def test_a_colour_ends_at_an_edge_and_shade_keeps_it():
    pixels = np.full((120, 160, 3), 0.35, np.float32)
    pixels[:, 80:] = 0.7
    pixels[60:, :80] = 0.25  # in the shade
    red, blue = Hint((0.6, 0.3, 0.3), 0.02, ((0.2, 0.2), (0.3, 0.2))), Hint((0.3, 0.4, 0.6), 0.02, ((0.8, 0.5),))
    below = Hint((0.6, 0.3, 0.3), 0.02, ((0.2, 0.8),))
    source = grey_of(pixels)
    out = coloured(source, [red, blue, below]).region(source.size.rect)
    left, right = out[20, 74], out[20, 86]
    assert left[0] > 1.3 * left[2] and right[2] > 1.3 * right[0]
    ratios = [out[y, 40] / out[y, 40].sum() for y in (20, 100)]
    np.testing.assert_allclose(ratios[0], ratios[1], atol=0.01)
    part = Rect(30, 60, 50, 40)
    np.testing.assert_allclose(coloured(source, [red, blue, below]).region(part), out[part.slices], atol=1e-4)
    weak = coloured(source, [red, blue, below], strength=0.0).region(source.size.rect)
    assert np.ptp(weak, axis=-1).max() < 1e-3


def test_strokes_are_kept_as_text_and_drawn_by_the_tool():
    hints = [Hint((0.2, 0.4, 0.6), 0.01, ((0.1, 0.2), (0.3, 0.4)))]
    assert hints_from(as_text(hints)) == hints
    source = grey_of(np.full((100, 200, 3), 0.5, np.float32))
    values = {"hints": as_text(hints), "paint": "#804020", "size": 4.0}
    added = hints_from(str(STROKE.settings(Drawn(((20.0, 50.0), (40.0, 50.0)), source, READING, values))["hints"]))
    assert len(added) == 2 and added[1].points == ((0.1, 0.5), (0.2, 0.5)) and added[1].radius == pytest.approx(0.02)


@pytest.mark.parametrize("text", ["#12 0.1 0 0", "#112233 0.1 0", "#112233 0 0 0", "red 1 1 1", "#112233 0.1 3 3"])
def test_what_is_no_stroke_of_colour_is_refused(text):
    operation = Operation(MODEL.id, Stage.DEVELOP, model=MODEL.id)
    with pytest.raises(TreatmentError):
        Treatment().put(operation).set(f"{MODEL.id}.hints", text)


def test_the_palette_of_a_picture_is_what_it_is_made_of(tmp_path):
    pixels = np.full((90, 120, 3), (200, 60, 40), np.uint8)
    pixels[:30] = (30, 90, 160)
    Image.fromarray(pixels).save(tmp_path / "two.png")
    first, second = (np.array([int(c[n : n + 2], 16) for n in (1, 3, 5)]) for c in palette_of(tmp_path / "two.png", 2))
    np.testing.assert_allclose(first, (200, 60, 40), atol=2)
    np.testing.assert_allclose(second, (30, 90, 160), atol=2)
