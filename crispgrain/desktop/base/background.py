"""Work off the window's thread: most urgent first, cancellable, answers delivered in the window's thread."""

from __future__ import annotations

import contextlib
import itertools
import os
import queue
import sys
import threading
from collections.abc import Callable
from enum import IntEnum
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from crispgrain.cancel import NEVER, Cancelled, CancelToken, cancelled_by
from crispgrain.threads import single_threaded_libraries, worker_count

SWITCH_INTERVAL = 0.0005  # s; how soon a computing thread lets the window's thread have the interpreter


def yield_to_window() -> None:
    """Let the window's thread go before the calling one, for the processor and for the interpreter."""
    sys.setswitchinterval(SWITCH_INTERVAL)
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 10)


class Urgency(IntEnum):
    """Lower comes first."""

    VISIBLE = 0
    OPENING = 1
    STRIP = 2
    METERING = 3
    AHEAD = 4


class Background(QObject):
    """A few worker threads behind a queue sorted by urgency."""

    _finished = Signal(object, object)

    def __init__(self, threads: int | None = None) -> None:
        super().__init__()
        self._jobs: queue.PriorityQueue[tuple[int, int, Any]] = queue.PriorityQueue()
        self._order = itertools.count()
        self._finished.connect(self._deliver, Qt.ConnectionType.QueuedConnection)
        self._closed = False
        self._closing = CancelToken()
        self._limits = single_threaded_libraries()
        self._limits.__enter__()
        self._threads = [
            threading.Thread(target=self._work, name=f"background-{i}", daemon=True)
            for i in range(threads or worker_count())
        ]
        for thread in self._threads:
            thread.start()

    def submit(
        self, urgency: Urgency, job: Callable[[], Any], done: Callable[[Any], None],
        failed: Callable[[Exception], None] | None = None, cancel: CancelToken = NEVER,
    ) -> None:  # fmt: skip
        """Run ``job`` in a worker; then ``done(answer)`` or ``failed(error)`` in the window's thread.

        A cancelled job answers nothing.
        """
        if not self._closed:
            self._jobs.put((urgency, next(self._order), (job, done, failed, cancel)))

    def in_window(self, job: Callable[[], Any]) -> None:
        """Run something short in the window's thread, from any thread."""
        self._emit(lambda _: job(), None)

    def close(self) -> None:
        """End the workers: jobs still waiting are dropped, those under way stop where they look whether they should.

        Answers on the way are not delivered any more.
        """
        self._closed = True
        self._closing.cancel()
        while True:
            try:
                self._jobs.get_nowait()
            except queue.Empty:
                break
        for _ in self._threads:
            self._jobs.put((-1, next(self._order), None))
        for thread in self._threads:
            thread.join(timeout=10)
        self._limits.__exit__(None, None, None)

    def _work(self) -> None:
        yield_to_window()
        while True:
            _, _, task = self._jobs.get()
            if task is None:
                return
            job, done, failed, cancel = task
            if cancel.cancelled:
                continue
            try:
                with cancelled_by(self._closing):
                    answer = job()
            except Cancelled:
                continue
            except Exception as error:  # whatever it is, the window must hear of it and live on
                self._emit(failed, error)
            else:
                self._emit(_unless(cancel, done), answer)

    def _emit(self, callback: Callable[[Any], Any] | None, answer: object) -> None:
        with contextlib.suppress(RuntimeError):  # the window is gone
            self._finished.emit(callback, answer)

    def _deliver(self, callback: Callable[[Any], None] | None, answer: object) -> None:
        if callback is not None and not self._closed:  # who asked may be gone
            callback(answer)


def _unless(cancel: CancelToken, done: Callable[[Any], None]) -> Callable[[Any], None]:
    """``done``, unless the job was cancelled while its answer was on the way."""

    def deliver(answer: Any) -> None:
        if not cancel.cancelled:
            done(answer)

    return deliver
