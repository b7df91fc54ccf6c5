"""Writing treated pictures back to where another program expects them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from attrs import frozen

from crispgrain.cancel import NEVER, CancelToken
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.files.source import RawSource
from crispgrain.core.render.progress import Progress
from crispgrain.core.render.whole import export, settings_of
from crispgrain.core.shot import Shot
from crispgrain.core.stages.print.file import LIKE_SOURCE
from crispgrain.core.stages.print.output import FORMATS
from crispgrain.core.treatment import Treatment

BESIDE = "-treated"
SAME_NAME = {*FORMATS, ".tif", ".tiff"}  # kinds of files that come back as what they were


@frozen
class HandedBack:
    """A shot, the file that was written for it, or why there is none."""

    shot: Path
    result: Path | None = None
    words: str = ""

    def as_json(self) -> dict[str, str | None]:
        return {"shot": str(self.shot), "result": str(self.result) if self.result else None, "words": self.words}


def hand_back(
    shot: Shot, treatment: Treatment, in_place: bool, report: Callable[[Progress], None] | None = None,
    cancel: CancelToken = NEVER,
) -> HandedBack:  # fmt: skip
    """Write a shot like its source: over it if it is a working copy and ``in_place``, else beside it.

    A RAW, and a kind of file that is not written here, comes back beside it as a TIFF of 16 or as many bits as it had.
    """
    path = shot.path
    over = in_place and not isinstance(shot.source, RawSource) and path.suffix.lower() in SAME_NAME
    try:
        pipeline = shot.pipeline(treatment.set("print.format", LIKE_SOURCE))
        name = path.name if over else f"{path.stem}{BESIDE}{settings_of(pipeline).format.suffix}"
        return HandedBack(path, export(pipeline, path.parent, name, over, report, cancel, in_place=over))
    except (ShotError, TreatmentError) as error:
        return HandedBack(path, words=str(error))
    except MemoryError:
        return HandedBack(path, words=f"{path.name}: there is not enough memory for this result")
