"""Drawings and letters: found, and cleaned. The text is rendered by Pillow from a font of ours; the truth is known."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageDraw, ImageFont

from crispgrain.core.colour import icc
from crispgrain.core.meter import measure
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.restoration.flat_colours import palette_of
from tests.conftest import photograph

FONT = next((Path(__file__).parents[2] / "crispgrain" / "fonts").glob("*.ttf"))
PAPER, BLUE, RED, BLACK = (245, 240, 225), (20, 60, 120), (200, 40, 30), (20, 20, 20)


def sign(scale: int = 4) -> np.ndarray:
    """A plate with letters, drawn large and averaged down."""
    plate = Image.new("RGB", (480 * scale, 320 * scale), PAPER)
    pen = ImageDraw.Draw(plate)
    pen.rectangle([30 * scale, 20 * scale, 220 * scale, 120 * scale], fill=BLUE)
    pen.ellipse([280 * scale, 20 * scale, 440 * scale, 180 * scale], fill=RED)
    for top, height, colour in ((140, 36, BLACK), (190, 24, BLUE), (225, 18, BLACK), (255, 14, RED)):
        pen.text((30 * scale, top * scale), "The Marlowe Orrery 1794", colour, ImageFont.truetype(FONT, height * scale))
    return np.asarray(plate.resize((480, 320), Image.Resampling.BOX))


def psnr(one: np.ndarray, other: np.ndarray) -> float:
    return float(-10 * np.log10(np.mean((one / 255.0 - other / 255.0) ** 2)))


@pytest.fixture(scope="module")
def truth() -> np.ndarray:
    return sign()


@pytest.fixture(scope="module", params=[85, 40])
def stained(request, truth, tmp_path_factory):
    path = tmp_path_factory.mktemp("sign") / "sign.jpg"
    Image.fromarray(truth).save(path, quality=request.param)
    return open_shot(path)


def result(shot, treatment: Treatment) -> np.ndarray:
    pipeline = shot.pipeline(treatment)
    return icc.from_working(pipeline.region(pipeline.size.rect), icc.profile("srgb"), 8).astype(float)


@pytest.mark.slow
def test_a_drawing_is_told_from_photographs(stained):
    assert stained.reading.drawn
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        out = io.BytesIO()
        Image.fromarray((255 * photograph(name)).astype(np.uint8)).save(out, "PNG")
        Path(stained.path.parent / f"{name}.png").write_bytes(out.getvalue())
        assert not open_shot(stained.path.parent / f"{name}.png").reading.drawn


def test_the_palette_has_the_colours_that_were_drawn_thin_strokes_too(truth):
    found = palette_of(truth)
    assert len(found) == 4
    for colour in (PAPER, BLUE, RED, BLACK):
        assert np.abs(found - colour).max(axis=1).min() < 12


def test_letters_come_out_cleaner_than_by_the_network_alone(stained, truth):
    plain = Treatment().only([])
    cleaned = plain.set("denoise.on", True).set("denoise.model", "photo-net")
    before, network = result(stained, plain), result(stained, cleaned)
    drawn = result(stained, cleaned.set("drawing.strength", 100.0))
    assert psnr(drawn, truth) > psnr(network, truth) + 0.5 > psnr(before, truth) + 0.5
    # No ringing: around the letters the paper is paper.
    paper = (truth == PAPER).all(axis=2)
    assert np.abs(drawn[paper] - PAPER).mean() < 0.6 * np.abs(before[paper] - PAPER).mean()


def test_what_is_no_drawing_inside_of_one_is_left_as_it_is(tmp_path, truth):
    """Something colourful pasted into a plate: no two colours explain it."""
    pasted = truth.copy()
    patch = np.random.default_rng(1).integers(0, 255, (100, 100, 3)).astype(np.uint8)
    pasted[200:300, 350:450] = patch
    path = tmp_path / "a.png"
    Image.fromarray(pasted).save(path)
    drawn = result(open_shot(path), Treatment().only([]).set("drawing.strength", 100.0))
    assert np.abs(drawn - pasted)[208:292, 358:442].mean() < 12 < np.std(patch)


@pytest.mark.slow
def test_the_remark_and_the_reading_say_so(stained):
    from crispgrain.core.meter import reading_from_json
    from crispgrain.core.meter.words import headline

    assert headline(stained.reading) == "drawing or letters"
    assert reading_from_json(stained.reading.as_json()) == stained.reading
    assert measure(stained.source).flat == stained.reading.flat
