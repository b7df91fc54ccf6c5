"""The kind and size of a blur, metered on pictures blurred in a known way."""

import json
from dataclasses import replace
from importlib import resources

import cv2
import jsonschema
import numpy as np
import pytest
from scipy.special import erf
from skimage import data

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import Blur, Noise, Reading, measure, spectrum
from crispgrain.core.meter import blur as blur_meter
from crispgrain.core.meter.blur import strong_edges
from crispgrain.core.meter.mtf import edge_response, mtf50
from crispgrain.core.meter.words import all_words, blur_words, headline
from crispgrain.demo.roll import scene
from crispgrain.simulation import camera
from tests.conftest import write_raw

pytestmark = pytest.mark.slow


def as_8_bit(tmp_path, linear, sigma=1.0):
    """A finished picture of linear sRGB values, with noise of ``sigma`` steps of 255."""
    noise = np.random.default_rng(1).normal(0, sigma, linear.shape)
    stored = np.clip(srgb_encode(linear) * 255 + noise, 0, 255).round().astype(np.uint8)
    return PictureSource(tmp_path / "x.png", stored, icc.profile("srgb"))


def blurred_photograph(tmp_path, name, kernel, sigma=1.0):
    """One of the photographs shipped with scikit-image, blurred in linear light."""
    return as_8_bit(
        tmp_path, camera.blur_with(srgb_decode(getattr(data, name)().astype(np.float32) / 255), kernel), sigma
    )


def blurred_raw(tmp_path, kernel, iso=400):
    part = scene("orrery")[300:2300, 600:3400]
    return read_shot(write_raw(tmp_path / "p.dng", camera.lens_softness(camera.blur_with(part, kernel), 0.6), iso))


@pytest.mark.parametrize("name", ["astronaut", "chelsea", "rocket"])
@pytest.mark.parametrize("radius", [2.0, 3.2, 5.0])
def test_defocus_radius_within_half_a_pixel(tmp_path, name, radius):
    blur = measure(blurred_photograph(tmp_path, name, camera.disc(radius))).blur
    assert blur.kind == "defocus"
    assert blur.radius == pytest.approx(radius, abs=0.5)


@pytest.mark.parametrize("name", ["astronaut", "chelsea", "rocket"])
@pytest.mark.parametrize(("length", "angle"), [(6, 30), (10, 100), (15, 160), (20, 70), (12, 0)])
def test_motion_within_2_pixels_and_5_degrees(tmp_path, name, length, angle):
    blur = measure(blurred_photograph(tmp_path, name, camera.motion(length, angle))).blur
    assert blur.kind == "motion"
    assert blur.length == pytest.approx(length, abs=2)
    assert abs((blur.angle - angle + 90) % 180 - 90) <= 5


@pytest.mark.parametrize(("name", "top", "left"), [("astronaut", 0, 100), ("coffee", 60, 180), ("chelsea", 20, 90)])
def test_the_line_of_a_small_noisy_picture(tmp_path, name, top, left):
    """With noise of 3 % the fit has many valleys; the deepest is found only from starting points that differ."""
    truth = getattr(data, name)()[top : top + 256, left : left + 256].astype(np.float32) / 255
    blur = measure(as_8_bit(tmp_path, camera.blur_with(srgb_decode(truth), camera.motion(15, 30)), 0.03 * 255)).blur
    assert blur.line_length == pytest.approx(15, abs=1.5)
    assert abs((blur.line_angle - 30 + 90) % 180 - 90) <= 4


@pytest.mark.parametrize(("light", "height"), [(0.03, 42), (0.8, 36), (0.8, 47)])
def test_rows_of_windows_are_no_motion(tmp_path, light, height):
    """Windows of one width have the spectrum of a movement over it; but their sides are sharp."""
    rng = np.random.default_rng(0)
    wall = cv2.GaussianBlur(rng.uniform(0.25, 0.35, (384, 512)).astype(np.float32), (0, 0), 1.5)
    for left in range(8, 500, 46):
        for top in range(10, 330, 100):
            wall[top : top + height, left : left + 22 + int(rng.integers(0, 8))] = light
    blur = measure(as_8_bit(tmp_path, camera.lens_softness(np.dstack([wall] * 3), 0.8))).blur
    assert blur.kind in ("none", "soft lens")
    assert blur.softness == pytest.approx(0.8, abs=0.25)


def seascape(seed: int, reeds: bool) -> np.ndarray:
    """Sky, far hills and water with long waves: a scene in which nearly everything lies level."""
    rng, edge = np.random.default_rng(seed), 400
    down = np.arange(edge)[:, None] / edge
    hills = cv2.GaussianBlur(rng.standard_normal((1, edge)), (0, 0), 68, borderType=cv2.BORDER_REFLECT)
    hills = 0.57 - 0.01 * hills / hills.std()
    waves = cv2.GaussianBlur(rng.standard_normal((edge, edge)), (0, 0), sigmaX=12, sigmaY=1)
    sea = 0.35 - 0.3 * (down - 0.6) + 0.04 * waves / waves.std()
    picture = np.where(down < hills, 0.2 + 0.5 * down, np.where(down < 0.6, 0.08, sea))
    if reeds:
        for left in range(150, 390, 12):
            picture[290 : 310 + int(rng.integers(20)), left] *= 0.3
    return camera.lens_softness(np.dstack([picture.astype(np.float32)] * 3), 0.5)


