"""Lens faults undone: bent lines, fringes, dark corners.

The made-up lens' faults are computed here from lensfun's own formulas ("ptlens", "poly3" of lateral colour, "pa" of
vignetting; manual of lensfun, chapter "Lens calibration tutorial") and the numbers in core/files/lenses.xml, not by
lensfun and not by the code under test.
"""

from dataclasses import replace
from fractions import Fraction

import lensfunpy
import numpy as np
import pytest

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import WORKING_TO_SRGB, apply_matrix
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.files.lens_profiles import known_lens
from crispgrain.core.files.source import Facts
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.optics import Radial
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.transform import Transform
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size
from crispgrain.simulation.camera import FIELD_TWO, PATTERNS, mosaic_of, sensor_signal
from crispgrain.simulation.dng import write_dng
from tests.conftest import assert_same_in_tiles, photograph

SIZE = Size(400, 600)
MIDDLE = np.array([SIZE.width, SIZE.height]) / 2
HALF_SHORT, HALF_DIAGONAL = min(MIDDLE), np.hypot(*MIDDLE)
A, B, C = 0.012, -0.045, 0.006
PORTHOLE = Facts(
    camera="Lumen & Daughter Field Two", maker="Lumen & Daughter", lens="Porthole 24 mm f/2.8", focal_length=24.0,
    aperture=4.0,
)  # fmt: skip
PLAIN = Treatment().only([])
READING = Reading(Noise.even(1))
DOTS = np.array([(x, y) for x in range(40, 600, 65) for y in range(40, 400, 64)], float)


def drawn(points):
    """Where the lens draws points of a straight picture (n x 2), in green."""
    r = np.hypot(*(points - MIDDLE).T)[:, None] / HALF_SHORT
    return MIDDLE + (points - MIDDLE) * (A * r**3 + B * r**2 + C * r + 1 - A - B - C)


def drawn_in_colours(points):
    green = drawn(points)
    r = np.hypot(*(green - MIDDLE).T)[:, None] / HALF_SHORT
    red, blue = (MIDDLE + (green - MIDDLE) * (b * r**2 + v) for b, v in ((0.0003, 1.0004), (-0.0002, 0.9997)))
    return red, green, blue


def light(x, y):
    r = np.hypot(x - MIDDLE[0], y - MIDDLE[1]) / HALF_DIAGONAL
    return 1 - 0.5 * r**2 + 0.1 * r**4 - 0.05 * r**6


def dotted(places):
    """Linear picture of soft white dots, one list of places for each colour."""
    y, x = np.mgrid[: SIZE.height, : SIZE.width] + 0.5
    out = np.full((SIZE.height, SIZE.width, 3), 0.1)
    for colour, dots in enumerate(places):
        for at_x, at_y in dots:
            out[..., colour] += 0.6 * np.exp(-((x - at_x) ** 2 + (y - at_y) ** 2) / (2 * 1.6**2))
    return out


def shot(linear, facts=PORTHOLE):
    stored = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)
    return PictureSource("made up", stored.astype(np.float32), icc.profile("srgb"), facts=facts)


def chain(source, treatment, tile=768):
    return Pipeline(source, READING, resolve(treatment, source, READING), tile=tile)


def whole(source, treatment):
    pipeline = chain(source, treatment)
    return pipeline, apply_matrix(pipeline.region(pipeline.size.rect), WORKING_TO_SRGB)


def corrected(**settings):
    treatment = PLAIN.set("lens.on", True)
    for name, value in settings.items():
        treatment = treatment.set(f"lens.{name}", value)
    return treatment


def centres(plane, about):
    """Centroids of soft dots, sought near to places."""
    found = []
    for at_x, at_y in about:
        left, top = int(at_x) - 7, int(at_y) - 7
        part = np.maximum(plane[top : top + 15, left : left + 15] - 0.13, 0)
        y, x = np.mgrid[top : top + 15, left : left + 15] + 0.5
        found.append(((x * part).sum() / part.sum(), (y * part).sum() / part.sum()))
    return np.array(found)


