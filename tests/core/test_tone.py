"""Tone and colour in Develop: curves that never turn, no halos, hues that stay, noise that is known."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from skimage import color

from crispgrain.core.colour import icc, oklab
from crispgrain.core.colour.spaces import (
    SRGB_TO_WORKING,
    WORKING_TO_SRGB,
    apply_matrix,
    luminance,
    srgb_decode,
    srgb_encode,
)
from crispgrain.core.files import PictureSource
from crispgrain.core.frame import Frame
from crispgrain.core.masks import Oval
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import halo_mask
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.develop import light
from crispgrain.core.stages.develop.lighting import PARAMETERS, lit
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Size
from crispgrain.restoration.haze import air_light, without_haze
from crispgrain.restoration.tone import Tone, curve, toned
from tests.conftest import photograph

PLAIN = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")
ANY = st.floats(-100, 100)


def result(pixels, treatment=PLAIN, tile=512, reading=None):
    source = PictureSource(Path("x.png"), np.ascontiguousarray(pixels), icc.profile("srgb"))
    reading = reading or Reading(Noise.even(1))
    pipeline = Pipeline(source, reading, resolve(treatment, source, reading), tile=tile)
    return pipeline.region(pipeline.size.rect)


def eight(working):
    return icc.from_working(working, icc.profile("srgb"), 8).astype(int)


@settings(max_examples=150, deadline=None)
@given(ANY, ANY, ANY, st.floats(-10, 20), st.floats(-10, 30))
def test_no_curve_ever_turns_or_becomes_flat(contrast, bright, dark, black, white):
    x = np.linspace(-0.3, 2.2, 500)
    steps = np.diff(curve(Tone(contrast, bright, dark, black, white))(x)) / np.diff(x)
    assert steps.min() > 0.01 and np.isfinite(steps).all()


def test_each_moves_what_it_is_named_after():
    x = np.array([0.0, 0.2, 0.5, 0.8, 1.0])
    moved = {name: curve(replace(Tone(), **{name: 60.0}))(x) - x for name in ("dark", "bright", "contrast")}
    assert moved["dark"][1] > 0.08 and np.abs(moved["dark"][[0, 3, 4]]).max() < 0.01
    assert moved["bright"][3] > 0.08 and np.abs(moved["bright"][[0, 1, 4]]).max() < 0.01
    assert moved["contrast"][1] < -0.03 < 0.03 < moved["contrast"][3] and np.abs(moved["contrast"][[0, 4]]).max() < 0.01
    brought_back = curve(Tone(bright=-100))(np.array([1.0, 1.5]))
    assert brought_back[0] < 0.92 and brought_back[1] < 1.3  # what was beyond white has room again
    ends = curve(Tone(black=10, white=20))
    assert (float(ends(0.1)), float(ends(0.8))) == pytest.approx((0, 1), abs=1e-6)


def test_dark_parts_are_opened_without_becoming_flat_and_without_halos():
    grey = color.rgb2gray(photograph("coffee")).astype(np.float32)
    dark = np.clip(grey * 0.35, 0, 1)
    edge = np.concatenate([dark, np.full((256, 256), 0.85, np.float32)], axis=1)
    opened = toned(edge, Tone(dark=100), 512)
    there = np.s_[:, :200]
    fine = [v[there] - cv2.GaussianBlur(v, (0, 0), 3)[there] for v in (edge, opened)]
    assert opened[there].mean() > edge[there].mean() + 0.08
    assert fine[1].std() > 0.9 * fine[0].std()
    moved = np.repeat(srgb_decode(np.stack([edge, np.maximum(opened, 0)]))[..., None], 3, axis=-1)
    light_side = halo_mask(moved[0], moved[1])[:, 262:]
    assert light_side.mean() < 0.01  # the wall beside it stays as it was
    np.testing.assert_allclose(opened[:, 300:], edge[:, 300:], atol=0.01)


def test_hues_stay_and_grey_stays_grey():
    """Twelve hues at three strengths; the hue angle is that of CIELAB, by scikit-image."""
    lab = np.stack([np.full(36, 55.0), *(np.repeat((15, 30, 45), 12) * f(np.tile(np.arange(12) * np.pi / 6, 3))
                                         for f in (np.cos, np.sin))], axis=-1)  # fmt: skip
    patches = np.clip(color.lab2rgb(lab[None])[0], 0, 1)
    chart = np.kron(patches.reshape(6, 6, 3), np.ones((24, 24, 1)))
    stored = np.rint(chart * 255).astype(np.uint8)
    before = eight(result(stored))
    for settings_ in ({"dark": 60.0}, {"bright": -60.0}, {"contrast": 50.0}, {"exposure": 0.5}, {"pale": 60.0}):
        treatment = PLAIN
        for name, value in settings_.items():
            treatment = treatment.set(f"develop.{name}", value)
        after = eight(result(stored, treatment))
        assert np.abs(after - before).max() > 2
        one, other = (color.rgb2lab(p[12::24, 12::24] / 255) for p in (before, after))
        turned = np.degrees(np.arctan2(other[..., 2], other[..., 1]) - np.arctan2(one[..., 2], one[..., 1]))
        turned = (turned + 180) % 360 - 180
        inside = (after[12::24, 12::24].max(-1) < 255) & (after[12::24, 12::24].min(-1) > 0)
        assert np.abs(turned[inside]).max() < 6, settings_
    grey = np.repeat(np.arange(0, 256, dtype=np.uint8)[None, :, None], 64, axis=0).repeat(3, axis=2)
    treatment = PLAIN.set("develop.dark", 70.0).set("develop.local", 50.0).set("develop.pale", 80.0)
    assert np.ptp(eight(result(grey, treatment)), axis=2).max() <= 1  # rounding


def test_hues_are_turned_and_light_and_strength_stay():
    working = apply_matrix(srgb_decode(np.array([[[0.6, 0.4, 0.35], [0.4, 0.5, 0.6], [0.5, 0.5, 0.5]]], np.float32)),
                           np.linalg.inv(WORKING_TO_SRGB))  # fmt: skip
    turned = oklab.with_hue(working, 40.0)
    before, after = (oklab.from_working(p)[0] for p in (working, turned))
    hues = [np.degrees(np.arctan2(p[:2, 2], p[:2, 1])) for p in (before, after)]
    np.testing.assert_allclose((hues[1] - hues[0]) % 360, 40, atol=0.05)
    np.testing.assert_allclose(after[:, 0], before[:, 0], atol=1e-4)
    np.testing.assert_allclose(np.hypot(*after[:2, 1:].T), np.hypot(*before[:2, 1:].T), atol=1e-4)
    np.testing.assert_allclose(oklab.with_hue(turned, -40.0), working, atol=1e-4)


def test_pale_colours_change_strong_ones_stay_and_skin_changes_half_as_much():
    colours = np.array([[0.45, 0.5, 0.55], [0.9, 0.05, 0.05], [0.78, 0.6, 0.5]], np.float32)  # pale, strong, skin
    working = apply_matrix(srgb_decode(colours)[None], np.linalg.inv(WORKING_TO_SRGB))
    chroma = [np.hypot(*np.moveaxis(oklab.from_working(p)[0, :, 1:], -1, 0)) for p in (
        working, oklab.with_pale_colour(working, 0.8))]  # fmt: skip
    gain = chroma[1] / chroma[0] - 1
    assert gain[0] > 0.5 and abs(gain[1]) < 0.01 and 0.1 < gain[2] < 0.6 * gain[0]
    assert (result(np.full((8, 8, 3), 100, np.uint8), PLAIN.set("develop.colour", 0.0)) > 0).all()


def test_a_zone_has_its_own_tone_and_tiles_do_not_matter():
    pixels = (photograph("coffee") * 255).astype(np.uint8)
    treatment, zone = PLAIN.with_zone(Stage.DEVELOP, Oval((0.3, 0.3), (0.7, 0.7)))
    treatment = treatment.set(f"{zone}.dark", 80.0).set(f"{zone}.local", 40.0)
    plain, whole = result(pixels), result(pixels, treatment)
    np.testing.assert_array_equal(whole[:40], plain[:40])
    assert np.abs(whole - plain)[100:150, 100:150].mean() > 0.005
    np.testing.assert_allclose(result(pixels, treatment, 64), whole, atol=2e-5)


def test_noise_is_known_after_the_curve():
    """Noise of a known strength on steps of grey; what a stage is told must be what is there."""
    rng = np.random.default_rng(6)
    steps = np.repeat(np.linspace(0.1, 0.9, 9), 80)
    noisy = steps[None, :, None] + rng.normal(0, 4 / 255, (300, 720, 3)).mean(2, keepdims=True) * np.sqrt(3)
    stored = (np.clip(noisy, 0, 1) * 65535 + 0.5).astype(np.uint16).repeat(3, axis=2)
    for name, value in (("dark", 80.0), ("local", 60.0), ("bright", -80.0)):
        treatment = PLAIN.set(f"develop.{name}", value)
        source = PictureSource(Path("x.png"), stored, icc.profile("srgb"))
        reading = Reading(Noise.even(4))
        pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
        told = pipeline.steps[-1].after.noise
        light = srgb_encode(pipeline.region(pipeline.size.rect))[..., 1]
        for k in range(1, 8):
            patch = light[40:-40, 80 * k + 30 : 80 * k + 50]
            assert patch.std() * 255 == pytest.approx(
                float(np.interp(patch.mean(), told.levels, told.luminance_at)), rel=0.25
            ), (name, k)


@settings(max_examples=25, deadline=None)
@given(st.tuples(*[st.sampled_from((-100.0, 0.0, 100.0))] * 4), st.sampled_from((-50.0, 0.0, 100.0)))
def test_no_combination_of_ends_gives_anything_that_is_no_number(ends, local):
    names = ("contrast", "dark", "bright", "pale")
    treatment = PLAIN.set("develop.local", local)
    for name, value in zip(names, ends, strict=True):
        treatment = treatment.set(f"develop.{name}", value)
    pixels = (photograph("astronaut")[:64, :64] * 255).astype(np.uint8)
    pixels[:4], pixels[4:8] = 0, 255
    assert np.isfinite(result(pixels, treatment)).all()


def hazy():
    """A photograph, the same with more and more air before it towards the top, and what comes through (h x w x 1)."""
    clean = apply_matrix(srgb_decode(photograph("coffee")), SRGB_TO_WORKING)
    through = np.exp(-1.2 * np.linspace(1, 0, 256, dtype=np.float32))[:, None, None]
    air = np.float32([0.72, 0.75, 0.8])
    return clean, clean * through + air * (1 - through), air


@pytest.mark.parametrize("amount", [50.0, 100.0])
def test_noise_is_known_after_haze_is_gone(amount):
    """Within a factor of two; it becomes up to seven times as strong."""
    scene = apply_matrix(srgb_decode(photograph("coffee")), SRGB_TO_WORKING)
    through = np.linspace(0.35, 0.9, len(scene))[:, None, None].astype(np.float32)
    hazy = np.maximum(scene * through + 0.8 * (1 - through), 0)
    noise = 0.008 * np.random.default_rng(3).standard_normal(hazy.shape).astype(np.float32)
    noisy = srgb_decode(srgb_encode(hazy) + noise)
    air, longer = air_light(hazy), max(hazy.shape)
    without, left = (luminance(without_haze(p, air, amount / 100, longer)) for p in (hazy, noisy))
    first = (srgb_encode(luminance(noisy)) - srgb_encode(luminance(hazy))).std()
    grown = (srgb_encode(left) - srgb_encode(without)).std() / first
    source, reading = PictureSource(Path("x.png"), np.zeros((8, 8, 3)), icc.profile("srgb")), Reading(Noise.even(1))
    values = resolve(PLAIN.set("develop.haze", amount), source, reading)[Stage.DEVELOP].values
    told = light.after(Frame(Size(100, 100), Noise.even(1.0)), values).noise.luminance
    assert 0.5 < told / grown < 2 and grown > 1.2


def test_haze_goes_and_what_was_behind_it_is_nearer_to_the_truth():
    clean, seen, air = hazy()
    stored = (srgb_encode(apply_matrix(seen, WORKING_TO_SRGB)).clip(0, 1) * 65535 + 0.5).astype(np.uint16)
    found = air_light(seen)
    assert np.abs(found - air).max() < 0.2
    errors = {}
    for amount in (0.0, 90.0):
        made = result(stored, PLAIN.set("develop.haze", amount))
        errors[amount] = float(np.square(srgb_encode(made) - srgb_encode(clean))[:128].mean())
    assert errors[90.0] < 0.5 * errors[0.0]  # 3 dB
    treatment, zone = PLAIN.with_zone(Stage.DEVELOP, Oval((0.2, 0.2), (0.8, 0.8)))
    treatment = treatment.set(f"{zone}.haze", 80.0)
    np.testing.assert_allclose(result(stored, treatment, 64), result(stored, treatment, 512), atol=2e-5)


def test_black_and_white_by_shares():
    colours = np.zeros((30, 90, 3), np.uint8)
    for n in range(3):
        colours[:, 30 * n : 30 * n + 30, n] = 200
    grey = PLAIN.set("develop.grey", "on")
    plain = eight(result(colours, grey))
    assert np.ptp(plain, axis=2).max() == 0 and plain[15, 45, 0] > plain[15, 15, 0] > plain[15, 75, 0]
    only_red = grey.set("develop.grey-red", 100.0).set("develop.grey-green", 0.0).set("develop.grey-blue", 0.0)
    made = eight(result(colours, only_red))[15, [15, 45, 75], 0]
    assert made[0] == pytest.approx(200, abs=1) and made[1:].max() <= 1
    none = only_red.set("develop.grey-red", 0.0)
    assert np.isfinite(result(colours, none)).all()


NUMBERS = [p for p in PARAMETERS if p.is_number]


@settings(max_examples=60, deadline=None, derandomize=True)
@given(ends=st.lists(st.sampled_from((0, 1, 2)), min_size=len(NUMBERS), max_size=len(NUMBERS)), grey=st.booleans())
def test_no_combination_of_ends_gives_what_is_no_number_or_colours_a_grey(ends, grey):
    """Each slider at its least, where it starts, or at its most; a picture with noise below black and a lamp."""
    values = {p.id: p.default for p in PARAMETERS}
    for parameter, end in zip(NUMBERS, ends, strict=True):
        start = 0.0 if parameter.id == "exposure" else float(parameter.default)
        values[parameter.id] = (parameter.minimum, start, parameter.maximum)[end]
    rng = np.random.default_rng(0)
    pixels = np.linspace(0, 1, 40, dtype=np.float32)[None, :, None] + rng.normal(0, 0.02, (30, 40, 3)).astype(
        np.float32
    )
    pixels[10:14, 10:14] = 6.0
    if grey:
        values["warmth"] = values["tint"] = 0.0
        pixels = pixels[..., :1].repeat(3, -1)
    out = lit(pixels, values)
    assert np.isfinite(out).all() and out.shape == pixels.shape
    if grey:
        assert np.ptp(out, axis=-1).max() <= 1e-4 * max(1.0, float(np.abs(out).max()))


def at_ends(ends, leave: tuple[str, ...] = ()) -> dict:
    values = {p.id: p.default for p in PARAMETERS}
    for parameter, end in zip(NUMBERS, ends, strict=True):
        start = 0.0 if parameter.id == "exposure" else float(parameter.default)
        values[parameter.id] = start if parameter.id in leave else (parameter.minimum, start, parameter.maximum)[end]
    return values


ENDS = st.lists(st.sampled_from((0, 1, 1, 2)), min_size=len(NUMBERS), max_size=len(NUMBERS))


@settings(max_examples=60, deadline=None, derandomize=True)
@given(ends=ENDS)
def test_no_combination_of_tones_turns_a_hue(ends):
    """In Oklab, whose hues were fitted to look constant (B. Ottosson, "A perceptual color space", 2020)."""
    turns = np.radians(np.arange(0, 360, 15))
    lab = np.stack(
        [np.stack([np.full(24, light), 0.06 * np.cos(turns), 0.06 * np.sin(turns)], -1) for light in (0.4, 0.7)]
    )
    patches = lab.astype(np.float32).repeat(8, 0).repeat(8, 1)
    out = lit(oklab.to_working(patches), at_ends(ends, ("warmth", "tint", "hue", "faded", "haze")))[4::8, 4::8]
    found = oklab.from_working(out)
    turned = np.angle(np.exp(1j * (np.arctan2(found[..., 2], found[..., 1]) - turns).astype(np.float64)))
    seen = (np.hypot(found[..., 1], found[..., 2]) > 0.02) & (out.min(-1) > 0.002) & (out.max(-1) < 0.98)
    assert np.degrees(np.abs(turned[seen])).max(initial=0) < 0.1


@settings(max_examples=40, deadline=None, derandomize=True)
@given(ends=ENDS)
def test_no_combination_of_ends_bands_a_slope(ends):
    """Over 64 rows the dithered file of 8 bits keeps the mean of every column to a quarter of a step."""
    slope = srgb_decode(np.linspace(0, 1, 256, dtype=np.float32))[None, :, None].repeat(64, 0).repeat(3, 2)
    encoded = np.clip(srgb_encode(apply_matrix(lit(slope, at_ends(ends)), WORKING_TO_SRGB)), 0, 1)
    written = icc.dithered(encoded, "uint8", 0, 0).astype(np.float64)
    assert np.abs(written.mean(axis=0) - 255 * encoded.mean(axis=0)).max() < 0.25