@pytest.mark.parametrize("reeds", [False, True])
@pytest.mark.parametrize("seed", [0, 2])
def test_a_calm_sea_is_no_motion(tmp_path, seed, reeds):
    """Its spectrum is as narrow as that of a movement along the horizon, but has none of its zeros."""
    blur = measure(as_8_bit(tmp_path, seascape(seed, reeds))).blur
    assert blur.kind in ("none", "soft lens")


@pytest.mark.parametrize("radius", [3.2, 5.0])
def test_defocus_of_a_raw(tmp_path, radius):
    blur = measure(blurred_raw(tmp_path, camera.disc(radius))).blur
    assert (blur.kind, blur.radius) == ("defocus", pytest.approx(radius, abs=0.5))


@pytest.mark.parametrize(("length", "angle"), [(6, 30), (15, 160)])
def test_motion_of_a_raw(tmp_path, length, angle):
    blur = measure(blurred_raw(tmp_path, camera.motion(length, angle), iso=1600)).blur
    assert (blur.kind, blur.length, blur.angle) == (
        "motion", pytest.approx(length, abs=2), pytest.approx(angle, abs=5)
    )  # fmt: skip


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea", "rocket"])
def test_a_shot_in_focus_is_none_of_these(tmp_path, name):
    one = np.ones((1, 1), np.float32)
    assert measure(blurred_photograph(tmp_path, name, one)).blur.kind in ("none", "soft lens")


def test_shake_is_told_from_motion(tmp_path):
    blur = measure(blurred_photograph(tmp_path, "astronaut", camera.shake_path(14, seed=5))).blur
    assert blur.kind == "shake"
    assert 7 < blur.length < 28  # good to a factor of two
    assert blur.confidence <= 0.5


def test_no_shake_is_believed_that_leaves_every_edge_sharp(tmp_path, monkeypatch):
    """Bark has an uneven spectrum, too; here every spectrum is taken for one of a shake."""
    monkeypatch.setattr(blur_meter, "_kind", lambda plain, *rest: replace(plain, kind="shake", length=18.0))
    still, shaken = (
        blurred_photograph(tmp_path, "chelsea", k) for k in (np.ones((1, 1), np.float32), camera.shake_path(18, 2))
    )
    assert measure(still).blur.kind in ("none", "soft lens")
    assert measure(shaken).blur.kind == "shake"


@pytest.mark.parametrize("factor", [2, 3])
def test_an_enlarged_picture_is_found_out(tmp_path, factor):
    small = srgb_decode(data.coffee()[:256, :256].astype(np.float32) / 255)
    large = np.clip(cv2.resize(small, None, fx=factor, fy=factor, interpolation=cv2.INTER_CUBIC), 0, 1)
    assert measure(as_8_bit(tmp_path, large, 0)).history.enlarged == pytest.approx(factor, rel=0.3)


def test_a_soft_picture_is_not_taken_for_enlarged(tmp_path):
    whole = srgb_decode(data.coffee().astype(np.float32) / 255)
    assert measure(as_8_bit(tmp_path, whole, 0)).history.enlarged == 1
    assert measure(as_8_bit(tmp_path, camera.lens_softness(whole, 1.2), 0)).history.enlarged == 1


