"""The demo roll: complete, repeatable, and what it says it is."""

import time
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from threading import Barrier, Event, current_thread

import numpy as np
import pytest

import crispgrain.demo.roll as roll_module
from crispgrain.cancel import Cancelled, CancelToken, cancelled_by
from crispgrain.cli.main import main
from crispgrain.core.atomic import HOST, UNFINISHED
from crispgrain.core.errors import ShotError
from crispgrain.core.files import read_shot
from crispgrain.core.frame import Frame
from crispgrain.core.masks import Brush, Composite, Found, How, Kind, Part, Stroke
from crispgrain.core.meter import Noise
from crispgrain.core.meter.part import measure_part
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import PLANET_MOVES, ROLL, TWO_DEPTHS, DemoShot, place, scene, write_roll
from crispgrain.geometry import Rect, Size
from crispgrain.simulation import camera

pytestmark = pytest.mark.slow

# Five strokes over what the subject misses (the plate, the sun and a knob), and has too much (between the arms).
KEPT = tuple(Stroke(p, r, 0.1) for p, r in (
    (((0.545, 0.875), (0.83, 0.94)), 0.043), (((0.515, 0.245), (0.516, 0.265)), 0.033),
    (((0.07, 0.81), (0.075, 0.84)), 0.035),
))  # fmt: skip
LEFT = (Stroke(((0.6, 0.36), (0.7, 0.4)), 0.02, 0.1), Stroke(((0.59, 0.42), (0.75, 0.44)), 0.015, 0.1))


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


def test_the_meter_finds_in_a_part_what_the_whole_does_not_show(roll):
    whole, part = _metered(roll / "dial-0803-plate-soft.dng", Rect(1020, 960, 420, 960))
    assert whole.softness < 0.5
    # A disc has a sigma of half its radius; the lens adds a little.
    assert part.softness == pytest.approx(TWO_DEPTHS / 2, abs=0.5)
    assert part.disc_radius == pytest.approx(TWO_DEPTHS, abs=0.5)
    whole, part = _metered(roll / "planet-0804-moving.dng", Rect(320, 950, 650, 650))
    length, angle = PLANET_MOVES
    assert whole.softness < 0.5
    assert part.line_length == pytest.approx(length, abs=2) and part.line_angle == pytest.approx(angle, abs=5)


def _metered(path, rect):
    shot = open_shot(path)
    return shot.reading.blur, measure_part(shot.source, rect, shot.reading).blur


def test_the_instrument_is_found_and_found_better_after_five_strokes(roll):
    shot, truth = open_shot(roll / "orrery-0400.dng"), place("orrery-instrument")
    ground = shot.pipeline(Treatment()).ground
    frame = Frame(shot.source.size, Noise()).sized(Size(*truth.shape))

    def overlap(mask):
        found = mask.values(frame, ground, Size(*truth.shape).rect)
        return float(np.minimum(found, truth).sum() / np.maximum(found, truth).sum())

    subject = Found(Kind.SUBJECT)
    painted = Composite((Part(subject), Part(Brush(KEPT)), Part(Brush(LEFT), How.SUBTRACT)))
    first, mended = overlap(subject), overlap(painted)
    background = overlap(Composite((Part(Found(Kind.BACKGROUND)),), inverted=True))
    assert first > 0.75 and mended > first + 0.02 and background == pytest.approx(first, abs=0.03)


def test_a_roll_that_is_there_is_left_alone(roll):
    before = {p.name: p.stat().st_mtime_ns for p in roll.iterdir()}
    write_roll(roll)
    assert {p.name: p.stat().st_mtime_ns for p in roll.iterdir()} == before


def test_two_shots_are_made_at_once_and_told_of_in_their_order(tmp_path, monkeypatch):
    both = Barrier(2, timeout=20)

    def write(name, path):
        both.wait()
        path.write_text(name)

    monkeypatch.setattr(roll_module, "ROLL", [DemoShot(name, "", partial(write, name)) for name in "abcd"])
    monkeypatch.setattr(roll_module, "worker_count", lambda: 2)
    told = []
    paths = write_roll(tmp_path, lambda number, total, name: told.append((number, total, name, current_thread())))
    assert told == [(n, 4, name, current_thread()) for n, name in enumerate("abcd")]
    assert [(p.name, p.read_text()) for p in paths] == [(name, name) for name in "abcd"]


def test_who_asks_while_the_roll_is_made_gets_the_same_one(tmp_path, monkeypatch):
    made = []

    def write(name, path):
        made.append(name)
        time.sleep(0.05)
        path.write_text(name)

    monkeypatch.setattr(roll_module, "ROLL", [DemoShot(name, "", partial(write, name)) for name in "abcdef"])
    with ThreadPoolExecutor(2) as pool:
        first, second = pool.map(write_roll, [tmp_path, tmp_path])
    assert first == second and sorted(made) == list("abcdef")


def test_a_roll_that_cannot_be_written_is_told_and_the_rest_not_tried(tmp_path, monkeypatch):
    tried = []

    def write(path):
        tried.append(path)
        time.sleep(0.02)
        raise OSError("disk full")

    monkeypatch.setattr(roll_module, "ROLL", [DemoShot(str(n), "", write) for n in range(200)])
    with pytest.raises(OSError, match="disk full"):
        write_roll(tmp_path)
    assert len(tried) < 100


def test_a_roll_that_nobody_wants_any_more_is_not_waited_for_and_goes_on_later(tmp_path, monkeypatch):
    token, made, slow = CancelToken(), [], Event()

    def write(name, path):
        made.append(name)
        path.write_text(name)
        if name == "3":
            token.cancel()
            slow.wait(20)

    monkeypatch.setattr(roll_module, "ROLL", [DemoShot(str(n), "", partial(write, str(n))) for n in range(50)])
    with cancelled_by(token), pytest.raises(Cancelled):
        write_roll(tmp_path)
    assert not (tmp_path / "3").exists()
    slow.set()
    killed = tmp_path / f"{UNFINISHED}{2**22 + 1}@{HOST}-x.dng"  # no process has as high a number
    killed.touch()
    assert [p.read_text() for p in write_roll(tmp_path)] == [str(n) for n in range(50)]
    assert len(set(made)) == 50 and not killed.exists()


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
