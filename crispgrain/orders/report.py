"""What has become of the jobs of an order, for people and for other programs."""

from __future__ import annotations

import csv
import io
import json
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from crispgrain.core.atomic import atomic_write
from crispgrain.core.errors import ShotError

from .job import Job, JobState

COLUMNS = ("order", "shot", "state", "result", "why", "seconds")


def rows(jobs: Sequence[Job]) -> list[dict[str, Any]]:
    """One for each job."""
    return [
        {
            "order": job.order, "shot": str(job.path), "state": job.state.value,
            "result": str(job.result) if job.state is JobState.DONE else "", "why": job.words,
            "seconds": round(job.seconds, 1),
        }
        for job in sorted(jobs, key=lambda job: job.id)
    ]  # fmt: skip


def summary(jobs: Sequence[Job]) -> str:
    """How many were written, failed, were cancelled, are left."""
    count = Counter(job.state for job in jobs)
    left = sum(not job.state.over for job in jobs)
    said = [f"{count[JobState.DONE]} of {len(jobs)} written"]
    said += [f"{count[JobState.FAILED]} failed"] if count[JobState.FAILED] else []
    said += [f"{count[JobState.CANCELLED]} cancelled"] if count[JobState.CANCELLED] else []
    return ", ".join([*said, *([f"{left} left"] if left else [])])


def write_report(jobs: Sequence[Job], path: Path) -> None:
    """Write a report as JSON, or as CSV with that suffix.

    Raises
    ------
    ShotError
        If it cannot be written.
    """
    found = rows(jobs)
    if path.suffix.lower() == ".csv":
        out = io.StringIO()
        writer = csv.DictWriter(out, COLUMNS)
        writer.writeheader()
        writer.writerows(found)
        text = out.getvalue()
    else:
        text = json.dumps({"summary": summary(jobs), "jobs": found}, indent=2, ensure_ascii=False) + "\n"
    try:
        atomic_write(path, lambda unfinished: unfinished.write_text(text, encoding="utf-8", newline=""))
    except OSError as error:
        raise ShotError(path, f"the report could not be saved ({error.strerror})") from error
