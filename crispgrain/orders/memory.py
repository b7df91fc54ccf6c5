"""How much memory a job will take, so that several at once stay below a limit."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

import rawpy
from PIL import Image

from crispgrain.core.errors import TreatmentError
from crispgrain.core.files import RAW_SUFFIXES
from crispgrain.core.model import Stage
from crispgrain.core.stages.enlarge.size import PARAMETERS as SIZES
from crispgrain.core.stages.enlarge.size import target_size
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Size

# Together what the hungriest chain of docs/benchmarks.md was measured to take, rounded up: 3.0 to 3.2 GB for a RAW of
# 24 MP through Denoise and Sharpen. How it is shared out between the two is an estimate.
PROCESS = 1000e6  # bytes: libraries, networks, and the tiles that threads work on
EACH_PIXEL = 95  # bytes: the shot as it is stored, the tiles kept, the result
# A picture of 6 MP took up to 1.4 GB more to be enlarged twice by detail net, 34 bytes for each pixel of a TIFF else;
# its tiles have grown since, which took half a GB more in both threads together.
ENLARGING = 1250e6  # bytes: larger tiles
EACH_ENLARGED = 35  # bytes: a result as it is rendered and packed
UNKNOWN = 4000, 6000  # height and width in px, of a file that cannot be looked into


def machine() -> float:
    """Bytes of memory that this machine has."""
    return float(os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE"))


def default_limit() -> float:
    """Half of the machine's memory, in bytes."""
    return machine() / 2


def jobs_at_once(cores: int, limit: float) -> int:
    """As many as there are cores, but no more than the limit has room for with shots of a usual size."""
    return max(1, min(cores, int(limit / (PROCESS + EACH_PIXEL * UNKNOWN[0] * UNKNOWN[1]))))


def expected(path: Path, treatment: Treatment) -> float:
    """Bytes that a process needs to treat a shot, from what the file says of its size and how far it is enlarged."""
    height, width = _size(path)
    need = PROCESS + EACH_PIXEL * height * width
    enlarge = treatment[Stage.ENLARGE]
    if not enlarge.on:
        return need
    wish = {p.id: enlarge.values.get(p.id, p.default) for p in SIZES}
    with contextlib.suppress(TreatmentError):  # said when it is its turn
        size = target_size(Size(height, width), wish)
        need += ENLARGING + EACH_ENLARGED * size.height * size.width
    return need


def _size(path: Path) -> tuple[int, int]:
    """Height and width."""
    try:
        if path.suffix.lower() in RAW_SUFFIXES:
            with rawpy.imread(str(path)) as raw:
                return raw.sizes.raw_height, raw.sizes.raw_width
        with Image.open(path) as picture:
            return picture.height, picture.width
    except Exception:  # whatever is wrong with it is said when it is its turn
        return UNKNOWN
