"""The demo roll: complete, repeatable, and what it says it is."""

import numpy as np
import pytest

from crispgrain.cli.main import main
from crispgrain.core.errors import ShotError
from crispgrain.core.files import read_shot
from crispgrain.demo.roll import ROLL, scene, write_roll
from crispgrain.simulation import camera

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def roll(tmp_path_factory):
    folder = tmp_path_factory.mktemp("demo")
    assert main(["demo", "--out", str(folder), "--no-window"]) == 0
    return folder


def test_every_shot_is_there_and_opens_but_the_damaged_one(roll):
    sizes = {}
    for shot in ROLL:
        path = roll / shot.name
        if "card-fault" in shot.name:
            with pytest.raises(ShotError):
                read_shot(path)
            continue
        source = read_shot(path)
        sizes[shot.name] = source.size
        assert source.is_raw == shot.name.endswith(".dng")
    assert [read_shot(roll / f"orrery-{iso}.dng").facts.iso for iso in ("0400", "1600", "6400", "25600")] == [
        400, 1600, 6400, 25600
    ]  # fmt: skip
    assert sizes["orrery-0400.dng"].megapixels >= 12
    assert sizes["store-room.jpg"].width == 2 * sizes["store-room.jpg"].height
    assert read_shot(roll / "old-print.tif").grey


def test_a_roll_that_is_there_is_left_alone(roll):
    before = {p.name: p.stat().st_mtime_ns for p in roll.iterdir()}
    write_roll(roll)
    assert {p.name: p.stat().st_mtime_ns for p in roll.iterdir()} == before


def test_scenes_hold_no_more_than_white_and_are_sharp():
    clean = scene("orrery")
    assert clean.min() > -0.05
    assert clean.max() <= 1.01
    assert np.abs(np.diff(clean, axis=1)).max() > 0.3


def test_the_camera_is_repeatable_and_its_noise_is_as_published():
    even = np.full((300, 300, 3), 0.2, np.float32)
    first, again = (camera.expose(even, 3200, seed=9) for _ in range(2))
    assert np.array_equal(first, again)
    a, b = camera.noise_at(3200)
    span = camera.FIELD_TWO.white - camera.FIELD_TWO.black
    green = (first[0::2, 1::2].astype(float) - camera.FIELD_TWO.black) / span
    expected = camera.sensor_signal(even, camera.FIELD_TWO)[0, 0, 1]
    assert green.mean() == pytest.approx(expected, rel=0.01)
    assert green.var() == pytest.approx(a * expected + b, rel=0.03)


def test_point_spreads_sum_to_one_and_have_their_size():
    for kernel in (camera.disc(3.2), camera.shake_path(14, seed=5)):
        assert kernel.sum() == pytest.approx(1, abs=1e-5)
    assert np.ptp(np.nonzero(camera.shake_path(14, seed=5).sum(axis=0))[0]) <= 16
    area = (camera.disc(3.2) > 0.5 * camera.disc(3.2).max()).sum()
    assert area == pytest.approx(np.pi * 3.2**2, rel=0.2)
