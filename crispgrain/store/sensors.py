"""What is known of cameras' noise from all shots that were ever measured, and shots that are opened knowing it."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import TypeGuard

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.core.errors import ShotError
from crispgrain.core.files import RAW_SUFFIXES
from crispgrain.core.files.metadata import noise_profile
from crispgrain.core.files.source import RawSource, Source
from crispgrain.core.meter import Reading, measure
from crispgrain.core.meter.sensor import LEAST_SHOTS, SensorNoise, at_iso, pooled, told
from crispgrain.core.meter.suspects import shared, suspects_of
from crispgrain.core.shot import Shot, open_shot

from .store import Stamp, Store


def known_shot(path: Path, store: Store, rescue: bool = False) -> Shot:
    """A shot with its reading, and what all shots of its camera that were measured tell of the sensor; as open_shot."""
    return informed(open_shot(path, lambda source: reading_of(source, store), rescue), store)


def informed(shot: Shot, store: Store) -> Shot:
    """A shot with what all shots of its camera tell of the noise and the faulty pixels; itself if that is not new."""
    reading, source = known_reading(shot.source, shot.reading, store), with_defects(shot.source, store)
    return shot if source is shot.source and reading == shot.reading else Shot(source, reading)


def reading_of(source: Source, store: Store) -> Reading:
    """The reading of a file as it is, measured unless the store has it; what it says of its camera is kept."""
    stamp = Stamp.of(source.path)
    reading = store.reading(stamp)
    if reading is None:
        reading = measure(source)
        store.keep_reading(stamp, reading)
    if wants_pooling(source):
        store.keep_sensor_points(source.path, source.facts.camera, source.facts.iso or 0, reading.noise.points)
    if has_sensor(source) and not store.has_suspects(source.path) and reading.noise.a is not None:
        with contextlib.suppress(MemoryError, cv2.error):  # the shot can be worked on without
            store.keep_suspects(source.path, source.facts.camera, source.size, suspects_of(source, reading.noise))
    return reading


def known_reading(source: Source, reading: Reading, store: Store) -> Reading:
    """The reading of a shot, with the noise of its camera at its ISO as all shots of it tell."""
    if not wants_pooling(source):
        return reading
    return told(source, reading, at_iso(sensors(store, source.facts.camera), source.facts.iso or 0))


def has_sensor(source: Source) -> TypeGuard[RawSource]:
    """Whether a shot tells of its camera's faulty pixels: RAW of which nothing is lost."""
    return isinstance(source, RawSource) and bool(source.facts.camera) and source.lost is None


def with_defects(source: Source, store: Store) -> Source:
    """A RAW with the hot and dead pixels that several shots of its camera show; itself if it knows them."""
    if not has_sensor(source):
        return source
    places = shared(store.suspects(source.facts.camera, source.size))
    if source.defects is not None and np.array_equal(source.defects, places):
        return source
    return knowing(source, places)


def knowing(source: RawSource, places: Sequence[int] | NDArray[np.int32]) -> RawSource:
    """A RAW with its hot and dead pixels; what is worked out from it is not what was before they were known."""
    if not len(places):
        return source
    return replace(source, defects=np.asarray(places, np.int32), serial=(source.serial, len(places)))


def known_defects(source: Source) -> list[int]:
    """The hot and dead pixels that are known of a shot, as plain numbers."""
    return source.defects.tolist() if isinstance(source, RawSource) and source.defects is not None else []


def learn(paths: Iterable[Path], store: Store) -> None:
    """Measure what is not yet of many shots, so that each is opened knowing what all tell of their cameras."""
    for path in paths:
        # What is wrong with a file is said when it is opened.
        with contextlib.suppress(ShotError, MemoryError):
            if path.suffix.lower() in RAW_SUFFIXES and (noise_profile(path) is None or not store.has_suspects(path)):
                known_shot(path, store)


def wants_pooling(source: Source) -> bool:
    """Whether a shot's noise is better known from many: RAW whose file does not say what it is."""
    facts = source.facts
    return isinstance(source, RawSource) and source.noise_profile is None and bool(facts.camera and facts.iso)


def sensors(store: Store, camera: str) -> dict[int, SensorNoise]:
    """The noise of a camera by ISO, as far as enough of its shots were measured."""
    known = {}
    for iso, shots in store.sensor_points(camera).items():
        points = tuple((s, v, n) for shot in shots for s, v, n in shot)
        if len(shots) >= LEAST_SHOTS and len(points) >= 2 * LEAST_SHOTS:
            known[iso] = SensorNoise(*_pooled(points), len(shots), points)
    return known


@lru_cache(256)
def _pooled(points: tuple[tuple[float, float, float], ...]) -> tuple[float, float]:
    return pooled(np.array(points))
