"""What was found out about shots before (readings, thumbnails, products of whole pictures), and what is open."""

from __future__ import annotations

import contextlib
import io
import json
import sqlite3
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from crispgrain.arrays import Array
from crispgrain.core.meter import METER_VERSION, Reading, reading_from_json
from crispgrain.core.meter.suspects import SCENE, Suspects
from crispgrain.geometry import Size

VERSION = 4  # of the tables; another one is begun anew
MOST_SHOTS = 60  # of a camera at one ISO that are asked what its noise is
MOST_SUSPECTING = 40  # shots of a camera that are asked what pixels are hot or dead
TABLES = """
create table readings (path text primary key, size integer, changed integer, meter integer, reading text);
create table thumbnails (path text primary key, size integer, changed integer, picture blob);
create table products (path text, name text, size integer, changed integer, numbers blob, primary key (path, name));
create table sensor_points (path text primary key, camera text, iso integer, points text);
create index by_camera on sensor_points (camera, iso);
create table suspects (
    path text primary key, camera text, height integer, width integer, places blob, scene blob
);
create index by_sensor on suspects (camera, height, width);
create table state (name text primary key, value text);
create table roll (place integer primary key, path text, on_easel integer);
"""


@dataclass(frozen=True)
class Stamp:
    """Which state of which file something was found in."""

    path: str
    size: int  # bytes
    changed: int  # ns

    @classmethod
    def of(cls, path: Path) -> Stamp | None:
        """None if the file cannot be looked at."""
        try:
            facts = path.stat()
        except OSError:
            return None
        return cls(str(path.resolve()), facts.st_size, facts.st_mtime_ns)


