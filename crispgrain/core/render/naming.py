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


def literal(name: str) -> str:
    """The template that gives just this name."""
    return name.replace("{", "{{").replace("}", "}}")


def numbered(template: str, number: int) -> str:
    """The template with the number filled in that a shot has in its batch; TreatmentError as :func:`check`."""
    check(template)
    out = ""
    for before, field, how, _ in string.Formatter().parse(template):
        out += literal(before)
        if field == "number":
            out += format(number, how or "")
        elif field is not None:
            out += f"{{{field}:{how}}}" if how else f"{{{field}}}"
    return out


def named(template: str, shot: Path, resolved: Resolved, facts: Facts, size: Size, number: int = 1) -> str:
    """The name of a result, without a suffix; what a file name cannot have is left out.

    Raises
    ------
    TreatmentError
        As :func:`check`.
    """
    return _filled(template, shot, resolved, facts, size, number) or shot.stem


def folders(template: str, shot: Path, resolved: Resolved, facts: Facts, size: Size, number: int = 1) -> Path:
    """Folders within that of the results, ``{date}/{camera}`` for instance; what a shot does not say is *unknown*.

    Raises
    ------
    TreatmentError
        As :func:`check`.
    """
    parts = [part for part in template.split("/") if part.strip()]
    return Path(*(_filled(part, shot, resolved, facts, size, number) or "unknown" for part in parts))


def _filled(template: str, shot: Path, resolved: Resolved, facts: Facts, size: Size, number: int) -> str:
    check(template)
    date, _, time = facts.taken.partition(" ")
    done = [stage.value for stage in NAMED if resolved[stage].on] or [Stage.DEVELOP.value]
    values = {
        "shot": shot.stem, "stages": "-".join(done), "number": number, "date": date.replace(":", "-"),
        "time": time.replace(":", "-"), "camera": facts.camera, "iso": facts.iso or "", "width": size.width,
        "height": size.height,
    }  # fmt: skip
    try:
        name = template.format(**values)
    except ValueError as error:  # words formatted as a number
        raise TreatmentError(f"“{template}” is no name: {error}") from error
    return "".join(c for c in name if c.isprintable() and c not in '/\\:*?"<>|').strip(" .")
