"""Stopping work that nobody wants any more."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar


class Cancelled(Exception):  # noqa: N818 - it is no error
    """The work was stopped on request; nothing was written."""


class CancelToken:
    """Set by whoever wants work to stop; looked at by the work, between tiles and in long loops."""

    def __init__(self) -> None:
        self._event = threading.Event()

    def cancel(self) -> None:
        self._event.set()

    @property
    def cancelled(self) -> bool:
        return self._event.is_set()

    def check(self) -> None:
        """Raise :class:`Cancelled` if work should stop."""
        if self.cancelled:
            raise Cancelled


NEVER = CancelToken()

_of_this_work: ContextVar[CancelToken] = ContextVar("cancel", default=NEVER)


@contextmanager
def cancelled_by(token: CancelToken) -> Iterator[None]:
    """Let :func:`check` look at a token, so that a model's loops need not be handed one."""
    before = _of_this_work.set(token)
    try:
        yield
    finally:
        _of_this_work.reset(before)


def check() -> None:
    """Raise :class:`Cancelled` if the work under way in this thread should stop."""
    _of_this_work.get().check()
