"""Which shots of a roll are listed, in which order, and what belongs together."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from datetime import datetime, timedelta
from enum import StrEnum
from functools import lru_cache
from typing import Any

from attrs import frozen

from crispgrain.core.files import RAW_SUFFIXES
from crispgrain.core.marks import Mark

from .shots import OpenShot, ShotId, State

GAP = timedelta(minutes=3)  # between two shots of a series, at most
TIME_FORMAT = "%Y:%m:%d %H:%M:%S"  # of Exif


class Order(StrEnum):
    """What shots are sorted by, in words."""

    OPENED = "as opened"
    NAME = "name"
    TIME = "time"
    CAMERA = "camera"
    LENS = "lens"
    ISO = "ISO"
    NOISE = "noise"
    BLUR = "blur"
    LOST = "lost share"
    STATE = "state"
    MARK = "mark"


def _noise(shot: OpenShot) -> float:
    return shot.reading.noise.luminance if shot.reading is not None else -1.0


def _blur(shot: OpenShot) -> tuple[str, float]:
    blur = shot.reading.blur if shot.reading is not None else None
    return (blur.kind, blur.softness) if blur is not None else ("", -1.0)


KEYS: dict[Order, Callable[[OpenShot], Any]] = {
    Order.OPENED: lambda shot: shot.id,
    Order.NAME: lambda shot: shot.path.name.lower(),
    Order.TIME: lambda shot: shot.facts.taken,
    Order.CAMERA: lambda shot: shot.facts.camera.lower(),
    Order.LENS: lambda shot: shot.facts.lens.lower(),
    Order.ISO: lambda shot: shot.facts.iso or 0,
    Order.NOISE: _noise,
    Order.BLUR: _blur,
    Order.LOST: lambda shot: shot.reading.size.lost if shot.reading is not None else float(shot.state is State.FAILED),
    Order.STATE: lambda shot: shot.state.value,
    Order.MARK: lambda shot: list(Mark).index(shot.treatment.mark),
}


@frozen
class Listing:
    """What a roll lists: sorted by ``order``, only shots with all words of ``text`` and one of some ``marks``.

    ``marks`` of None are any; with ``folded`` only the first shot of each series is listed, with ``stacked`` no
    finished picture that is there as RAW, too.
    """

    order: Order = Order.OPENED
    descending: bool = False
    text: str = ""
    marks: frozenset[Mark] | None = None
    folded: bool = False
    stacked: bool = False

    def wants(self, shot: OpenShot) -> bool:
        if self.marks is not None and shot.treatment.mark not in self.marks:
            return False
        facts = shot.facts
        said = f"{shot.path.name} {facts.camera} {facts.lens} iso {facts.iso} {shot.headline} {shot.state}".lower()
        return all(word in said for word in self.text.lower().split())

    def ids(self, shots: Iterable[OpenShot]) -> list[ShotId]:
        """The ids of what is listed, in order; equals stay as they were opened."""
        every = list(shots)
        hidden = raw_of(every) if self.stacked else {}
        wanted = sorted(
            (s for s in every if self.wants(s) and s.id not in hidden), key=KEYS[self.order], reverse=self.descending
        )
        if not self.folded:
            return [shot.id for shot in wanted]
        listed, seen = [], set()
        first = {id: series[0] for series in series_of(every) for id in series}
        for shot in wanted:
            if first[shot.id] not in seen:
                seen.add(first[shot.id])
                listed.append(shot.id)
        return listed


def raw_of(shots: Iterable[OpenShot]) -> dict[ShotId, ShotId]:
    """Finished pictures to the RAW of the same name beside them, as cameras write both."""
    every = list(shots)
    raws = {(s.path.parent, s.path.stem.lower()): s.id for s in every if s.path.suffix.lower() in RAW_SUFFIXES}
    if not raws:
        return {}
    finished = [s for s in every if s.path.suffix.lower() not in RAW_SUFFIXES]
    twins = {s.id: raws.get((s.path.parent, s.path.stem.lower())) for s in finished}
    return {id: raw for id, raw in twins.items() if raw is not None}


def series_of(shots: Iterable[OpenShot]) -> list[list[ShotId]]:
    """Shots of one camera taken shortly after one another at one ISO; a shot without a time is a series of its own."""
    found: list[list[ShotId]] = []
    last: OpenShot | None = None
    for shot in sorted(shots, key=lambda s: (s.facts.camera, s.facts.taken, s.id)):
        if last is not None and _goes_on(last, shot):
            found[-1].append(shot.id)
        else:
            found.append([shot.id])
        last = shot
    return found


def _goes_on(before: OpenShot, shot: OpenShot) -> bool:
    if (before.facts.camera, before.facts.iso) != (shot.facts.camera, shot.facts.iso):
        return False
    times = [_time(s.facts.taken) for s in (before, shot)]
    return all(times) and abs(times[1] - times[0]) <= GAP  # type: ignore[operator]


@lru_cache(maxsize=50_000)  # a roll is grouped anew whenever something was found out of a shot
def _time(taken: str) -> datetime | None:
    try:
        return datetime.strptime(taken[:19], TIME_FORMAT)
    except ValueError:
        return None


def series_around(id: ShotId, series: Sequence[Sequence[ShotId]]) -> Sequence[ShotId]:
    """The series a shot is part of."""
    return next((s for s in series if id in s), (id,))
