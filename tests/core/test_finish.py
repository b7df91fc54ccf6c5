"""Finish: what the eye gets from a distance, tone, colour and grain, each against its definition."""

import math

import numpy as np
import pytest
from scipy.ndimage import maximum_filter, minimum_filter
from skimage import data as photographs

from crispgrain.core.colour import icc, oklab
from crispgrain.core.colour.difference import lab
from crispgrain.core.colour.spaces import WORKING, luminance, srgb_encode, to_xyz
from crispgrain.core.errors import TreatmentError
from crispgrain.core.files.source import PictureSource
from crispgrain.core.meter import measure
from crispgrain.core.model import Context, Stage
from crispgrain.core.render.whole import render_whole, settings_of
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import Shot
from crispgrain.core.stages.finish.finish import MODEL
from crispgrain.core.stages.finish.viewing import SPREAD, mask
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect
from crispgrain.restoration import grain
from crispgrain.restoration.artefacts import false_texture
from crispgrain.restoration.output_sharpening import contrast_sensitivity, mask_for


@pytest.fixture(scope="module")
def picture_shot(tmp_path_factory):
    stored = np.ascontiguousarray(photographs.astronaut()[60:252, 60:252])
    source = PictureSource(tmp_path_factory.mktemp("finish") / "x.png", stored, icc.profile("srgb"))
    return Shot(source, measure(source))


QUIET = {p.id: p.default for p in MODEL.parameters} | {"amount": 0.0}


def picture(crop=np.s_[60:252, 60:252]):
    stored = np.ascontiguousarray(photographs.astronaut()[crop])
    return icc.to_working(stored, icc.profile("srgb"))


def finished(shot, **settings):
    treatment = Treatment().only([]).set("finish.on", True).set("finish.amount", 0.0)
    for name, value in settings.items():
        treatment = treatment.set(f"finish.{name.replace('_', '-')}", value)
    return shot.pipeline(treatment)


def test_contrast_sensitivity_has_the_published_peak() -> None:
    """Mannos and Sakrison 1974: the curve peaks near 8 cycles a degree, at about 1."""
    frequencies = np.linspace(0.5, 40, 800)
    curve = [contrast_sensitivity(f) for f in frequencies]
    assert frequencies[int(np.argmax(curve))] == pytest.approx(7.9, abs=0.3)
    assert max(curve) == pytest.approx(0.98, abs=0.01)


def test_what_reaches_the_eye_at_fifteen_cycles_a_degree_is_as_strong_as_the_coarse() -> None:
    """The unsharp mask, the paper's spread and the eye's sensitivity, multiplied by their own formulas, make 1."""
    for distance, spread in ((300, 0.025), (400, 0.05), (1500, 0.1)):
        radius, amount = mask_for(distance, 300, spread)
        cycles = 15 / (distance * math.tan(math.radians(1)))
        raised = 1 + amount * (1 - math.exp(-2 * (math.pi * radius * 25.4 / 300 * cycles) ** 2))
        paper = math.exp(-2 * (math.pi * spread * cycles) ** 2)
        assert raised * paper * contrast_sensitivity(15) == pytest.approx(1, abs=0.01)


def test_farther_wants_wider_and_softer_paper_wants_more() -> None:
    at = {(m, d): mask({**QUIET, "medium": m, "distance": d}, 300) for m in SPREAD for d in (30, 100)}
    assert at["gloss", 100][0] > 3 * at["gloss", 30][0]
    assert at["canvas", 30][1] > at["matt", 30][1] > at["gloss", 30][1] > at["screen", 30][1] > 0
    assert at["none", 30][1] == 0


def test_a_print_is_seen_from_its_diagonal_and_at_its_resolution(picture_shot) -> None:
    source, reading = picture_shot.source, picture_shot.reading
    treatment = Treatment().set("finish.on", True).set("print.paper", "40x60cm").set("print.ppi", 240.0)
    values = resolve(treatment, source, reading).stages["finish"].values
    assert float(values["distance"]) == pytest.approx(math.hypot(40, 60))
    assert values["ppi"] == 240
    own = resolve(treatment.set("finish.distance", 300.0), source, reading).stages["finish"].values
    assert own["distance"] == 300


