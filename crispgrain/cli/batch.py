"""Many shots at once, in worker processes; what an ended call left is gone on with."""

from __future__ import annotations

import argparse
import sys
import threading
from collections.abc import Callable, Iterable
from pathlib import Path

from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.orders.job import Job, JobState
from crispgrain.orders.journal import Journal
from crispgrain.orders.queue import OrderQueue
from crispgrain.paths import store_file
from crispgrain.store import Stamp, Store

JOURNAL = ".unfinished-orders.sqlite"  # in the folder of the results, while not all are there


def run_queue(
    options: argparse.Namespace, opened: Iterable[Shot | ShotError], treatment: Callable[[Path, Shot], Treatment]
) -> int:
    """Write the results of shots; the exit code is 1 if one failed.

    With ``resume``, shots of which the journal of the folder knows are not asked for once more.
    """
    options.out.mkdir(parents=True, exist_ok=True)
    path = options.out / JOURNAL
    if not options.resume:
        path.unlink(missing_ok=True)
    journal, readings, said = Journal(path), Store(store_file()), threading.Lock()
    queue = OrderQueue(journal, store_file(), options.jobs)
    failed = 0

    def tell(job: Job) -> None:
        with said:
            if job.state is JobState.DONE:
                print(job.result, flush=True)
            elif job.state is JobState.FAILED:
                print(f"crispgrain: {job.words}", file=sys.stderr, flush=True)

    queue.changed.connect(tell)
    queue.trouble.connect(lambda words: print(f"crispgrain: {words or 'going on'}", file=sys.stderr, flush=True))
    known = {job.path for job in journal.jobs()}
    queue.go_on(journal.unfinished())
    try:
        for shot in opened:
            try:
                if isinstance(shot, ShotError):
                    raise shot
                if shot.path.absolute() in known:
                    continue
                readings.keep_reading(Stamp.of(shot.path), shot.reading)  # so that the worker need not measure again
                queue.add(
                    [(shot.path.absolute(), treatment(shot.path, shot), options.out.absolute(), "", options.replace)]
                )
            except (ShotError, TreatmentError) as error:
                failed += 1
                words = str(error) if isinstance(error, ShotError) else f"{shot.path.name}: {error}"
                print(f"crispgrain: {words}", file=sys.stderr, flush=True)
        queue.wait()
    finally:
        queue.close()  # what is left stays in the journal
    failed += sum(job.state is JobState.FAILED for job in journal.jobs())
    journal.close()
    for rest in ("", "-wal", "-shm"):
        path.with_name(path.name + rest).unlink(missing_ok=True)
    if failed:
        print(f"crispgrain: {failed} failed", file=sys.stderr)
    return 1 if failed else 0