class Store:
    """One SQLite file, used by any thread. Whatever is wrong with it, work goes on without what was kept."""

    def __init__(self, path: Path) -> None:
        self._lock = threading.Lock()
        self._base: sqlite3.Connection | None = None
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._base = _opened(path)
        except (OSError, sqlite3.Error):
            with contextlib.suppress(OSError, sqlite3.Error):  # damaged, or of another version: begun anew
                for part in (path, path.with_name(path.name + "-wal"), path.with_name(path.name + "-shm")):
                    part.unlink(missing_ok=True)
                self._base = _opened(path)

    def reading(self, stamp: Stamp | None) -> Reading | None:
        """What the meter of today found in a file as it is now, if it is kept."""
        row = self._row("select reading from readings where path=? and size=? and changed=? and meter=?", stamp,
                        METER_VERSION)  # fmt: skip
        if row is None:
            return None
        try:
            return reading_from_json(json.loads(row[0]))
        except (ValueError, TypeError, KeyError):
            return None

    def keep_reading(self, stamp: Stamp | None, reading: Reading) -> None:
        if stamp is not None:
            self._put(
                "insert or replace into readings values (?, ?, ?, ?, ?)",
                (stamp.path, stamp.size, stamp.changed, METER_VERSION, json.dumps(reading.as_json())),
            )

    def thumbnail(self, stamp: Stamp | None) -> bytes | None:
        """The thumbnail of a file as it is now, as it was kept, if it was."""
        row = self._row("select picture from thumbnails where path=? and size=? and changed=?", stamp)
        return bytes(row[0]) if row is not None else None

    def keep_thumbnail(self, stamp: Stamp | None, picture: bytes) -> None:
        """Keep an encoded picture for a file as it is now."""
        if stamp is not None:
            self._put(
                "insert or replace into thumbnails values (?, ?, ?, ?)",
                (stamp.path, stamp.size, stamp.changed, picture),
            )

    def product(self, path: Path, name: str) -> Array | None:
        """What was worked out from the whole of a file as it is now, if it is kept under that name."""
        question = "select numbers from products where path=? and size=? and changed=? and name=?"
        row = self._row(question, Stamp.of(path), name)
        try:
            return np.load(io.BytesIO(row[0]), allow_pickle=False) if row is not None else None
        except (ValueError, OSError, EOFError):
            return None

    def keep_product(self, path: Path, name: str, product: Array) -> None:
        stamp, packed = Stamp.of(path), io.BytesIO()
        np.save(packed, product, allow_pickle=False)
        if stamp is not None:
            self._put(
                "insert or replace into products values (?, ?, ?, ?, ?)",
                (stamp.path, name, stamp.size, stamp.changed, packed.getvalue()),
            )

    def keep_sensor_points(self, path: Path, camera: str, iso: int, points: Sequence[Sequence[float]]) -> None:
        """Keep what a shot says of its camera's noise at an ISO."""
        if points:
            values = (str(path.resolve()), camera, iso, json.dumps(points))
            self._put(
                "insert into sensor_points values (?, ?, ?, ?) on conflict (path) do update set "
                "camera=excluded.camera, iso=excluded.iso, points=excluded.points where points != excluded.points",
                values,
            )

    def sensor_points(self, camera: str) -> dict[int, list[Sequence[Sequence[float]]]]:
        """What shots of a camera say of its noise: for each ISO those of its newest shots, always in one order."""
        found: dict[int, list[str]] = {}
        with self._lock, contextlib.suppress(sqlite3.Error):
            if self._base is not None:
                question = "select iso, points from sensor_points where camera=? order by rowid desc"
                for iso, points in self._base.execute(question, (camera,)):
                    if len(found.setdefault(iso, [])) < MOST_SHOTS:
                        found[iso].append(points)
        return {iso: [json.loads(points) for points in sorted(shots)] for iso, shots in found.items()}

    def keep_suspects(self, path: Path, camera: str, size: Size, suspects: Suspects) -> None:
        """Keep which pixels of its camera a shot suspects."""
        self._put(
            "insert or replace into suspects values (?, ?, ?, ?, ?, ?)",
            (str(path.resolve()), camera, size.height, size.width, suspects.places.astype("<i4").tobytes(),
             suspects.scene.astype("<f4").tobytes()),
        )  # fmt: skip

    def has_suspects(self, path: Path) -> bool:
        with self._lock, contextlib.suppress(sqlite3.Error):
            if self._base is not None:
                question = "select 1 from suspects where path=?"
                return self._base.execute(question, (str(path.resolve()),)).fetchone() is not None
        return False

    def suspects(self, camera: str, size: Size) -> list[Suspects]:
        """What the newest shots of a camera suspect."""
        question = (
            "select places, scene from suspects where camera=? and height=? and width=? order by rowid desc limit ?"
        )
        with self._lock, contextlib.suppress(sqlite3.Error):
            if self._base is not None:
                rows = self._base.execute(question, (camera, size.height, size.width, MOST_SUSPECTING)).fetchall()
                return [
                    Suspects(np.frombuffer(p, "<i4"), np.frombuffer(s, "<f4").reshape(SCENE, SCENE)) for p, s in rows
                ]
        return []

    def open_roll(self) -> tuple[list[Path], Path | None]:
        """The files that are open, in order, and that on the easel."""
        with self._lock, contextlib.suppress(sqlite3.Error):
            if self._base is not None:
                rows = self._base.execute("select path, on_easel from roll order by place").fetchall()
                return [Path(path) for path, _ in rows], next((Path(path) for path, on in rows if on), None)
        return [], None

    def keep_open_roll(self, paths: Sequence[Path], on_easel: Path | None) -> None:
        """Keep which files are open, whole or not at all."""
        rows = [(place, str(path), path == on_easel) for place, path in enumerate(paths)]
        with self._lock, contextlib.suppress(sqlite3.Error):
            if self._base is not None:
                self._base.execute("begin")
                try:
                    self._base.execute("delete from roll")
                    self._base.executemany("insert into roll values (?, ?, ?)", rows)
                finally:
                    self._base.execute("commit")

    def keep_on_easel(self, path: Path | None) -> None:
        self._put("update roll set on_easel = (path = ?)", (str(path),))

    def keep_state(self, name: str, value: object) -> None:
        """Keep plain data under a name."""
        self._put("insert or replace into state values (?, ?)", (name, json.dumps(value)))

    def state(self, name: str) -> Any:
        """What is kept under a name; None if nothing is."""
        with self._lock, contextlib.suppress(sqlite3.Error, ValueError):
            if self._base is not None:
                row = self._base.execute("select value from state where name=?", (name,)).fetchone()
                return json.loads(row[0]) if row is not None else None
        return None

    def close(self) -> None:
        with self._lock:
            if self._base is not None:
                self._base.close()
                self._base = None

    def _row(self, question: str, stamp: Stamp | None, *more: Any) -> tuple[Any, ...] | None:
        with self._lock, contextlib.suppress(sqlite3.Error):
            if self._base is not None and stamp is not None:
                return self._base.execute(question, (stamp.path, stamp.size, stamp.changed, *more)).fetchone()
        return None

    def _put(self, statement: str, values: tuple[Any, ...]) -> None:
        with self._lock, contextlib.suppress(sqlite3.Error):
            if self._base is not None:
                self._base.execute(statement, values)


def _opened(path: Path) -> sqlite3.Connection:
    """The file with today's tables, each change written at once.

    Raises
    ------
    sqlite3.Error
        If it is no such file, or of another version.
    """
    base = sqlite3.connect(path, timeout=5, isolation_level=None, check_same_thread=False)
    try:
        base.execute("pragma journal_mode=wal")
        base.execute("pragma synchronous=normal")
        (version,) = base.execute("pragma user_version").fetchone()
        if version not in (0, VERSION):
            raise sqlite3.DatabaseError("of another version")
        if version == 0:
            base.executescript(f"begin; {TABLES} pragma user_version={VERSION}; commit;")
    except sqlite3.Error:
        base.close()
        raise
    return base
