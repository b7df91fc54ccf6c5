"""A camera on a cable: new shots appear in a folder every few seconds, written slowly, one of them broken."""

from __future__ import annotations

import time
from collections.abc import Callable
from itertools import count
from pathlib import Path
from tempfile import TemporaryDirectory

from .roll import ROLL

PIECES = 8  # a file is written in
SLOWLY = 0.4  # share of the time between shots that writing takes
BROKEN = 3  # which shot ends in the middle
TETHERED = ("orrery-0400.dng", "orrery-1600.dng", "dial-3200.dng")


def shoot(
    folder: Path, every: float, shots: int | None = None, report: Callable[[Path], None] | None = None
) -> list[Path]:
    """Write shots to a folder, one every so many seconds, until ``shots`` are there (None: without end).

    Returns their paths. A name that is taken is left alone.
    """
    folder.mkdir(parents=True, exist_ok=True)
    written: list[Path] = []
    with TemporaryDirectory() as store:
        masters = []
        for shot in (s for s in ROLL if s.name in TETHERED):
            shot.write(Path(store) / shot.name)
            masters.append((Path(store) / shot.name).read_bytes())
        for number in count(1):
            if shots is not None and number > shots:
                return written
            data = masters[(number - 1) % len(masters)]
            data = data[: len(data) // 3] if number == BROKEN else data
            path = folder / f"tethered-{number:04d}.dng"
            started = time.monotonic()
            with path.open("xb") as file:
                for piece in range(PIECES):
                    file.write(data[piece * len(data) // PIECES : (piece + 1) * len(data) // PIECES])
                    file.flush()
                    time.sleep(every * SLOWLY / PIECES)
            written.append(path)
            if report is not None:
                report(path)
            if shots is None or number < shots:
                time.sleep(max(every - (time.monotonic() - started), 0))
    return written
