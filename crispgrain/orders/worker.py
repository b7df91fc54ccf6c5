"""The process that renders jobs: a crash in a decoder or a network takes one shot with it, not the program."""

from __future__ import annotations

import ctypes
import errno
import json
import os
import signal
import threading
from collections.abc import Callable, Hashable, Sequence
from dataclasses import replace
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from crispgrain.cancel import Cancelled, CancelToken
from crispgrain.core.errors import ShotError
from crispgrain.core.files.source import RawSource
from crispgrain.core.meter import reading_from_json
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.naming import TEMPLATE
from crispgrain.core.render.progress import Progress
from crispgrain.core.render.whole import export, result_name
from crispgrain.core.shot import Shot, open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.store import Store
from crispgrain.store.sensors import knowing, known_shot
from crispgrain.threads import limit_workers

# What may be over in a while: a full disk, one that was unplugged, a share that is away.
PASSING = {errno.ENOSPC, errno.EDQUOT, errno.EIO, errno.ENODEV, errno.ENXIO, errno.ESTALE, errno.ENOTCONN, errno.EROFS}
IDLE = 5.0  # s without a job after which memory is given back
PR_SET_PDEATHSIG = 1  # prctl(2)
GIVES_WAY = 19  # steps of niceness, the most there are: someone may be at work in the window
# What a worker says: a word, and what belongs to it.
TARGET, PROGRESS, WRITTEN, FAILED, FULL, CANCELLED = "target", "progress", "written", "failed", "full", "cancelled"


def work(line: Connection, threads: int, store: Path) -> None:
    """Render what comes down the line, one job after the other, until it is closed."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl+C is for the program, which tells us
    # A killed program takes us along at once: a job finished later would collide with the one that goes on with it.
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
    os.nice(GIVES_WAY)
    limit_workers(threads)
    last = LastShot(Store(store))
    while True:
        try:
            if not line.poll(IDLE):
                last.forget()
            wish = line.recv()
        except EOFError:
            return
        cancel = CancelToken()
        over = threading.Event()
        listener = threading.Thread(target=_listen, args=(line, cancel, over), daemon=True)
        listener.start()
        said = answer(wish, line.send, cancel, last)
        over.set()
        listener.join()
        try:
            line.send(said)
        except OSError:
            return


def _listen(line: Connection, cancel: CancelToken, over: threading.Event) -> None:
    """Cancel when asked to, and when there is nobody any more who waits for the answer."""
    while not over.is_set():
        try:
            if line.poll(0.1) and line.recv() == CANCELLED:
                cancel.cancel()
                return
        except (EOFError, OSError):
            cancel.cancel()
            return


class LastShot:
    """The shot rendered last with what was computed of it, for another file of it: one pass for all of its files.

    Readings are looked up in ``readings``, if they don't come with the wish.
    """

    def __init__(self, readings: Store | None = None) -> None:
        self._readings = readings
        self.forget()

    def forget(self) -> None:
        self._known: Hashable = None
        self._shot: Shot | None = None
        self._cache = TileCache()

    def open(
        self, path: Path, reading: dict[str, Any] | None, rescue: bool = False, defects: Sequence[int] = ()
    ) -> tuple[Shot, TileCache]:
        """A shot, as it is on disk now, with a reading and the hot pixels that came with it; raises ShotError."""
        found = path.stat() if path.exists() else None
        known = found and (path, found.st_size, found.st_mtime_ns, json.dumps(reading, sort_keys=True), rescue)
        if self._shot is None or known != self._known:
            self.forget()
            if reading is not None:
                shot = open_shot(path, lambda source: reading_from_json(reading), rescue)
                source = knowing(shot.source, defects) if isinstance(shot.source, RawSource) else shot.source
                self._shot = replace(shot, source=source)
            else:
                store = self._readings
                self._shot = known_shot(path, store, rescue) if store is not None else open_shot(path, rescue=rescue)
            self._known = known
        return self._shot, self._cache


def answer(
    wish: dict[str, Any], say: Callable[[tuple[str, Any]], None], cancel: CancelToken, last: LastShot
) -> tuple[str, str]:
    """Render what is wished, saying how far it is; a word for how it ended, and the file or what went wrong."""
    path, folder = Path(wish["path"]), Path(wish["folder"])
    try:
        treatment = Treatment.from_json(wish["treatment"])
        shot, cache = last.open(path, wish.get("reading"), treatment.rescue, wish.get("defects", ()))
        pipeline = shot.pipeline(treatment, cache)
        name = result_name(pipeline, wish["name"] or TEMPLATE)
        say((TARGET, str(folder / name)))

        def report(progress: Progress) -> None:
            say((PROGRESS, progress))

        return WRITTEN, str(export(pipeline, folder, name, wish["replace"], report, cancel))
    except Cancelled:
        return CANCELLED, ""
    except MemoryError:
        return FAILED, f"{path.name}: there is not enough memory for this result"
    except ShotError as error:
        cause = error.__cause__
        waits = isinstance(cause, OSError) and cause.errno in PASSING
        return FULL if waits else FAILED, str(error)
    except Exception as error:  # whatever it is, it is one shot's trouble
        return FAILED, f"{path.name}: {error or type(error).__name__}"