@pytest.mark.slow
@pytest.mark.parametrize("factor", [1, 2])
def test_dots_of_a_known_lens_come_to_lie_straight_and_together(factor):
    treatment = corrected(even="off")
    if factor > 1:
        treatment = treatment.set("enlarge.on", True).set("enlarge.model", "lanczos").set("enlarge.factor", factor)
    _, result = whole(shot(dotted(drawn_in_colours(DOTS))), treatment)
    assert result.shape[:2] == (factor * SIZE.height, factor * SIZE.width)
    # The corrected picture is scaled about its middle, so that no corner is empty: by how much is left open here.
    scale = known_scale(result[..., 1], factor)
    expected = (MIDDLE + (DOTS - MIDDLE) * scale) * factor
    inside = ((expected > 12) & (expected < factor * 2 * MIDDLE - 12)).all(axis=1)
    assert inside.sum() > 30
    for colour in range(3):
        off = centres(result[..., colour], expected[inside]) - expected[inside]
        assert np.abs(off).max() < 0.1 * factor
    uncorrected = np.hypot(*(drawn(DOTS) - DOTS).T).max()
    assert uncorrected > 3  # px, so the check means something


def known_scale(plane, factor):
    """From the dots next to the middle, which no fault moves by much."""
    near = DOTS[np.argsort(np.hypot(*(DOTS - MIDDLE).T))[:4]]
    trials = np.linspace(0.95, 1.1, 1501)
    places = [(MIDDLE + (near - MIDDLE) * s) * factor for s in trials]
    spread = [np.abs(centres(plane, place) - place).max() for place in places]
    return trials[int(np.argmin(spread))]


def test_dark_corners_get_their_light():
    y, x = np.mgrid[: SIZE.height, : SIZE.width] + 0.5
    even = np.repeat((0.4 * light(x, y))[..., None], 3, axis=2)
    _, result = whole(shot(even), corrected(straight="off", edges="off"))
    assert even.min() < 0.25
    assert np.abs(result - 0.4).max() < 0.002


def test_what_is_asked_of_lensfun_is_its_formula():
    profile = known_lens(shot(np.zeros((400, 600, 3)) + 0.1))
    assert "Porthole" in profile.name
    points = np.array([(x, y) for x in range(1, 600, 23) for y in range(1, 400, 23)], float)
    got = np.stack(Radial.about_middle(SIZE, profile.bends)(*points.T), axis=1)
    assert np.abs(got - drawn(points)).max() < 0.03
    y, x = np.mgrid[:400, :600] + 0.5
    radius = np.hypot(x - 300, y - 200) / HALF_DIAGONAL
    assert np.abs(np.polynomial.polynomial.polyval(radius, profile.light) - light(x, y)).max() < 0.002


def test_a_real_lens_of_the_database_is_found_as_cameras_write_it():
    """The database is that of lensfunpy; the camera's and lens' names are as Exif tags give them, from memory."""
    facts = Facts(
        camera="Canon EOS 5D Mark III", maker="Canon", lens="EF24-105mm f/4L IS USM", focal_length=24.0, aperture=4.0
    )
    profile = known_lens(shot(np.zeros((400, 600, 3)) + 0.1, facts))
    assert "24-105" in profile.name
    database = lensfunpy.Database(load_common=False)
    camera = database.find_cameras("Canon", "Canon EOS 5D Mark III")[0]
    modifier = lensfunpy.Modifier(database.find_lenses(camera, None, "EF24-105mm f/4L IS USM")[0], 1.0, 600, 400)
    modifier.initialize(24.0, 4.0, 1000.0, scale=1.0, flags=lensfunpy.ModifyFlags.DISTORTION)
    y, x = np.mgrid[:400, :600] + 0.5
    got = np.stack(Radial.about_middle(SIZE, profile.bends)(x, y), axis=2)
    off = np.abs(got - modifier.apply_geometry_distortion() - 0.5)  # lensfun itself takes quick roots
    assert off.mean() < 0.03 and off.max() < 0.2


@pytest.mark.parametrize(
    "facts",
    [
        Facts(),
        replace(PORTHOLE, lens="Jam jar 3 mm"),
        replace(PORTHOLE, maker="Nobody"),
        replace(PORTHOLE, focal_length=None),
    ],
)
def test_an_unknown_lens_changes_nothing_and_is_said(facts):
    source = shot(photograph("coffee")[:200, :300] ** 2.0, facts)
    treatment = corrected()
    assert np.array_equal(whole(source, treatment)[1], whole(source, PLAIN)[1])
    remarks = " ".join(resolve(treatment, source, READING).remarks)
    assert "known" in remarks


