"""One file to write."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path

from attrs import frozen

from crispgrain.core.treatment import Treatment


class JobState(StrEnum):
    """What has become of a job."""

    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"

    @property
    def over(self) -> bool:
        return self in (JobState.DONE, JobState.FAILED, JobState.CANCELLED)


@frozen
class Job:
    """A shot, its treatment, and where the result goes.

    ``name`` is a template (:mod:`crispgrain.core.render.naming`); without one, it is named by what was done.
    ``result`` is the file that was written, or that is being written; ``words`` say what went wrong.
    """

    id: int
    order: int
    path: Path
    treatment: Treatment
    folder: Path
    name: str = ""
    replace: bool = False
    state: JobState = JobState.WAITING
    tries: int = 0
    result: Path | None = None
    words: str = ""
    started: float = 0.0  # seconds since 1970
    seconds: float = 0.0  # that it took
