"""Hot and dead pixels, known from several shots; where they are is known from the simulator."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from skimage import data

from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from crispgrain.core.describe import reading_words
from crispgrain.core.meter.suspects import Suspects, shared, within
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size
from crispgrain.orders.worker import LastShot
from crispgrain.simulation import camera
from crispgrain.simulation.defects import FAULTY, Defects
from crispgrain.simulation.dng import write_dng
from crispgrain.store import Store
from crispgrain.store.sensors import known_defects, known_shot

FAULTS = Defects(hot=6e-4, dead=2e-4)
SIZE = Size(320, 400)
SHAPE = SIZE.height, SIZE.width
SCENES = ("astronaut", "chelsea", "rocket", "coffee")


def scene(name: str, left: int = 0) -> np.ndarray:
    """A photograph of scikit-image: H x W x 3, linear, in the working space."""
    picture = np.roll(getattr(data, name)(), left, axis=1)[: SIZE.height, : SIZE.width]
    picture = np.pad(
        picture, [(0, n - m) for n, m in zip((SIZE.height, SIZE.width, 3), picture.shape, strict=True)], mode="reflect"
    )
    return apply_matrix(srgb_decode(picture.astype(np.float32) / 255), SRGB_TO_WORKING)


def shot(path: Path, picture: np.ndarray, seed: int, defects: Defects | None = FAULTS) -> Path:
    values = camera.expose(picture, 400, seed, defects=defects)
    write_dng(path, values, camera.FIELD_TWO, 400, Fraction(1, 60), "2026:03:14 16:20:08")
    return path


def faulty() -> np.ndarray:
    """Where the sensor is hot or dead, drawn as the simulator draws it."""
    sensor = np.random.default_rng(FAULTY)
    hot = sensor.random(SHAPE, np.float32) < FAULTS.hot
    sensor.exponential(0.1, int(hot.sum()))
    return np.flatnonzero(hot | (sensor.random(SHAPE, np.float32) < FAULTS.dead))


@pytest.mark.slow
def test_what_several_shots_show_at_the_same_place_is_filled_and_nothing_else(tmp_path: Path) -> None:
    store = Store(tmp_path / "store")
    for n, name in enumerate(SCENES):
        known_shot(shot(tmp_path / f"{n}.dng", scene(name), n), store)
    coffee = scene("coffee", 90)
    last = known_shot(shot(tmp_path / "last.dng", coffee, 9), store)
    places, truly = last.source.defects, faulty()
    assert np.isin(places, truly).all()
    assert len(places) > 0.5 * len(truly)
    near = within(places, SIZE.width, SIZE.rect)
    errors = {}
    for choice in ("known", "leave"):
        treatment = Treatment().only([]).set("denoise.on", True).set("denoise.model", "mosaic-net")
        treatment = treatment.set("denoise.dots", choice).set("develop.exposure", 0.0).set("develop.base", "linear")
        pipeline = Pipeline(last.source, last.reading, resolve(treatment, last.source, last.reading))
        said = [line for line in reading_words(Stage.DENOISE, pipeline) if "hot or dead" in line]
        assert said == [f"{len(places)} hot or dead pixels, known from other shots of the camera"]
        errors[choice] = np.abs(pipeline.region(SIZE.rect) - coffee)[near].mean()
    assert errors["known"] < 0.6 * errors["leave"]


@pytest.mark.slow
def test_a_series_of_one_scene_says_nothing_of_the_sensor(tmp_path: Path) -> None:
    """Stars that stand still are as bright at the same place in each shot."""
    store = Store(tmp_path / "store")
    sky = np.full((*SHAPE, 3), 0.02, np.float32)
    sky[(slice(10, -10, 23), slice(10, -10, 29))] = 0.6
    sky[100:200] += np.linspace(0, 0.2, SIZE.width, dtype=np.float32)[:, None]
    shots = [known_shot(shot(tmp_path / f"{n}.dng", sky, n, None), store) for n in range(5)]
    assert all(s.source.defects is None for s in shots)
    assert len(store.suspects(shots[0].source.facts.camera, SIZE)[0].places) > 50  # it was put to the test


def test_a_file_is_asked_once(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    store, path = Store(tmp_path / "store"), shot(tmp_path / "a.dng", scene("coffee"), 1)
    known_shot(path, store)
    monkeypatch.setattr("crispgrain.store.sensors.suspects_of", lambda *_: pytest.fail("asked again"))
    known_shot(path, store)


def test_two_agree_by_chance_three_do_not() -> None:
    scenes = np.random.default_rng(1).random((4, 8, 8), np.float32)
    places = ([3, 5, 9], [5, 9], [9, 11], [2, 9, 11])
    shots = [Suspects(np.array(p, np.int32), s) for p, s in zip(places, scenes, strict=True)]
    assert shared(shots).tolist() == [9]
    assert shared([replace(s, scene=scenes[0]) for s in shots]).tolist() == []
    assert shared([]).tolist() == []


def test_places_within_a_rectangle() -> None:
    where = within(np.array([3, 12, 25, 38], np.int32), 10, Rect(1, 2, 2, 6))
    assert np.argwhere(where).tolist() == [[0, 0], [1, 3]]


def test_without_a_store_all_is_as_the_file_has_it(tmp_path: Path) -> None:
    assert open_shot(shot(tmp_path / "a.dng", scene("coffee"), 1)).source.defects is None


@pytest.mark.slow
def test_a_worker_elsewhere_fills_what_is_known_here(tmp_path: Path) -> None:
    """The machines of a cluster have no store of ours: what is known goes with the wish, as the reading does."""
    store = Store(tmp_path / "store")
    for n, name in enumerate(SCENES):
        here = known_shot(shot(tmp_path / f"{n}.dng", scene(name), n), store)
    assert known_defects(here.source)
    wish = {"path": str(here.path), "reading": here.reading.as_json(), "defects": known_defects(here.source)}
    there, _ = LastShot().open(here.path, wish["reading"], False, wish["defects"])
    assert there.source.defects.tolist() == here.source.defects.tolist()
    assert LastShot().open(here.path, wish["reading"])[0].source.defects is None
