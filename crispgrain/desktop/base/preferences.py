"""What the window remembers over restarts, in one small file."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings

from crispgrain.core.errors import TreatmentError
from crispgrain.core.model import Stage, Values
from crispgrain.core.stages.print.file import MODEL
from crispgrain.core.treatment import Treatment
from crispgrain.orders.memory import default_limit, jobs_at_once
from crispgrain.paths import settings_file
from crispgrain.threads import worker_count

SIDECARS = "treatments/folder"
RULED = "rules/on"
THREADS, CACHE = "machine/threads", "machine/cache_gigabytes"
AT_ONCE, MEMORY = "queue/at_once", "queue/gigabytes"
FOLDER, OUTPUT = "export/folder", "export/output"


USUAL_CACHE = 1.2  # GB


def preferences() -> QSettings:
    return QSettings(str(settings_file()), QSettings.Format.IniFormat)


def sidecar_folder() -> Path | None:
    """The folder chosen for treatments; None if each is kept beside its shot."""
    kept_in = str(preferences().value(SIDECARS, "") or "")
    return Path(kept_in) if kept_in else None


def cache_gigabytes(settings: QSettings) -> float:
    """Memory for tiles that were computed."""
    return float(str(settings.value(CACHE, USUAL_CACHE)))


def memory_limit() -> float:
    """Bytes that what is written in the background may take."""
    chosen = float(str(preferences().value(MEMORY, 0)))
    return chosen * 1e9 if chosen > 0 else default_limit()


def at_once(limit: float) -> int:
    """How many shots are written at the same time."""
    chosen = int(str(preferences().value(AT_ONCE, 0)))
    return chosen if chosen > 0 else jobs_at_once(worker_count(), limit)


def last_folder() -> Path | None:
    """Where results were written last."""
    chosen = str(preferences().value(FOLDER, "") or "")
    return Path(chosen) if chosen else None


def last_output() -> Values | None:
    """What was chosen for the last export; None before the first, or if it is of another version."""
    kept = preferences()
    values = {p.id: p.default for p in MODEL.parameters}
    kept.beginGroup(OUTPUT)
    chosen = Treatment()
    try:
        for name in kept.childKeys():
            chosen = chosen.set(f"{Stage.PRINT}.{name}", str(kept.value(name)))
    except TreatmentError:
        return None
    return {**values, **chosen[Stage.PRINT].values} if chosen.stages else None


def remember_export(folder: Path, output: Values) -> None:
    """Keep what was chosen for an export, to propose it again."""
    kept = preferences()
    kept.setValue(FOLDER, str(folder))
    for name in (p.id for p in MODEL.parameters if p.id in output):
        kept.setValue(f"{OUTPUT}/{name}", str(output[name]))
