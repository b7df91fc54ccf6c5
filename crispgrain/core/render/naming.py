"""File names from a template: ``{shot}-{stages}`` is ``orrery-0123-denoise-sharpen``."""

from __future__ import annotations

import string
from pathlib import Path

from crispgrain.geometry import Size

from ..errors import TreatmentError
from ..files.source import Facts
from ..model import Stage
from ..resolve import Resolved

TEMPLATE = "{shot}-{stages}"
FIELDS = {
    "shot": "the shot's own name", "stages": "what was done", "number": "its place in the batch", "date": "2026-03-14",
    "time": "16-05-08", "camera": "the camera's name", "iso": "the sensitivity", "width": "pixels", "height": "pixels",
}  # fmt: skip
NAMED = (Stage.DENOISE, Stage.SHARPEN, Stage.ENLARGE, Stage.FINISH)


def check(template: str) -> None:
    """Raises TreatmentError, in words, if a template has a field that there is not, or is empty."""
    try:
        fields = [field for _, field, _, _ in string.Formatter().parse(template) if field is not None]
        template.format(**dict.fromkeys(FIELDS, 0))
    except (ValueError, KeyError, IndexError, AttributeError):
        fields = [template]
    if not template.strip() or any(field not in FIELDS for field in fields):
        raise TreatmentError(f"a name is made of {', '.join(f'{{{f}}}' for f in FIELDS)}, not “{template}”")


def named(template: str, shot: Path, resolved: Resolved, facts: Facts, size: Size, number: int = 1) -> str:
    """The name of a result, without a suffix; what a file name cannot have is left out.

    Raises
    ------
    TreatmentError
        As :func:`check`.
    """
    check(template)
    date, _, time = facts.taken.partition(" ")
    done = [stage.value for stage in NAMED if resolved[stage].on] or [Stage.DEVELOP.value]
    name = template.format(
        shot=shot.stem, stages="-".join(done), number=number, date=date.replace(":", "-"), time=time.replace(":", "-"),
        camera=facts.camera, iso=facts.iso or "", width=size.width, height=size.height,
    )  # fmt: skip
    return "".join(c for c in name if c.isprintable() and c not in '/\\:*?"<>|').strip(" .") or shot.stem
