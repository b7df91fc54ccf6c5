"""ICC files of the user's."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from ..colour.icc import output_profile
from ..errors import ShotError

LARGEST = 100_000_000  # bytes


def read_profile(path: Path) -> bytes:
    """A profile that results can be written in.

    Raises
    ------
    ShotError
        If there is none, or it will not do; says why.
    """
    try:
        stat = path.stat()
        return _read(path, stat.st_mtime_ns)
    except OSError as error:
        raise ShotError(path, f"the profile cannot be read ({error.strerror})") from error
    except ValueError as error:
        raise ShotError(path, str(error)) from error


@lru_cache(maxsize=16)
def _read(path: Path, changed: int) -> bytes:
    if path.stat().st_size > LARGEST:
        raise ValueError("it is too large for an ICC profile")
    return output_profile(path.read_bytes())
