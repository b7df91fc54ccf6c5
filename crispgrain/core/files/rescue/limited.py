"""Damaged files are read by a process of its own, so that whatever a decoder does ends with it."""

from __future__ import annotations

import resource
import subprocess
import sys
from functools import lru_cache
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from ...errors import ShotError
from ..metadata import read_facts
from ..raw import read_raw
from ..source import RawSource
from .found import Found
from .raw import rescued_raw
from .reading import NEIGHBOURS, read_what_is_left

SECONDS = 300  # of work on one file
MEMORY = 6 << 30  # bytes; a decoder that wants more is misled by the file


def rescued(path: Path, raw: bool = False) -> tuple[Found, RawSource | None]:
    """What is left of a file, and if it is to be read as RAW, that.

    Raises
    ------
    ShotError
        If nothing is left of it, or it took too long.
    """
    found = path.stat()
    return _rescued(path, raw, found.st_size, found.st_mtime_ns)


@lru_cache(maxsize=2)  # opening a shot reads it more than once
def _rescued(path: Path, raw: bool, _size: int, _time: int) -> tuple[Found, RawSource | None]:
    with TemporaryDirectory(prefix="crispgrain-") as folder:
        out, copy = Path(folder) / "found.npz", Path(folder) / f"copy{path.suffix}"
        command = [sys.executable, "-m", __name__, str(path), str(out), str(copy) if raw else ""]
        try:
            ended = subprocess.run(command, capture_output=True, timeout=SECONDS, check=False, text=True)
        except subprocess.TimeoutExpired as error:
            raise ShotError(path, f"what is left of it could not be found within {SECONDS // 60} minutes") from error
        if ended.returncode or not out.exists():
            words = ended.stderr.strip().splitlines()[-1:] if ended.returncode == 3 else []
            raise ShotError(path, "nothing is left of it that can be shown" + (f": {words[0]}" if words else ""))
        with np.load(out, allow_pickle=False) as kept:
            answer = Found(
                kept["stored"],
                kept["lost"],
                tuple(kept["said"].tolist()),
                kept["icc"].tobytes(),
                int(kept["turned"]),
                tuple(kept["steps"].tolist()) or None,
            )
        source = read_raw(copy) if raw else None
    return answer, source if isinstance(source, RawSource) else None


def _main(path: Path, out: Path, copy: Path | None) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    if copy is None:
        found = read_what_is_left(path)
    else:
        others = sorted(p for p in path.parent.iterdir() if p.suffix.lower() == path.suffix.lower() and p != path)
        camera = read_facts(path).camera
        alike = [p for p in others if not camera or read_facts(p).camera == camera]
        lost, said = rescued_raw(path, alike[:NEIGHBOURS], copy)
        found = Found(np.zeros((0, 0), np.uint8), lost, tuple(said))
    np.savez(
        out, stored=found.stored, lost=found.lost, said=np.array(found.said, dtype=np.str_),
        icc=np.frombuffer(found.icc, np.uint8), turned=found.orientation,
        steps=np.array(found.steps or (), np.int64),
    )  # fmt: skip


if __name__ == "__main__":
    try:
        _main(Path(sys.argv[1]), Path(sys.argv[2]), Path(sys.argv[3]) if sys.argv[3] else None)
    except (ValueError, MemoryError) as error:
        print(str(error) or "it would take too much memory", file=sys.stderr)
        sys.exit(3)
