"""Writing files whole or not at all."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path


@contextlib.contextmanager
def atomic_write(path: Path) -> Iterator[Path]:
    """A new file beside ``path`` to write to, which takes its place when all has gone well.

    It is on the disk before it is renamed, and the folder after: a power cut leaves the old file or the new one.

    Raises
    ------
    OSError
        If it cannot be written. Whatever goes wrong, the old file is as it was.
    """
    handle, name = tempfile.mkstemp(prefix=f".unfinished-{path.name}-", dir=path.parent)
    os.close(handle)
    unfinished = Path(name)
    try:
        yield unfinished
        _flush(unfinished)
        unfinished.chmod(0o666 & ~_umask())
        unfinished.replace(path)
        _flush(path.parent)
    finally:
        unfinished.unlink(missing_ok=True)


def _flush(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _umask() -> int:
    now = os.umask(0)
    os.umask(now)
    return now
