"""Shading that a DNG asks to be undone; the simulated camera darkens corners and writes the map."""

from __future__ import annotations

import struct
from dataclasses import replace
from pathlib import Path

import exiv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from crispgrain.core.files import RawSource, gain_map, metadata, read_shot
from crispgrain.core.files.preview import working_colours
from crispgrain.core.files.reduce import reduced
from crispgrain.core.meter import measure
from crispgrain.core.optics import LensProfile
from crispgrain.core.render.overview import overview
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import Shot, open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import scene
from crispgrain.geometry import Rect, Size
from crispgrain.restoration.cells import RGGB
from crispgrain.simulation import camera
from crispgrain.simulation.in_camera import shading
from tests.conftest import encoded, psnr, write_raw

DARK = camera.Camera(shading=2.5)
PLAIN = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")
FLAT = np.full((150, 220, 3), 0.3, np.float32)


@pytest.fixture(scope="module")
def clean() -> np.ndarray:
    """More of the scene than others look at, for noise is measured in it."""
    return np.ascontiguousarray(scene("orrery")[1900:2380, 900:1540])


@pytest.fixture(scope="module")
def shot(tmp_path_factory: pytest.TempPathFactory, clean) -> Shot:
    return open_shot(write_raw(tmp_path_factory.mktemp("map") / "dark.dng", clean, 400, DARK))


def result(shot: Shot, treatment: Treatment = PLAIN) -> np.ndarray:
    pipeline = shot.pipeline(treatment)
    return pipeline.region(pipeline.size.rect)


def turned(path: Path, orientation: int) -> Path:
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    image.exifData()["Exif.Image.Orientation"] = exiv2.UShortValue(orientation)
    image.writeMetadata()
    return path


def opcodes(path: Path) -> bytes:
    return metadata.opcodes(path, 2)


def test_the_map_is_that_of_the_camera(shot):
    size = shot.source.size
    found = shot.source.shading.over(size.rect)
    expected = shading(size.height, size.width, 2.5)
    assert np.abs(found / expected[..., None] - 1).max() < 2e-3  # straight between 33 points each way
    assert "Lens shading is put right as the file says." in shot.source.facts.remarks


@pytest.mark.parametrize("pattern", ["RGGB", "six by six"])
@pytest.mark.parametrize("orientation", [1, 3, 6, 8])
@pytest.mark.parametrize("masked", [(0, 0), (12, 24)])
def test_an_even_wall_comes_out_even_however_the_camera_was_held(tmp_path, orientation, pattern, masked):
    which = replace(DARK, pattern=pattern, masked=masked)
    held = turned(write_raw(tmp_path / "wall.dng", FLAT, 50, which), orientation)
    shot = open_shot(held)
    plain = PLAIN.set("develop.model", "linear")
    seen = [result(shot, plain), overview(shot.source, resolve(plain, shot.source, shot.reading), 100)]
    small = shot.pipeline(plain).reduced(3)
    seen += [small.region(small.size.rect), working_colours(shot.source, 60)]
    for picture in seen:
        corners = [picture[y, x].mean() for y in (np.s_[:12], np.s_[-12:]) for x in (np.s_[:12], np.s_[-12:])]
        assert np.ptp(corners) < 0.05 * np.mean(corners)
        assert np.mean(corners) == pytest.approx(picture.mean(), rel=0.03)
    without = Shot(replace(shot.source, shading=None), shot.reading)
    dark = result(without, plain)
    assert dark[:12, :12].mean() < 0.7 * dark.mean()


def test_corners_are_made_brighter_after_denoise_which_sees_the_sensors_own_noise(shot, clean):
    """As good as a sensor that got less light there can be; noise put right before Denoise would be misjudged."""
    noise = replace(shot.source, noise_profile=None)
    a, b = camera.noise_at(400)
    metered = measure(noise).noise
    assert metered.a[1] * 0.18 + metered.b[1] == pytest.approx(a * 0.18 + b, rel=0.3)
    assert psnr(encoded(result(shot, PLAIN.set("denoise.on", True))), encoded(clean)) > 42


def test_a_part_and_a_reduced_shot_have_the_gains_of_their_places(shot):
    rect = Rect(40, 66, 100, 120)
    own = shot.source.part(rect).shading.over(Size(100, 120).rect)
    np.testing.assert_allclose(own, shot.source.shading.over(rect), rtol=1e-6)
    small = reduced(shot.source, 4)
    assert isinstance(small, RawSource)
    means = shot.source.shading.over(shot.source.size.rect).reshape(120, 4, 160, 4, 3).mean((1, 3))
    np.testing.assert_allclose(small.shading.over(small.size.rect), means, rtol=2e-3)


@pytest.mark.parametrize("quarters", range(4))
def test_a_turned_map_is_that_of_the_turned_picture(quarters):
    uneven = np.random.default_rng(3).uniform(1, 3, (4, 6, 3)).astype(np.float32)
    own = gain_map.GainMap(uneven, (2.5, -3.0), (11.0, 7.5))
    size = Size(40, 50)
    turned = np.rot90(own.over(size.rect), quarters)
    expected = own.turned(quarters, size).over(Rect(0, 0, *turned.shape[:2]))
    np.testing.assert_allclose(turned, expected, rtol=1e-5)