def test_sharpening_leaves_the_local_range_by_less_than_the_limit_and_keeps_colours(picture_shot) -> None:
    plain, sharp = (
        p.region(p.size.rect) for p in (finished(picture_shot), finished(picture_shot, medium="matt", crispness=150.0))
    )
    old, new = (srgb_encode(luminance(p)) for p in (plain, sharp))
    assert np.abs(new - old).std() > 0.005

    reach = 2 * math.ceil(2 * mask({**QUIET, "medium": "matt"}, 300)[0]) + 1
    assert (new <= maximum_filter(old, reach) + 0.021).all()
    assert (new >= minimum_filter(old, reach) - 0.021).all()
    lit = (luminance(plain) > 0.02) & (plain > 1e-3).all(axis=-1)
    ratios = (
        sharp / np.maximum(luminance(sharp), 1e-6)[..., None] - plain / np.maximum(luminance(plain), 1e-6)[..., None]
    )[lit]
    assert np.abs(ratios).max() < 0.05  # but for the floor that keeps gains finite in the dark


@pytest.mark.parametrize(
    "settings", [{"contrast": 50.0}, {"brightness": 40.0}, {"contrast": -40.0, "brightness": -40.0}]
)
def test_tone_keeps_black_white_and_order(settings) -> None:
    ramp = np.repeat(np.linspace(0, 1, 257, dtype=np.float32)[None, :, None], 3, axis=2)
    out = MODEL.run(ramp, QUIET | settings, None)
    assert out[0, 0] == pytest.approx(0, abs=1e-3)
    assert out[0, -1] == pytest.approx(1, abs=1e-3)
    assert (np.diff(luminance(out)[0]) > -1e-6).all()
    assert np.abs(out - ramp).max() > 0.03


def test_tone_and_sharpening_turn_no_hue() -> None:
    """Hue differences of CIELAB (CIE 15:2018, in units of CIEDE2000's plain ones) on 24 strong colours."""
    rng = np.random.default_rng(3)
    chart = np.repeat(np.repeat(rng.uniform(0.05, 0.8, (4, 6, 3)), 8, 0), 8, 1).astype(np.float32)
    chart = icc.to_working((chart * 255).astype(np.uint8), icc.profile("srgb"))
    out = MODEL.run(chart, QUIET | {"contrast": 30.0, "medium": "matt"}, None)
    before, after = (lab(p)[4::8, 4::8].reshape(-1, 3) for p in (chart, out))
    chroma = np.hypot(before[:, 1], before[:, 2]), np.hypot(after[:, 1], after[:, 2])
    turned = np.hypot(*(after - before)[:, 1:].T) ** 2 - (chroma[1] - chroma[0]) ** 2
    weight = 1 + 0.015 * np.sqrt(chroma[0] * chroma[1])
    assert np.sqrt(np.maximum(turned, 0) / weight**2).max() < 0.5


def test_oklab_has_the_published_values() -> None:
    """The table in B. Ottosson 2020, given to three decimals; and back."""
    xyz = np.array([[0.950, 1.000, 1.089], [1, 0, 0], [0, 1, 0], [0, 0, 1]])
    expected = [[1.000, 0.000, 0.000], [0.450, 1.236, -0.019], [0.922, -0.671, 0.263], [0.153, -1.415, -0.449]]
    working = (xyz @ np.linalg.inv(to_xyz(WORKING)).T)[None].astype(np.float32)
    assert oklab.from_working(working)[0] == pytest.approx(np.array(expected), abs=2e-3)
    assert oklab.to_working(oklab.from_working(working)) == pytest.approx(working, abs=1e-4)


def test_colour_can_be_taken_away_and_greys_stay_exactly() -> None:
    colours = picture()
    grey = np.repeat(colours[..., :1], 3, axis=2)
    assert np.array_equal(MODEL.run(grey, QUIET | {"saturation": 140.0}, None), grey)
    none = MODEL.run(colours, QUIET | {"saturation": 0.0}, None)
    assert (none[..., :1] == none).all()
    strong = MODEL.run(colours, QUIET | {"saturation": 120.0}, None)
    a, b = (oklab.from_working(p) for p in (colours, strong))
    assert np.hypot(b[..., 1], b[..., 2]).sum() == pytest.approx(1.2 * np.hypot(a[..., 1], a[..., 2]).sum(), rel=1e-3)


