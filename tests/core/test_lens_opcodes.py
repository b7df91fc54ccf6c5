"""What a DNG says of its lens, followed.

The bytes are packed here, and where the lens drew a point is computed here, by the formulas of the Adobe DNG
specification 1.4, chapter 7 (WarpRectilinear, FixVignetteRadial); formulas and numbers are from memory.
"""

from __future__ import annotations

import struct
from dataclasses import replace
from fractions import Fraction

import exiv2
import numpy as np
import pytest
import tifffile
from hypothesis import given
from hypothesis import strategies as st

from crispgrain.core.files import lens_opcodes, read_shot
from crispgrain.core.files.lens_profiles import known_lens
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.optics import Radial
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Size
from crispgrain.simulation.camera import FIELD_TWO, PATTERNS, mosaic_of, sensor_signal
from crispgrain.simulation.dng import write_dng

SIZE = Size(400, 600)
MIDDLE = np.array([SIZE.width, SIZE.height]) / 2
ASIDE = (0.58, 0.46)  # shares; where the axis of a lens may meet the picture
RED = (1.004, -0.05, 0.012, 0.001)
GREEN = (1.0, -0.05, 0.012, 0.001)
BLUE = (0.996, -0.05, 0.012, 0.001)
VIGNETTE = (0.5, 0.2, 0.1, 0.0, 0.05)
DOTS = np.array([(x, y) for x in range(40, 600, 65) for y in range(40, 400, 64)], float)
PLAIN = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")
STRAIGHT = PLAIN.set("lens.on", True)
READING = Reading(Noise.even(1))


def warp(*planes, tangential=(0.0, 0.0), middle=(0.5, 0.5)) -> bytes:
    sets = b"".join(struct.pack(">6d", *radial, *tangential) for radial in planes)
    return one(1, struct.pack(">I", len(planes)) + sets + struct.pack(">2d", *middle))


def vignette(*terms, middle=(0.5, 0.5)) -> bytes:
    return one(3, struct.pack(">7d", *terms, *middle))


def one(number: int, data: bytes, flags: int = 0) -> bytes:
    return struct.pack(">4I", number, 0x01030000, flags, len(data)) + data


def listed(*operations: bytes) -> bytes:
    return struct.pack(">I", len(operations)) + b"".join(operations)


WHOLE = listed(vignette(*VIGNETTE), warp(RED, GREEN, BLUE))


def radii(x, y, middle):
    """Of points, as shares of the distance of the farthest corner."""
    corner = np.hypot(*np.maximum(middle, 2 * MIDDLE - middle))
    return np.hypot(x - middle[0], y - middle[1]) / corner


def drawn(points, terms, middle=MIDDLE):
    """Where the lens draws points (n x 2) of a straight picture in a colour."""
    r = radii(*points.T, middle)[:, None]
    return middle + (points - middle) * (terms[0] + terms[1] * r**2 + terms[2] * r**4 + terms[3] * r**6)


def gain(x, y, middle=MIDDLE):
    r = radii(x, y, middle)
    return 1 + sum(k * r ** (2 * n + 2) for n, k in enumerate(VIGNETTE))


def written(path, linear, lens=WHOLE, orientation=1):
    """A DNG of what the sensor saw (H x W x 3, its own colours, 0..1) with an OpcodeList3."""
    values = mosaic_of(linear, PATTERNS["RGGB"]) * (FIELD_TWO.white - FIELD_TWO.black) + FIELD_TWO.black
    write_dng(
        path, np.rint(values).astype(np.uint16), FIELD_TWO, 100, Fraction(1, 60), "2026:03:14 16:05:08", lens=lens
    )
    if orientation != 1:
        image = exiv2.ImageFactory.open(str(path))
        image.readMetadata()
        image.exifData()["Exif.Image.Orientation"] = exiv2.UShortValue(orientation)
        image.writeMetadata()
    return read_shot(path)


def dotted(places):
    """Linear working picture of soft white dots on grey, as the sensor sees it; one list of places for each colour."""
    y, x = np.mgrid[: SIZE.height, : SIZE.width] + 0.5
    colours = []
    for dots in places:
        plane = np.full((SIZE.height, SIZE.width, 3), 0.1, np.float32)
        for at_x, at_y in dots:
            plane += (0.6 * np.exp(-((x - at_x) ** 2 + (y - at_y) ** 2) / (2 * 1.6**2)))[..., None].astype(np.float32)
        colours.append(plane)
    return np.stack([sensor_signal(plane, FIELD_TWO)[..., n] for n, plane in enumerate(colours)], axis=2)