def test_by_hand_bends_as_it_says_and_back():
    source = shot(dotted([DOTS] * 3), Facts())
    pipeline, _ = whole(source, corrected(by="own", bulge=4.0))
    to_source = pipeline.steps[-1].after.to_source
    scale = to_source.rows[0][0]
    x, y = to_source(np.array([0.0, 300, 480]), np.array([0.0, 200, 200]))
    assert (x[1], y[1]) == pytest.approx((300, 200))
    # A point on the radius r (1 in the corner) was drawn at r (1 - 0.04 r^2), both after the scale that fills.
    for at, radius in ((0, 1.0), (2, 180 / HALF_DIAGONAL)):
        far = np.hypot(x[at] - 300, y[at] - 200) / HALF_DIAGONAL
        assert far == pytest.approx(scale * radius * (1 - 0.04 * (scale * radius) ** 2), abs=1e-9)
    back = to_source.inverse(*to_source(DOTS[:, 0], DOTS[:, 1]))
    assert np.abs(np.stack(back, axis=1) - DOTS).max() < 1e-6
    assert to_source.inverse.after(to_source) == Transform()


def test_no_corner_is_empty_whichever_way_it_bends():
    for bulge in (-12.0, -2.0, 2.0, 12.0):
        pipeline = chain(shot(np.ones((400, 600, 3)) * 0.2), corrected(by="own", bulge=bulge))
        rect = pipeline.steps[-1].after.to_source.rect(pipeline.size.rect)
        assert rect.intersect(Rect(-1, -1, 402, 602)) == rect


@pytest.mark.slow
def test_a_crop_and_a_level_line_follow_what_the_lens_should_have_drawn():
    source = shot(dotted(drawn_in_colours(DOTS)))
    straight = chain(source, corrected())
    cropped = chain(source, corrected().set("crop.left", 25.0).set("crop.top", 10.0))
    got = cropped.region(Rect(20, 30, 60, 80))
    want = straight.region(Rect(20 + 40, 30 + 150, 60, 80))
    assert np.abs(got - want).max() < 1e-5
    x, y = cropped.unbent.inverse.after(cropped.steps[-1].after.to_source)(np.array([7.0]), np.array([9.0]))
    assert (x[0], y[0]) == pytest.approx((157, 49))


@pytest.mark.slow
def test_a_lens_and_a_turned_crop_do_not_depend_on_tiles():
    source = shot(photograph("coffee")[:400, :600] ** 2.0)
    treatment = corrected().set("crop.angle", 3.0).set("enlarge.on", True).set("enlarge.model", "faithful")
    treatment = treatment.set("enlarge.factor", 1.5)
    assert_same_in_tiles(chain(source, treatment, 96), chain(source, treatment, 256), Rect(100, 50, 200, 250))


@pytest.mark.slow
def test_fringes_of_a_raw_are_taken_off_in_the_sensors_colours(tmp_path):
    places = (MIDDLE + (DOTS - MIDDLE) * size for size in (1.004, 1.0, 0.997))
    colours = [dotted([dots] * 3).astype(np.float32) for dots in places]
    apart = np.stack([sensor_signal(c, FIELD_TWO)[..., n] for n, c in enumerate(colours)], axis=2)
    values = np.rint(mosaic_of(apart, PATTERNS["RGGB"]) * (FIELD_TWO.white - FIELD_TWO.black) + FIELD_TWO.black)
    path = tmp_path / "fringed.dng"
    write_dng(path, values.astype(np.uint16), FIELD_TWO, 100, Fraction(1, 60), "2026:03:14 16:05:08")
    source = read_shot(path)
    spread = {}
    for edges in ("off", "on"):
        treatment = PLAIN if edges == "off" else corrected(by="own", red_size=4.0, blue_size=-3.0)
        pipeline = chain(source, treatment)
        own = pipeline.region(pipeline.size.rect) @ np.linalg.inv(source.camera_to_working).T
        red, blue = (centres(own[..., c] / own[..., c].max() * 0.7, DOTS) for c in (0, 2))
        spread[edges] = np.hypot(*(red - blue).T).mean()
    assert spread["off"] > 0.9
    assert spread["on"] < 0.15 * spread["off"]
