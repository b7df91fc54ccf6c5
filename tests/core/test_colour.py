"""Colour against published numbers."""

import io

import imagecodecs
import numpy as np
import pytest
from PIL import Image, ImageCms

from benchmarks.quality import deltaE_ciede2000
from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import (
    DISPLAY_P3,
    OPPONENT,
    OUTPUT_SPACES,
    PROPHOTO,
    SRGB,
    WORKING,
    apply_matrix,
    between,
    from_opponent,
    srgb_decode,
    srgb_encode,
    to_opponent,
    to_xyz,
)

RNG = np.random.default_rng(0)

# G. Sharma, W. Wu, E. N. Dalal, "The CIEDE2000 color-difference formula: implementation notes,
# supplementary test data, and mathematical observations", Color Res. Appl. 30(1), 2005, table 1.
SHARMA = [
    ((50.0000, 2.6772, -79.7751), (50.0000, 0.0000, -82.7485), 2.0425),
    ((50.0000, 3.1571, -77.2803), (50.0000, 0.0000, -82.7485), 2.8615),
    ((50.0000, 2.8361, -74.0200), (50.0000, 0.0000, -82.7485), 3.4412),
    ((50.0000, -1.3802, -84.2814), (50.0000, 0.0000, -82.7485), 1.0000),
    ((50.0000, 0.0000, 0.0000), (50.0000, -1.0000, 2.0000), 2.3669),
    ((50.0000, 2.4900, -0.0010), (50.0000, -2.4900, 0.0009), 7.1792),
    ((50.0000, 2.4900, -0.0010), (50.0000, -2.4900, 0.0011), 7.2195),
    ((50.0000, 2.5000, 0.0000), (73.0000, 25.0000, -18.0000), 27.1492),
    ((50.0000, 2.5000, 0.0000), (61.0000, -5.0000, 29.0000), 22.8977),
    ((50.0000, 2.5000, 0.0000), (56.0000, -27.0000, -3.0000), 31.9030),
    ((50.0000, 2.5000, 0.0000), (58.0000, 24.0000, 15.0000), 19.4535),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((63.0109, -31.0961, -5.8663), (62.8187, -29.7946, -4.0864), 1.2630),
    ((22.7233, 20.0904, -46.6940), (23.0331, 14.9730, -42.5619), 2.0373),
    ((90.8027, -2.0831, 1.4410), (91.1528, -1.6435, 0.0447), 1.4441),
    ((6.7747, -0.2908, -2.4247), (5.8714, -0.0985, -2.2286), 0.6377),
    ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
]


@pytest.mark.parametrize(("first", "second", "expected"), SHARMA)
def test_ciede2000_of_the_benchmarks_agrees_with_the_published_table(first, second, expected):
    assert deltaE_ciede2000(np.array(first), np.array(second)) == pytest.approx(expected, abs=1e-4)


def test_srgb_curve_follows_iec_61966_2_1():
    # The standard's two pieces, written out here from its formula and constants.
    encoded = np.linspace(0, 1, 1001)
    standard = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)
    assert np.allclose(srgb_decode(encoded.astype(np.float32)), standard, atol=1e-6)
    assert np.allclose(srgb_encode(standard.astype(np.float32)), encoded, atol=1e-4)


def test_srgb_curve_is_odd_and_unclipped():
    x = np.array([-0.5, -0.001, 0, 1.7], np.float32)
    assert np.allclose(srgb_encode(-x), -srgb_encode(x))
    assert np.allclose(srgb_decode(srgb_encode(x)), x, atol=1e-5)


def test_srgb_matrix_is_that_of_iec_61966_2_1():
    published = [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]
    assert np.allclose(to_xyz(SRGB), published, atol=1e-4)


def test_bt709_to_bt2020_is_the_matrix_of_itu_r_bt_2087():
    published = [[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.0880, 0.8956]]
    assert np.allclose(between(SRGB, WORKING), published, atol=1e-4)


def test_white_stays_white_between_spaces_of_different_white():
    assert np.allclose(between(PROPHOTO, WORKING) @ np.ones(3), 1, atol=1e-6)


def test_opponent_axes_keep_white_noise_white_and_invert():
    assert np.allclose(OPPONENT @ OPPONENT.T, np.eye(3), atol=1e-6)
    pixels = RNG.uniform(-0.05, 1.3, (20, 20, 3)).astype(np.float32)
    assert np.allclose(from_opponent(to_opponent(pixels)), pixels, atol=1e-4)


@pytest.mark.parametrize("space", OUTPUT_SPACES.values(), ids=lambda s: s.id)
def test_profiles_are_read_back_by_littlecms_with_their_name_and_primaries(space):
    profile = ImageCms.ImageCmsProfile(io.BytesIO(icc.profile(space.id)))
    assert ImageCms.getProfileDescription(profile).strip() == space.name
    p = profile.profile
    # Colorants are stored relative to D50; the profile's own adaptation leads back to the space's white.
    back = np.linalg.inv(np.array(p.chromatic_adaptation[0]))
    for (stored, _), given in zip((p.red_colorant, p.green_colorant, p.blue_colorant), space.primaries, strict=True):
        xyz = back @ stored
        assert xyz[:2] / xyz.sum() == pytest.approx(given, abs=5e-4)


@pytest.mark.parametrize("space_id", OUTPUT_SPACES)
def test_colours_survive_the_way_through_a_profile_and_back(space_id):
    # Inside every gamut: desaturated colours.
    pixels = RNG.uniform(0.25, 0.6, (32, 32, 3)).astype(np.float32)
    stored = icc.from_working(pixels, icc.profile(space_id), 16)
    assert np.allclose(icc.to_working(stored, icc.profile(space_id)), pixels, atol=3e-4)