def result(source, treatment):
    pipeline = Pipeline(source, READING, resolve(treatment, source, READING))
    return pipeline, pipeline.region(pipeline.size.rect)


def centres(plane, about):
    found = []
    for at_x, at_y in about:
        left, top = int(at_x) - 6, int(at_y) - 6
        part = plane[top : top + 13, left : left + 13]
        part = np.maximum(part - 1.3 * np.median(part), 0)
        y, x = np.mgrid[top : top + 13, left : left + 13] + 0.5
        found.append(((x * part).sum() / part.sum(), (y * part).sum() / part.sum()))
    return np.array(found)


@pytest.mark.slow
@pytest.mark.parametrize(("orientation", "shares"), [(1, (0.5, 0.5)), (1, ASIDE), (6, ASIDE)])
def test_dots_come_to_lie_where_a_straight_picture_has_them_in_all_colours(tmp_path, orientation, shares):
    middle = 2 * MIDDLE * shares
    seen = dotted([drawn(DOTS, terms, middle) for terms in (RED, GREEN, BLUE)])
    source = written(tmp_path / "bent.dng", seen, listed(warp(RED, GREEN, BLUE, middle=shares)), orientation)
    pipeline, straight = result(source, STRAIGHT)
    own = straight @ np.linalg.inv(source.camera_to_working).T
    if orientation == 6:  # turned clockwise to be upright
        own = np.rot90(own)
    scale = pipeline.steps[-1].after.to_source.rows[0][0]  # about the middle, so that no corner is empty
    expected = middle + (DOTS - middle) / scale
    inside = ((expected > 12) & (expected < 2 * MIDDLE - 12)).all(axis=1)
    assert inside.sum() > 30
    for colour in range(3):
        assert np.abs(centres(own[..., colour], expected[inside]) - expected[inside]).max() < 0.15
    assert np.hypot(*(drawn(DOTS, GREEN) - DOTS).T).max() > 5  # px, so the check means something
    assert np.hypot(*(drawn(DOTS, RED) - drawn(DOTS, BLUE)).T).max() > 0.7


@pytest.mark.slow
@pytest.mark.parametrize("orientation", [1, 6])
def test_the_lens_of_a_linear_dng_is_undone_too(tmp_path, orientation):
    y, x = np.mgrid[: SIZE.height, : SIZE.width] + 0.5
    seen = np.full((SIZE.height, SIZE.width), 0.1)
    for at_x, at_y in drawn(DOTS, GREEN, 2 * MIDDLE * ASIDE):
        seen += 0.6 * np.exp(-((x - at_x) ** 2 + (y - at_y) ** 2) / (2 * 1.6**2))
    path = tmp_path / "linear.dng"
    stored = np.rint(np.repeat(seen[..., None], 3, axis=2) * 65535).astype(np.uint16)
    opcodes = listed(warp(GREEN, middle=ASIDE))
    tags = [
        (274, 3, 1, orientation, True), (50706, 1, 4, bytes([1, 4, 0, 0]), True), (50708, 2, 0, "X 1", True),
        (50721, 10, 9, (1, 1, 0, 1, 0, 1, 0, 1, 1, 1, 0, 1, 0, 1, 0, 1, 1, 1), True), (50728, 5, 3, (1,) * 6, True),
        (51022, 7, len(opcodes), opcodes, True),
    ]  # fmt: skip
    tifffile.imwrite(path, stored, photometric=34892, extratags=tags, metadata=None)
    source = read_shot(path)
    assert not source.is_raw
    assert "The file says what its lens did: Lens in Develop undoes it." in source.facts.remarks
    pipeline, straight = result(source, STRAIGHT)
    plane = np.rot90(straight[..., 1]) if orientation == 6 else straight[..., 1]
    expected = 2 * MIDDLE * ASIDE + (DOTS - 2 * MIDDLE * ASIDE) / pipeline.steps[-1].after.to_source.rows[0][0]
    inside = ((expected > 12) & (expected < 2 * MIDDLE - 12)).all(axis=1)
    assert inside.sum() > 30
    assert np.abs(centres(plane, expected[inside]) - expected[inside]).max() < 0.15


