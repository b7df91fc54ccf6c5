"""How much memory a job will take, so that several at once stay below a limit."""

from __future__ import annotations

import os
from pathlib import Path

import rawpy
from PIL import Image

from crispgrain.core.files import RAW_SUFFIXES

# Together what the hungriest chain of docs/benchmarks.md was measured to take, rounded up: 2.6 GB for a RAW of 24 MP
# through Denoise and Sharpen. How it is shared out between the two is an estimate.
PROCESS = 700e6  # bytes: libraries, networks, and the tiles that threads work on
EACH_PIXEL = 85  # bytes: the shot as it is stored, the tiles kept, the result
UNKNOWN = 24e6  # pixels, of a file that cannot be looked into


def machine() -> float:
    """Bytes of memory that this machine has."""
    return float(os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE"))


def default_limit() -> float:
    """Half of the machine's memory, in bytes."""
    return machine() / 2


def jobs_at_once(cores: int, limit: float) -> int:
    """As many as there are cores, but no more than the limit has room for with shots of a usual size."""
    return max(1, min(cores, int(limit / (PROCESS + EACH_PIXEL * UNKNOWN))))


def expected(path: Path) -> float:
    """Bytes that a process needs to treat a shot, from what the file says of its size."""
    return PROCESS + EACH_PIXEL * _pixels(path)


def _pixels(path: Path) -> float:
    try:
        if path.suffix.lower() in RAW_SUFFIXES:
            with rawpy.imread(str(path)) as raw:
                return float(raw.sizes.raw_height * raw.sizes.raw_width)
        with Image.open(path) as picture:
            return float(picture.width * picture.height)
    except Exception:  # whatever is wrong with it is said when it is its turn
        return UNKNOWN
