"""Writing files whole or not at all."""

from __future__ import annotations

import contextlib
import os
import platform
import tempfile
from collections.abc import Callable
from pathlib import Path

from crispgrain.processes import is_running

UNFINISHED = ".unfinished-"
HOST = "".join(c for c in platform.node() if c.isalnum() or c in "._") or "here"  # folders are shared between machines


class FolderError(OSError):
    """A folder that no file can be made in."""


def atomic_write(path: Path, write: Callable[[Path], object], replace: bool = True) -> Path:
    """Have ``write`` fill a new file, which takes the place of ``path`` when all has gone well.

    It is on the disk before it is renamed, and the folder after: a power cut leaves the old file or the new one. If
    the name is taken and ``replace`` is false, a number is added to it.

    Returns
    -------
    Path
        The name really used.

    Raises
    ------
    FolderError
        If the folder cannot be written to.
    OSError
        If the file cannot. Whatever goes wrong, also within ``write``, the old file is as it was.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(
            prefix=f"{UNFINISHED}{os.getpid()}@{HOST}-", suffix=path.suffix, dir=path.parent
        )
    except OSError as error:
        raise FolderError(error.errno, error.strerror) from error
    os.close(handle)
    unfinished = Path(name)
    try:
        write(unfinished)
        _flush(unfinished)
        unfinished.chmod(0o666 & ~_umask())
        final = unfinished.replace(path) if replace else _placed(unfinished, path)
        _flush(path.parent)
        return final
    finally:
        unfinished.unlink(missing_ok=True)


def sweep(folder: Path) -> None:
    """Remove what processes of this machine left unfinished in a folder when they were killed."""
    for path in folder.glob(f"{UNFINISHED}*"):
        pid, _, host = path.name[len(UNFINISHED) :].partition("-")[0].partition("@")
        if host == HOST and pid.isdigit() and not is_running(int(pid)):
            path.unlink(missing_ok=True)


def _placed(unfinished: Path, path: Path) -> Path:
    """Give a file the name, or the first one with a number that is free."""
    number = 1
    while True:
        candidate = path if number == 1 else path.with_stem(f"{path.stem}-{number}")
        try:
            candidate.hardlink_to(unfinished)  # one step, in which nobody else can take the name
            return candidate
        except FileExistsError:
            number += 1
        except OSError:  # no links on this file system: an empty file holds the name until ours replaces it
            with contextlib.suppress(FileExistsError):
                os.close(os.open(candidate, os.O_CREAT | os.O_EXCL | os.O_WRONLY))
                return unfinished.replace(candidate)
            number += 1


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