def test_a_reduced_ramp_is_the_mean_of_the_ramp():
    ramp = np.add.outer(np.arange(9.0), 2 * np.arange(7.0)).astype(np.float32)[..., None].repeat(3, 2)
    own = gain_map.GainMap(ramp, (-20.0, -20.0), (20.0, 20.0))
    means = own.over(Rect(0, 0, 60, 48)).reshape(20, 3, 16, 3, 3).mean((1, 3))
    np.testing.assert_allclose(own.reduced(3).over(Rect(0, 0, 20, 16)), means, rtol=1e-5)


def test_tiles_make_no_difference(shot):
    small, large = shot.pipeline(PLAIN, tile=96), shot.pipeline(PLAIN, tile=960)
    np.testing.assert_allclose(small.region(small.size.rect), large.region(large.size.rect), atol=1e-6)


def test_burnt_out_corners_are_told_by_the_sensor_not_by_what_comes_after(tmp_path):
    """A bright coloured wall that the sensor still sees well in its dark corners keeps its colour there."""
    wall = np.broadcast_to(np.array([0.9, 0.6, 0.3], np.float32), (150, 220, 3)).copy()
    shot = open_shot(write_raw(tmp_path / "wall.dng", wall, 50, DARK))
    corner = result(shot)[:16, :16].mean((0, 1))
    np.testing.assert_allclose(corner, [0.9, 0.6, 0.3], rtol=0.03)


def test_a_lens_profile_does_not_brighten_corners_once_more(shot, monkeypatch):
    monkeypatch.setattr(
        "crispgrain.core.resolve.known_lens", lambda source: LensProfile("A lens", light=(1.0, 0.0, -0.5))
    )
    asked = Treatment().set("lens.on", True)
    lens = next(o for o in resolve(asked, shot.source, shot.reading).beside if o.id == "lens")
    assert not lens.values["light"]
    assert "Dark corners are put right by the file itself." in lens.remarks
    told = replace(shot.source, lens=LensProfile("The file's own", light=(1.0, 0.0, -0.5)))
    lens = next(o for o in resolve(asked, told, shot.reading).beside if o.id == "lens")
    assert lens.values["light"]  # the file asks for both
    bare = replace(shot.source, shading=None)
    assert next(o for o in resolve(asked, bare, shot.reading).beside if o.id == "lens").values["light"]


def test_maps_of_each_place_are_joined_to_those_of_colours():
    def one(top: int, left: int, gain: float) -> bytes:
        map_ = struct.pack(">10I4dI2f", top, left, 10, 10, 0, 1, 2, 2, 2, 1, 1.0, 1.0, 0, 0, 1, gain, gain)
        return struct.pack(">4I", 9, 0, 0, len(map_)) + map_

    other = struct.pack(">4I", 3, 0, 0, 4) + b"abcd"  # another opcode, passed over
    data = struct.pack(">I", 5) + one(0, 0, 2) + other + one(0, 1, 1.5) + one(1, 0, 2.5) + one(1, 1, 3)
    found = gain_map.read(data, Size(10, 10), RGGB)
    np.testing.assert_allclose(found.gains[0, 0], [2, 2, 3])
    assert gain_map.read(b"", Size(10, 10), RGGB) is None
    assert gain_map.read(struct.pack(">I", 1) + other, Size(10, 10), RGGB) is None


@given(st.integers(0, 400), st.integers(0, 255), st.integers(1, 700))
def test_a_damaged_map_says_so_or_is_a_map(place, value, length):
    data = bytearray(WHOLE[:length])
    data[place % len(data)] = value
    try:
        found = gain_map.read(bytes(data), Size(100, 120), RGGB)
    except ValueError as error:
        assert "gain maps" in str(error)
    else:
        assert found is None or np.isfinite(found.over(Rect(0, 0, 100, 120))).all()


WHOLE = struct.pack(">I4I10I4dI", 1, 9, 0, 0, 76 + 4 * 36, 0, 0, 100, 120, 0, 1, 1, 1, 6, 6, 0.2, 0.2, 0, 0, 1) + (
    np.linspace(1, 3, 36).astype(">f4").tobytes()
)


def test_a_file_with_a_damaged_map_opens_and_says_so(tmp_path, clean):
    path = write_raw(tmp_path / "x.dng", clean[:64, :96], 400, DARK)
    data = path.read_bytes()
    gains = shading(33, 33, 2.5, ends=True).astype(">f4").tobytes()
    assert data.count(gains) == 4
    path.write_bytes(data.replace(gains, struct.pack(">f", np.nan) * 33 * 33))
    source = read_shot(path)
    assert source.shading is None
    assert "Lens shading is left as it is: its gain maps make no sense." in source.facts.remarks
