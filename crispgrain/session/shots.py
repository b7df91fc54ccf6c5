"""One open shot."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path

from crispgrain.core.files.source import Facts
from crispgrain.core.meter import Reading
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.store import Stamp

ShotId = int


class State(StrEnum):
    """What has become of a shot."""

    WAITING = "waiting"
    UNTOUCHED = "untouched"
    TREATED = "treated"
    RENDERING = "rendering"
    FAILED = "failed"
    EXPORTED = "exported"


@dataclass(eq=False)
class OpenShot:
    """A shot on the roll: its file, its treatment, what is known of it; its pixels while they are in memory."""

    id: ShotId
    path: Path
    treatment: Treatment = field(default_factory=Treatment)
    state: State = State.WAITING
    shot: Shot | None = None
    facts: Facts = field(default_factory=Facts)
    reading: Reading | None = None
    headline: str = ""
    problem: str = ""
    stamp: Stamp | None = None  # of its file when it was measured
    lost: bool = False  # its file is gone
    new: bool = True  # has not been on a roll before; rules are asked once
    why: str = ""  # which rule gave it its preset

    @property
    def settled_state(self) -> State:
        """The state that follows from the treatment alone."""
        return State.TREATED if self.treatment.stages else State.UNTOUCHED

    @property
    def megapixels(self) -> float:
        """0 before it is measured."""
        size = self.reading.size if self.reading is not None else None
        return size.width * size.height / 1e6 if size is not None else 0.0