@pytest.mark.parametrize("dtype", ["uint8", "uint16"])
@pytest.mark.parametrize("space_id", [i for i in icc.PROFILES if i != icc.GREY])
def test_looking_colours_up_gives_what_littlecms_gives(space_id, dtype):
    profile = icc.profile(space_id)
    stored = np.random.default_rng(3).integers(0, np.iinfo(dtype).max, (90, 70, 3), dtype, endpoint=True)
    by_littlecms = imagecodecs.cms_transform(
        stored, profile, icc.working_profile(), colorspace="rgb", outcolorspace="rgb", outdtype="float32",
        intent=imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
    )  # fmt: skip
    found = icc.to_working(stored, profile)
    assert found.dtype == np.float32
    assert np.allclose(found, by_littlecms, rtol=0, atol=1e-6)


def test_colours_that_do_not_add_up_go_through_littlecms(monkeypatch):
    """As with a profile of tables, of which there is none here: one whose green depends on red."""

    def tabled(stored, source, target, dtype, space="rgb"):
        pixels = stored.astype(np.float32) / 255
        pixels[..., 1] *= pixels[..., 0]
        return pixels

    monkeypatch.setattr(icc, "_transform", tabled)
    stored = np.random.default_rng(4).integers(0, 256, (20, 20, 3), np.uint8)
    expected = tabled(stored, b"", b"", "float32")
    assert np.array_equal(icc.to_working(stored, b"a profile of tables"), expected)


@pytest.mark.parametrize("space_id", OUTPUT_SPACES)
def test_built_in_spaces_come_out_as_littlecms_would_have_them(space_id):
    """A step of 16 bits at most, under every intent that there is for them, colours beyond the space among them."""
    pixels = np.random.default_rng(5).uniform(-0.1, 1.2, (90, 800, 3)).astype(np.float32) ** 3
    profile = icc.profile(space_id)
    for intent, black_point in ((icc.Intent.RELATIVE, False), (icc.Intent.PERCEPTUAL, True)):
        by_littlecms = imagecodecs.cms_transform(
            pixels, icc.working_profile(), profile, colorspace="rgb", outcolorspace="rgb", outdtype="float32",
            intent=list(icc.Intent).index(intent),
            flags=imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION if black_point else None,
        )  # fmt: skip
        stored = icc.from_working(pixels, profile, 16, intent, black_point).astype(int)
        assert np.abs(stored - icc.quantise(by_littlecms, "uint16")).max() <= 2


def test_our_srgb_profile_gives_what_littlecms_own_srgb_gives():
    pixels = RNG.uniform(0, 1, (64, 64, 3)).astype(np.float32)
    ours = icc.from_working(pixels, icc.profile("srgb"), 8).astype(int)
    theirs = icc.from_working(pixels, imagecodecs.cms_profile("srgb"), 8).astype(int)
    assert np.abs(ours - theirs).max() <= 1


def test_display_p3_red_is_outside_srgb_and_is_kept_in_the_working_space():
    red = np.array([[[255, 0, 0]]], np.uint8)
    working = icc.to_working(red, icc.profile(DISPLAY_P3.id))
    assert icc.from_working(working, icc.profile("srgb"), 8).tolist() == [[[255, 0, 0]]]
    assert icc.from_working(working, icc.profile("display-p3"), 8).tolist() == [[[255, 0, 0]]]
    assert working[0, 0, 0] > icc.to_working(red, icc.profile("srgb"))[0, 0, 0]


def test_grey_is_one_channel_with_the_curve_of_srgb():
    """Against LittleCMS through Pillow, from the sRGB it makes itself; greys of sRGB keep their values."""
    ramp = np.arange(256, dtype=np.uint8).reshape(1, -1)
    pixels = icc.to_working(np.repeat(ramp[..., None], 3, 2), icc.profile("srgb"))
    stored = icc.from_working(pixels, icc.profile(icc.GREY), 8)
    assert stored.shape == (1, 256, 1)
    assert np.abs(stored[..., 0].astype(int) - ramp).max() <= 1
    grey = ImageCms.ImageCmsProfile(io.BytesIO(icc.profile(icc.GREY)))
    assert grey.profile.xcolor_space.strip() == "GRAY"
    theirs = ImageCms.profileToProfile(
        Image.fromarray(np.repeat(ramp[..., None], 3, 2)), ImageCms.createProfile("sRGB"), grey, outputMode="L",
        renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
    )  # fmt: skip
    assert np.abs(np.asarray(theirs).astype(int) - stored[..., 0]).max() <= 1


def test_a_pixel_times_a_matrix_is_the_same_wherever_it_stands() -> None:
    """To the last bit, or tiles would not equal the whole picture; and right, by NumPy's product with doubles."""
    rng = np.random.default_rng(5)
    pixels, matrix = rng.uniform(-0.2, 1.5, (300, 211, 3)).astype(np.float32), rng.standard_normal((3, 3))
    whole = apply_matrix(pixels, matrix)
    assert np.allclose(whole, pixels.astype(np.float64) @ matrix.T, atol=2e-6)
    for _ in range(40):
        (top, left), (height, width) = rng.integers(0, 200, 2), rng.integers(1, 100, 2)
        part = np.s_[top : top + height, left : left + width]
        assert np.array_equal(apply_matrix(pixels[part], matrix), whole[part])
