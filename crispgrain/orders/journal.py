"""The journal of orders: what was asked for and how far it is, in one SQLite file. It is no cache, and is kept."""

from __future__ import annotations

import json
import os
import sqlite3
import threading
import time
from collections.abc import Sequence
from pathlib import Path

from attrs import evolve

from crispgrain.core.atomic import sweep
from crispgrain.core.treatment import Treatment
from crispgrain.processes import is_running

from .job import Job, JobState

TABLES = """
create table if not exists jobs (
    id integer primary key, number integer, path text, treatment text, folder text, name text, again integer,
    state text, tries integer, result text, words text, started real, owner integer, seconds real default 0
);
"""
KEPT = 30 * 24 * 3600  # s; what has long been over is forgotten
FIELDS = "id, number, path, treatment, folder, name, again, state, tries, result, words, started, seconds"


class Journal:
    """Every change is written at once; used by any thread."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._lock = threading.Lock()
        self._base = sqlite3.connect(path, timeout=10, isolation_level=None, check_same_thread=False)
        self._base.execute("pragma journal_mode=wal")
        self._base.execute("pragma synchronous=normal")
        self._base.executescript(TABLES)
        if "seconds" not in [row[1] for row in self._base.execute("pragma table_info(jobs)")]:
            self._base.execute("alter table jobs add column seconds real default 0")  # of an earlier version
        over = tuple(state.value for state in JobState if state.over)
        self._base.execute("delete from jobs where started < ? and state in (?, ?, ?)", (time.time() - KEPT, *over))

    def add(self, wishes: Sequence[tuple[Path, Treatment, Path, str, bool]]) -> list[Job]:
        """A new order: shots with treatment, folder, name, and whether a file of that name is written over."""
        with self._lock:
            (number,) = self._base.execute("select coalesce(max(number), 0) + 1 from jobs").fetchone()
            jobs = []
            self._base.execute("begin immediate")
            for path, treatment, folder, name, replace in wishes:
                row = self._base.execute(
                    "insert into jobs (number, path, treatment, folder, name, again, state, tries, result, words, "
                    "started, owner) values (?, ?, ?, ?, ?, ?, ?, 0, '', '', ?, ?)",
                    (
                        number, str(path), json.dumps(treatment.as_json()), str(folder), name, replace,
                        JobState.WAITING.value, time.time(), os.getpid(),
                    ),
                )  # fmt: skip
                jobs.append(Job(int(row.lastrowid or 0), number, path, treatment, folder, name, replace))
            self._base.execute("commit")
        return jobs

    def keep(self, job: Job) -> None:
        """Write how far a job is."""
        with self._lock:
            self._base.execute(
                "update jobs set state=?, tries=?, result=?, words=?, started=?, seconds=? where id=?",
                (job.state.value, job.tries, str(job.result or ""), job.words, job.started, job.seconds, job.id),
            )

    def take_over(self, jobs: Sequence[Job]) -> None:
        """From now on they are this process's."""
        with self._lock:
            self._base.executemany("update jobs set owner=? where id=?", [(os.getpid(), job.id) for job in jobs])

    def _owners(self) -> dict[int, int]:
        with self._lock:
            return dict(self._base.execute("select id, owner from jobs").fetchall())

    def jobs(self, order: int | None = None) -> list[Job]:
        """All jobs, or those of an order, as they were added."""
        with self._lock:
            where, values = ("where number=?", (order,)) if order is not None else ("", ())
            rows = self._base.execute(f"select {FIELDS} from jobs {where} order by id", values).fetchall()
        return [_job(row) for row in rows]

    def unfinished(self) -> list[Job]:
        """Jobs that an ended program left behind, to be gone on with.

        One that was running may have written its file at the last moment: that is not written again.
        """
        left, owners = [], self._owners()
        for job in self.jobs():
            owner = owners[job.id]
            if owner != os.getpid() and is_running(owner):
                continue  # another program of ours is at it
            if job.state is JobState.RUNNING:
                sweep(job.folder)
                done = job.result is not None and _written(job.result, job.started)
                job = evolve(job, state=JobState.DONE if done else JobState.WAITING)
                self.keep(job)
            if not job.state.over:
                left.append(job)
        return left

    def close(self) -> None:
        with self._lock:
            self._base.close()


def _written(result: Path, since: float) -> bool:
    """Whether a file was made since; an empty one only held the name where a file system knows no links."""
    if not result.exists() or result.stat().st_mtime < since:
        return False
    if result.stat().st_size:
        return True
    result.unlink()
    return False


def _job(row: tuple) -> Job:
    id, number, path, treatment, folder, name, again, state, tries, result, words, started, seconds = row
    return Job(
        id, number, Path(path), Treatment.from_json(json.loads(treatment)), Path(folder), name, bool(again),
        JobState(state), tries, Path(result) if result else None, words, started,
        seconds or 0.0,
    )  # fmt: skip