def test_fine_texture_is_not_taken_for_enlarged(tmp_path):
    """Its spectrum is steep at the end, but nothing as sharp as that was enlarged."""
    gravel = np.repeat(data.gravel()[..., None], 3, axis=-1)
    small = cv2.resize(srgb_decode(gravel / np.float32(255)), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    reading = measure(as_8_bit(tmp_path, small, 0))
    assert reading.history.enlarged == 1 and reading.blur.kind == "none"


def test_overdone_sharpening_shows(tmp_path, clean8):
    plain = clean8 / 255
    sharp = np.clip(plain + 1.5 * (plain - cv2.GaussianBlur(plain, (0, 0), 1.0)), 0, 1)
    found = [
        measure(as_8_bit(tmp_path, srgb_decode(p.astype(np.float32)), 0)).history.sharpened for p in (plain, sharp)
    ]
    assert found == [False, True]


def test_lost_tones_are_counted(tmp_path):
    linear = np.full((200, 200, 3), 0.18, np.float32)
    linear[:20] = 1.0
    linear[20:30] = 0.0
    tones = measure(as_8_bit(tmp_path, linear, 0)).tones
    assert (tones.clipped, tones.blocked) == (pytest.approx(0.1), pytest.approx(0.05))
    assert tones.exposure == pytest.approx(0, abs=0.05)  # the median is mid grey


def slanted_edge(sigma, degrees=5.0):
    """An edge blurred by a Gaussian and by square pixels, from its closed form."""
    y, x = np.mgrid[:120, :160] + 0.5
    t = np.radians(degrees)
    fine = [
        erf(((x + dx - 80) * np.cos(t) + (y + dy - 60) * np.sin(t)) / (np.sqrt(2) * sigma))
        for dx in np.linspace(-0.4, 0.4, 5) for dy in np.linspace(-0.4, 0.4, 5)
    ]  # fmt: skip
    return (0.5 + 0.3 * np.mean(fine, axis=0)).astype(np.float32)


@pytest.mark.parametrize("sigma", [0.6, 1.0, 1.8])
@pytest.mark.parametrize("degrees", [-8.0, 5.0])
def test_mtf50_of_an_edge_with_a_known_answer(sigma, degrees):
    """ISO 12233 slanted edge; a Gaussian's transfer is exp(-2 pi^2 sigma^2 f^2), a pixel's sinc(f)."""
    frequency = np.linspace(0, 0.5, 5001)
    transfer = np.exp(-2 * (np.pi * sigma * frequency) ** 2) * np.sinc(frequency)
    expected = frequency[np.argmin(np.abs(transfer - 0.5))]
    edge = slanted_edge(sigma, degrees)
    assert mtf50(edge) == pytest.approx(expected, rel=0.03)
    noisy = edge + np.random.default_rng(2).normal(0, 0.004, edge.shape).astype(np.float32)
    assert mtf50(noisy) == pytest.approx(expected, rel=0.06)


def test_no_edge_no_answer():
    with pytest.raises(ValueError, match="no edge"):
        edge_response(np.full((60, 60), 0.5, np.float32))
    with pytest.raises(ValueError, match="not slanted"):
        edge_response(np.repeat(np.arange(60) > 30, 60).reshape(60, 60).T.astype(np.float32))


def test_readings_in_words():
    defocus = Reading(Noise.even(12, 20), Blur("defocus", 1.5, 3.2, confidence=0.4))
    assert headline(defocus) == "defocus 3.2 px"
    assert blur_words(defocus.blur) == "defocus, disc of radius 3.2 px (fairly sure)"
    assert headline(Reading(Noise.even(12, 20))) == "noise 12 / 20"
    assert headline(Reading(blur=Blur("shake", 2, length=40, confidence=0.1))) == "shake"
    assert blur_words(Blur("motion", 1, 0, 12.34, 45.2, 1)) == "motion over 12.3 px at 45°"


def test_json_follows_its_schema(tmp_path):
    schema = json.loads(resources.files("crispgrain.core.meter").joinpath("reading.schema.json").read_text("utf-8"))
    for source in (blurred_raw(tmp_path, camera.disc(1)), as_8_bit(tmp_path, np.full((40, 40, 3), 0.2, np.float32))):
        reading = measure(source)
        jsonschema.validate(json.loads(json.dumps({"file": "x", **reading.as_json()})), schema)
        assert all(isinstance(line, str) and line for line in all_words(reading))


@pytest.mark.parametrize("angle", [-110, 20, 75, 160])
@pytest.mark.parametrize("sigma", [0.8, 1.6])
def test_direction_and_blur_of_an_edge(angle, sigma):
    """The edge is a Gaussian's integral (closed form); its light side lies in the direction given."""
    rows, columns = np.mgrid[:96, :96] - 47.5
    across = columns * np.cos(np.radians(angle)) - rows * np.sin(np.radians(angle))
    edges = strong_edges((0.3 + 0.2 * erf(across / sigma / 2**0.5)).astype(np.float32), 0.0)
    assert len(edges.steps) > 20
    assert np.abs((edges.angle[edges.is_step] - angle + 180) % 360 - 180).max() < 8
    assert np.sqrt(np.median(edges.steps)) == pytest.approx(sigma, abs=0.15)


def test_a_thin_line_is_no_step():
    rows, columns = np.mgrid[:96, :96] - 47.5
    line = 0.3 + 0.4 * np.exp(-((columns + 0.3 * rows) ** 2) / 2)
    edges = strong_edges(line.astype(np.float32), 0.0)
    assert len(edges.squared) > 50
    assert len(edges.steps) < 0.2 * len(edges.squared)


def test_starting_points_of_a_fit_differ():
    starts = [(15.0, 30.0), (15.5, 32.0), (14.0, 172.0), (14.0, 4.0), (40.0, 30.0)]
    order = np.array([1, 0, 2, 3, 4])
    # 172 and 4 degrees are 12 apart, for a line has no beginning.
    assert spectrum._unlike(starts, order, 4) == [1, 2, 4]
    assert spectrum._unlike(starts, order, 2) == [1, 2]
    assert spectrum._unlike([(1.0,), (1.1,), (4.0,)], np.array([0, 1, 2]), 4) == [0, 2]
