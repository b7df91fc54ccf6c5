"""How far a piece of work is and how long it will still take."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Progress:
    """Tiles done of all, and the seconds left (None until that can be told)."""

    done: int
    total: int
    seconds_left: float | None

    @property
    def words(self) -> str:
        """``3 of 12 tiles, about 4 s left``."""
        said = f"{self.done} of {self.total} tiles"
        return said if self.seconds_left is None else f"{said}, {time_left(self.seconds_left)}"


def time_left(seconds: float) -> str:
    """A duration as a person would say it."""
    if seconds < 1.5:
        return "about 1 s left"
    if seconds < 90:
        return f"about {seconds:.0f} s left"
    if seconds < 5400:
        return f"about {seconds / 60:.0f} min left"
    return f"about {seconds / 3600:.1f} h left"


@dataclass
class ProgressEstimator:
    """Counts finished tiles and estimates the rest from the pace of their pixels: those at the edges have fewer."""

    areas: Sequence[int]  # px, in the order in which tiles are finished
    report: Callable[[Progress], None] | None = None
    done: int = 0
    started: float = field(default_factory=time.monotonic)

    def tick(self) -> None:
        self.done += 1
        if self.report is not None:
            pace = (time.monotonic() - self.started) / sum(self.areas[: self.done])
            self.report(Progress(self.done, len(self.areas), pace * sum(self.areas[self.done :])))