@pytest.mark.parametrize("shares", [(0.5, 0.5), ASIDE])
def test_corners_get_the_light_that_the_file_says_they_lack(tmp_path, shares):
    y, x = np.mgrid[: SIZE.height, : SIZE.width] + 0.5
    grey = (
        sensor_signal(np.full((SIZE.height, SIZE.width, 3), 0.4, np.float32), FIELD_TWO)
        / gain(x, y, 2 * MIDDLE * shares)[..., None]
    )
    source = written(tmp_path / "dark.dng", grey, listed(vignette(*VIGNETTE, middle=shares)))
    assert np.ptp(result(source, PLAIN)[1][..., 1]) > 0.15
    np.testing.assert_allclose(result(source, STRAIGHT)[1], 0.4, atol=0.004)
    assert np.array_equal(result(source, STRAIGHT.set("lens.even", "off"))[1], result(source, PLAIN)[1])


def test_where_red_was_drawn_is_known_from_where_green_was():
    profile, unknown = lens_opcodes.read(listed(warp(RED, GREEN, BLUE)))
    assert unknown == ()
    green = drawn(DOTS, GREEN)
    for terms, want in ((profile.red, RED), (profile.blue, BLUE)):
        got = np.stack(Radial.about_middle(SIZE, terms)(*green.T), axis=1)
        assert np.abs(got - drawn(DOTS, want)).max() < 0.003


def test_one_plane_bends_all_colours_alike():
    profile, _ = lens_opcodes.read(listed(warp(GREEN)))
    assert profile.bends == (1.0, 0.0, -0.05, 0.0, 0.012, 0.0, 0.001)
    assert (profile.red, profile.blue, profile.light) == ((), (), ())


def test_the_file_goes_before_the_database_and_says_what_it_lacks(tmp_path):
    seen = dotted([DOTS[:1]] * 3)
    source = written(tmp_path / "x.dng", seen, listed(warp(GREEN)))
    known = replace(
        source, facts=replace(source.facts, maker="Lumen & Daughter", lens="Porthole 24 mm f/2.8", focal_length=24.0)
    )
    assert known_lens(known) == source.lens
    assert "Porthole" in known_lens(replace(known, lens=None)).name
    assert "The file says what its lens did: Lens in Develop undoes it." in source.facts.remarks
    resolved = resolve(STRAIGHT, source, READING)
    assert "As the file says; nothing is known of fringes, dark corners." in resolved.remarks
    assert np.array_equal(result(source, PLAIN)[1], result(replace(source, lens=None), PLAIN)[1])  # not unless asked


@pytest.mark.parametrize(
    ("operations", "said"),
    [
        ((warp(GREEN, middle=(0.47, 0.5)),), "its lines and its light have two middles"),
        ((warp(GREEN, middle=(0.1, 0.5)),), "its middle is none"),
        ((warp(GREEN, tangential=(0.0, 0.0001)),), "lines are bent otherwise than about the middle"),
        ((warp((1.0, -3.0, 0.0, 0.0)),), "its bent lines make no sense"),
        ((warp((float("nan"), 0.0, 0.0, 0.0)),), "its bent lines make no sense"),
        ((vignette(-2.0, 0, 0, 0, 0),), "its dark corners make no sense"),
        ((one(2, b"\0" * 60),), "operation 2 is not known here"),
        ((warp(GREEN)[:-9],), "it is cut short"),
    ],
)
def test_what_cannot_be_followed_is_said_and_the_rest_goes_on(operations, said):
    profile, unknown = lens_opcodes.read(listed(vignette(*VIGNETTE), *operations))
    assert unknown == (said,)
    assert profile.light and not profile.bends


def test_what_a_reader_need_not_know_is_passed_over():
    assert lens_opcodes.read(listed(one(14, b"abcd", flags=1))) == (None, ())
    assert lens_opcodes.read(b"") == (None, ())


def test_what_is_not_followed_stands_in_the_remarks(tmp_path):
    source = written(tmp_path / "x.dng", dotted([DOTS[:1]] * 3), listed(one(2, b"\0" * 60)))
    assert source.lens is None
    assert "Not all is undone that the file asks for: operation 2 is not known here." in source.facts.remarks


@given(st.integers(0, len(WHOLE)), st.integers(0, 255), st.integers(1, len(WHOLE)))
def test_damage_is_said_or_gives_a_lens_that_draws(place, value, length):
    data = bytearray(WHOLE[:length])
    data[place % len(data)] = value
    profile, unknown = lens_opcodes.read(bytes(data))
    if len(data) < len(WHOLE):
        assert unknown or profile is None or data[:4] != WHOLE[:4]
    for terms in (profile.bends, profile.red, profile.blue, profile.light) if profile is not None else ():
        assert not terms or np.isfinite(Radial.about_middle(SIZE, terms)(*DOTS.T)).all()
