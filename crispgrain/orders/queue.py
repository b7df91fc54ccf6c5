"""The queue of orders: jobs in worker processes, journalled, retried once after a crash."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import shutil
import threading
import time
from collections.abc import Sequence
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from pathlib import Path

from attrs import evolve
from psygnal import Signal

from crispgrain.core.atomic import sweep
from crispgrain.core.treatment import Treatment
from crispgrain.threads import worker_count

from .job import Job, JobState
from .journal import Journal
from .memory import default_limit, expected
from .worker import CANCELLED, FULL, PROGRESS, TARGET, WRITTEN, work

TRIES = 2
ROOM = 200_000_000  # bytes that must be free on a full disk before it is tried again
LOOK = 2.0  # s between two looks at a full disk
PATIENCE = 10.0  # s in which a cancelled worker may end by itself


class OrderQueue:
    """Runs jobs in order of their place, several at once; all signals come from threads of the queue."""

    changed = Signal(object)  # Job
    progress = Signal(object, object)  # Job, Progress
    trouble = Signal(str)  # why nothing goes on for now; empty when it does again
    idle = Signal()  # nothing is waiting or running any more

    def __init__(self, journal: Journal, store: Path, jobs: int = 1, memory_limit: float | None = None) -> None:
        self.journal = journal
        self._store, self._slots = store, max(1, jobs)
        self.memory_limit = memory_limit if memory_limit is not None else default_limit()  # bytes
        self._sizes: dict[int, float] = {}  # bytes that jobs will take, once their files were looked into
        self._needs: dict[int, float] = {}  # bytes that running jobs are expected to take
        self._jobs: dict[int, Job] = {}
        self._places: list[int] = []  # ids of waiting jobs, next first
        self._cancelled: set[int] = set()
        self._paused = self._closed = False
        self._full: Path | None = None  # the folder that is waited for
        self._were_there: set[Path] = set()  # folders that were seen; one that is gone since was unplugged
        self._turn = threading.Condition()
        self._managers: dict[int, threading.Thread] = {}  # of each slot
        self.at_once = self._slots

    # ---- what can be asked of it ------------------------------------------------------
    def add(self, wishes: Sequence[tuple[Path, Treatment, Path, str, bool]]) -> list[Job]:
        """A new order, behind what is waiting: see :meth:`Journal.add`."""
        return self.go_on(self.journal.add(wishes))

    def go_on(self, jobs: list[Job]) -> list[Job]:
        """Take up jobs of the journal."""
        self.journal.take_over(jobs)
        with self._turn:
            self._jobs.update((job.id, job) for job in jobs)
            self._places += [job.id for job in jobs]
            self._turn.notify_all()
        return jobs

    @property
    def jobs(self) -> list[Job]:
        """All jobs of this run: running ones first, then those waiting in their order, then the rest."""
        with self._turn:
            running = [j for j in self._jobs.values() if j.state is JobState.RUNNING]
            waiting = [self._jobs[id] for id in self._places]
            return [*running, *waiting, *(j for j in self._jobs.values() if j.state.over)]

    @property
    def left(self) -> int:
        """Jobs that are not over."""
        with self._turn:
            return sum(not job.state.over for job in self._jobs.values())

    @property
    def at_once(self) -> int:
        """How many jobs may run at the same time, as far as memory allows."""
        return self._slots

    @at_once.setter
    def at_once(self, count: int) -> None:
        with self._turn:
            self._slots = max(1, count)
            for number in set(range(self._slots)) - set(self._managers):
                manager = threading.Thread(target=self._manage, args=(number,), name=f"orders-{number}", daemon=True)
                self._managers[number] = manager
                manager.start()
            self._turn.notify_all()

    @property
    def paused(self) -> bool:
        return self._paused

    @property
    def seconds_left(self) -> float | None:
        """From how long the jobs of this run took; None before one is written."""
        with self._turn:
            took = [job.seconds for job in self._jobs.values() if job.state is JobState.DONE]
            left = [job for job in self._jobs.values() if not job.state.over]
            if not took or not left:
                return None
            gone = sum(time.time() - job.started for job in left if job.state is JobState.RUNNING)
            return max(len(left) * sum(took) / len(took) - gone, 1.0) / min(self._slots, len(left))

    def pause(self, on: bool) -> None:
        """Begin no job while it is on; those running are finished."""
        with self._turn:
            self._paused = on
            self._turn.notify_all()

    def move(self, id: int, place: int) -> None:
        """Give a waiting job another place, 0 is next."""
        with self._turn:
            if id in self._places:
                self._places.remove(id)
                self._places.insert(max(place, 0), id)

    def shift(self, ids: Sequence[int], by: int) -> None:
        """Move waiting jobs so many places on, those that follow one another together."""
        for id in sorted(ids, key=lambda i: self._places.index(i) if i in self._places else -1, reverse=by > 0):
            if id in self._places:
                self.move(id, self._places.index(id) + by)

    def put_first(self, ids: Sequence[int]) -> None:
        """Before all others that are waiting, in the order they have."""
        with self._turn:
            self._places = [i for i in self._places if i in ids] + [i for i in self._places if i not in ids]

    def cancel(self, ids: Sequence[int] | None = None) -> None:
        """Drop jobs, running or waiting; all that are left if none are named. Written files stay."""
        with self._turn:
            wanted = [id for id, job in self._jobs.items() if not job.state.over and (ids is None or id in ids)]
            self._cancelled.update(wanted)
            waiting = [id for id in wanted if id in self._places]
            self._places = [id for id in self._places if id not in waiting]
            self._turn.notify_all()
        for id in waiting:
            self._keep(evolve(self._jobs[id], state=JobState.CANCELLED))
        self._say_idle()

    def wait(self) -> None:
        """Return when nothing is waiting or running any more."""
        while self.left:
            with self._turn:
                self._turn.wait(0.2)

    def close(self) -> None:
        """End the workers; what is not over stays in the journal, to be gone on with."""
        with self._turn:
            self._closed = True
            self._turn.notify_all()
            managers = list(self._managers.values())
        for manager in managers:
            manager.join(PATIENCE + 5)

    # ---- work ----------------------------------------------------------------------------
    def _manage(self, number: int) -> None:
        """One slot: a process, kept from job to job until the slot is taken away."""
        process: BaseProcess | None = None
        line: Connection | None = None
        threads = 0
        while (job := self._next(number)) is not None:
            each = max(1, worker_count() // self._slots)
            if process is not None and line is not None and threads != each:
                line.close()  # it ends by itself; the next one has its share of the cores
                process = line = None
            if process is None or line is None or not process.is_alive():
                process, line = self._start(each)
                threads = each
            if not self._run(job, line):
                process.kill()
                process.join(PATIENCE)
                process = line = None
                sweep(job.folder)
            with self._turn:
                self._needs.pop(job.id, None)
                self._turn.notify_all()
            self._say_idle()
        if line is not None:
            line.close()
        if process is not None:
            process.join(PATIENCE)
            process.kill()

    def _start(self, threads: int) -> tuple[BaseProcess, Connection]:
        spawn = multiprocessing.get_context("spawn")
        ours, theirs = spawn.Pipe()
        process = spawn.Process(target=work, args=(theirs, threads, self._store), daemon=True)
        process.start()
        theirs.close()
        return process, ours

    def _next(self, number: int) -> Job | None:
        """The job whose turn it is for a slot; waits for one. None when the queue is closed or the slot gone."""
        with self._turn:
            while not self._closed and number < self._slots:
                id = self._next_in_turn()
                if id is not None and id not in self._sizes:
                    self._measure(id)
                elif self._full is not None:
                    self._turn.wait(LOOK)
                    self._look_at_full_disk()
                elif id is not None and not self._paused and self._gone(self._jobs[id].folder):
                    self._full = self._jobs[id].folder
                    self.trouble.emit(f"{self._full} is no longer there. Going on when it is back.")
                elif id is not None and not self._paused and self._room(id):
                    self._places.remove(id)
                    job = evolve(self._jobs[id], state=JobState.RUNNING, started=time.time())
                    self._jobs[id] = job
                    break
                else:
                    self._turn.wait()
            else:
                del self._managers[number]
                return None
        self._keep(job)
        return job

    def _next_in_turn(self) -> int | None:
        """The first waiting job of a shot that no other process is at: that one has most of it computed already.

        The first of all, if there is none such.
        """
        under_way = {job.path for job in self._jobs.values() if job.state is JobState.RUNNING}
        return next((id for id in self._places if self._jobs[id].path not in under_way), next(iter(self._places), None))

    def _measure(self, id: int) -> None:
        """Look into a job's file for what it will take; others need not wait for that."""
        job = self._jobs[id]
        self._turn.release()
        try:
            size = expected(job.path, job.treatment)
        finally:
            self._turn.acquire()
        self._sizes[id] = size

    def _room(self, id: int) -> bool:
        """Whether there is memory for one more job; for one alone there always is."""
        need = self._sizes[id]
        if self._needs and sum(self._needs.values()) + need > self.memory_limit:
            return False
        self._needs[id] = need
        return True

    def _gone(self, folder: Path) -> bool:
        """Whether a folder that was there is not any more; one that never was is made when it is written to."""
        if folder.is_dir():
            self._were_there.add(folder)
            return False
        return folder in self._were_there

    def _look_at_full_disk(self) -> None:
        with contextlib.suppress(OSError):
            if self._full is not None and shutil.disk_usage(self._full).free > ROOM and os.access(self._full, os.W_OK):
                self._full = None
                self.trouble.emit("")

    def _run(self, job: Job, line: Connection) -> bool:
        """One job; whether the process is still good for the next."""
        asked = 0.0  # when it was asked to stop
        try:
            line.send(
                {
                    "path": str(job.path), "treatment": job.treatment.as_json(), "folder": str(job.folder),
                    "name": job.name, "replace": job.replace,
                }
            )  # fmt: skip
            while True:
                if not line.poll(0.1):
                    if not asked and (self._closed or job.id in self._cancelled):
                        line.send(CANCELLED)
                        asked = time.monotonic()
                    elif asked and time.monotonic() - asked > PATIENCE:
                        raise EOFError  # it does not listen
                    continue
                word, more = line.recv()
                if word == PROGRESS:
                    self.progress.emit(job, more)
                elif word == TARGET:
                    job = evolve(job, result=Path(more))
                    self._keep(job)
                else:
                    self._end(job, word, more)
                    return True
        except (EOFError, OSError):
            self._crashed(job)
            return False

    def _end(self, job: Job, word: str, more: str) -> None:
        if word == WRITTEN:
            took = time.time() - job.started
            self._keep(evolve(job, state=JobState.DONE, result=Path(more), seconds=took))
        elif word == CANCELLED:
            state = JobState.CANCELLED if job.id in self._cancelled else JobState.WAITING  # the program is closed
            self._keep(evolve(job, state=state))
        elif word == FULL:
            with self._turn:
                self._full = job.folder
            self._again(job)
            self.trouble.emit(f"{more} Going on when there is room.")
        else:
            self._keep(evolve(job, state=JobState.FAILED, words=more))

    def _crashed(self, job: Job) -> None:
        if job.id in self._cancelled:
            self._keep(evolve(job, state=JobState.CANCELLED))
        elif self._closed:
            self._keep(evolve(job, state=JobState.WAITING))
        elif job.tries + 1 < TRIES:
            self._again(evolve(job, tries=job.tries + 1))
        else:
            words = f"{job.path.name}: the process that rendered it ended unexpectedly, {TRIES} times"
            self._keep(evolve(job, state=JobState.FAILED, tries=job.tries + 1, words=words))

    def _again(self, job: Job) -> None:
        """Put a job back to the front."""
        self._keep(evolve(job, state=JobState.WAITING))
        with self._turn:
            self._places.insert(0, job.id)
            self._turn.notify_all()

    def _keep(self, job: Job) -> None:
        with self._turn:
            self._jobs[job.id] = job
        self.journal.keep(job)
        self.changed.emit(job)

    def _say_idle(self) -> None:
        if not self.left:
            self.idle.emit()