def test_grain_like_the_shots_own_has_its_spectrum(picture_shot) -> None:
    rng = np.random.default_rng(2)
    coarse = grain.field_like(np.linspace(2, 0, 16, dtype=np.float32))
    found = grain.spectrum(coarse)
    assert np.corrcoef(found[1:-1], np.linspace(2, 0, 16)[1:-1])[0, 1] > 0.97
    white = grain.spectrum(rng.standard_normal((512, 512)).astype(np.float32))
    assert white[2:] == pytest.approx(np.ones(14), abs=0.2)
    enlarged = grain.spectrum(grain.field_like(np.ones(16, np.float32), scale=2))
    assert enlarged[10:14].mean() < 0.2 * enlarged[2:6].mean()


def test_grain_of_a_kind_is_seen_in_the_result_and_not_in_white(picture_shot) -> None:
    plain, even, alike = (
        p.region(p.size.rect)
        for p in (
            finished(picture_shot), finished(picture_shot, amount=6.0),
            finished(picture_shot, amount=6.0, grain="shot"),
        )
    )  # fmt: skip
    middle = np.abs(srgb_encode(luminance(plain)) - 0.5) < 0.15
    for grained in (even, alike):
        added = srgb_encode(luminance(grained)) - srgb_encode(luminance(plain))
        assert added[middle].std() * 255 == pytest.approx(6, rel=0.15)
    assert not np.allclose(even, alike)
    white = np.ones((64, 64, 3), np.float32)
    context = finished(picture_shot).steps[-1]

    at = Context(picture_shot.reading, picture_shot.source, context.before, context.after, *2 * [Rect(0, 0, 64, 64)])
    assert MODEL.run(white, QUIET | {"amount": 20.0}, at) == pytest.approx(white, abs=1e-5)


def test_false_texture_is_told_from_none() -> None:
    """Planted worms on a plain sky against the sky as it is, and against a sharper picture of the same."""
    y, x = np.mgrid[:200, :300].astype(np.float32)
    sky = (0.5 + 0.2 * y / 200).astype(np.float32)
    worms = sky + np.float32(0.01) * np.sin(x / 1.3 + 3 * np.sin(y / 9)).astype(np.float32)
    half = np.where(x < 150, sky, worms)
    noisy = sky + np.random.default_rng(0).normal(0, 0.01, sky.shape).astype(np.float32)
    assert false_texture(sky, sky) == 0
    assert false_texture(sky, half) == pytest.approx(0.5, abs=0.05)
    assert false_texture(noisy, sky) < 0.01
    assert false_texture(noisy, noisy) < 0.01


def test_treatments_of_before_keep_their_grain() -> None:
    operation = {"id": "finish", "stage": "finish", "on": True, "model": "grain", "settings": {"amount": 4}}
    old = {"format": "crispgrain-treatment", "version": 2, "operations": [operation]}
    finish = Treatment.from_json(old)[Stage.FINISH]
    assert (finish.model, finish.values["amount"]) == ("surface", 4)
    with pytest.raises(TreatmentError, match="medium"):
        Treatment().set("finish.medium", "velvet")


def test_dithered_slopes_keep_their_mean_greys_and_whole_values() -> None:
    slope = np.repeat(np.linspace(0.30, 0.31, 4096, dtype=np.float32).reshape(1, -1, 1), 3, axis=2).repeat(64, 0)
    stored = icc.dithered(slope, "uint8", 0, 0)
    assert (stored == stored[..., :1]).all()
    means = stored.reshape(64, 16, 256, 3).mean(axis=(0, 2, 3)) / 255
    assert means == pytest.approx(slope.reshape(64, 16, 256, 3).mean(axis=(0, 2, 3)), abs=0.04 / 255)
    assert len(np.unique(icc.quantise(slope, "uint8"))) == 3
    assert np.abs(stored / 255.0 - slope).max() <= 1 / 255
    whole = np.arange(256, dtype=np.float32).reshape(16, 16) / 255
    assert np.array_equal(icc.dithered(whole, "uint8", 7, 9), np.arange(256).reshape(16, 16))


def test_a_file_of_eight_bits_is_dithered_whatever_its_tiles(picture_shot) -> None:
    treatment = Treatment().only([]).set("develop.exposure", -1.3).set("print.format", "png").set("print.bits", "8")

    def file(dither: str, tile: int):
        pipeline = picture_shot.pipeline(treatment.set("print.dither", dither), tile=tile)
        return render_whole(pipeline, settings_of(pipeline))

    files = [file("on", 64), file("on", 128), file("off", 128)]
    assert np.array_equal(files[0], files[1])
    assert np.abs(files[0].astype(int) - files[2]).max() == 1
