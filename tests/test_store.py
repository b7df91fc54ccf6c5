"""What is kept of shots seen before: found again while the file is the same, and never in the way."""

import sqlite3
from concurrent.futures import ThreadPoolExecutor

import pytest

from crispgrain.core.files import read_shot
from crispgrain.core.meter import Noise, Reading, measure
from crispgrain.store import Stamp, Store, store


@pytest.fixture
def shot(tmp_path):
    path = tmp_path / "shot.dng"
    path.write_bytes(b"anything")
    return path


def test_a_reading_comes_back_as_it_was(raw_file, tmp_path):
    reading = measure(read_shot(raw_file))
    kept = Store(tmp_path / "s" / "store.sqlite")
    kept.keep_reading(Stamp.of(raw_file), reading)
    kept.close()
    again = Store(tmp_path / "s" / "store.sqlite")
    assert again.reading(Stamp.of(raw_file)) == reading
    assert hash(again.reading(Stamp.of(raw_file))) == hash(reading)  # it is part of the keys of tiles


def test_nothing_is_found_of_a_file_that_changed_or_is_gone(shot, tmp_path):
    kept = Store(tmp_path / "store.sqlite")
    kept.keep_reading(Stamp.of(shot), Reading(Noise.even(4)))
    kept.keep_thumbnail(Stamp.of(shot), b"small")
    assert kept.thumbnail(Stamp.of(shot)) == b"small"
    shot.write_bytes(b"anything else")
    assert kept.reading(Stamp.of(shot)) is None
    assert kept.thumbnail(Stamp.of(shot)) is None
    shot.unlink()
    assert Stamp.of(shot) is None
    kept.keep_reading(Stamp.of(shot), Reading())
    assert kept.reading(Stamp.of(shot)) is None


def test_a_reading_of_an_earlier_meter_is_not_believed(shot, tmp_path, monkeypatch):
    kept = Store(tmp_path / "store.sqlite")
    kept.keep_reading(Stamp.of(shot), Reading(Noise.even(4)))
    monkeypatch.setattr(store, "METER_VERSION", store.METER_VERSION + 1)
    assert kept.reading(Stamp.of(shot)) is None


@pytest.mark.parametrize("content", [b"no database at all" * 100, None])
def test_a_damaged_store_or_one_of_another_version_is_begun_anew(content, shot, tmp_path):
    path = tmp_path / "store.sqlite"
    if content is None:
        with sqlite3.connect(path) as base:
            base.execute("create table readings (x)")
            base.execute("pragma user_version=99")
        base.close()
    else:
        path.write_bytes(content)
    kept = Store(path)
    kept.keep_thumbnail(Stamp.of(shot), b"small")
    assert kept.thumbnail(Stamp.of(shot)) == b"small"


def test_without_a_place_to_be_it_keeps_nothing_and_says_nothing(shot, tmp_path):
    (tmp_path / "file").write_text("")
    kept = Store(tmp_path / "file" / "store.sqlite")
    kept.keep_reading(Stamp.of(shot), Reading())
    assert kept.reading(Stamp.of(shot)) is None
    kept.close()


def test_many_threads_and_two_programs_may_use_it(shot, tmp_path):
    two = [Store(tmp_path / "store.sqlite") for _ in range(2)]
    stamps = [Stamp(f"{n}", n, n) for n in range(200)]

    def keep(n: int) -> None:
        two[n % 2].keep_thumbnail(stamps[n], bytes([n]))

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(keep, range(200)))
    assert [two[0].thumbnail(s) for s in stamps] == [bytes([n]) for n in range(200)]
