"""What the window remembers over restarts, in one small file."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings

from crispgrain.core.errors import TreatmentError
from crispgrain.core.files import OutputSettings
from crispgrain.core.model import Stage
from crispgrain.core.stages.print.file import MODEL, output_settings
from crispgrain.core.treatment import Treatment
from crispgrain.paths import settings_file

SIDECARS = "treatments/folder"
FOLDER, OUTPUT = "export/folder", "export/output"


def preferences() -> QSettings:
    return QSettings(str(settings_file()), QSettings.Format.IniFormat)


def sidecar_folder() -> Path | None:
    """The folder chosen for treatments; None if each is kept beside its shot."""
    kept_in = str(preferences().value(SIDECARS, "") or "")
    return Path(kept_in) if kept_in else None


def last_folder() -> Path | None:
    """Where results were written last."""
    chosen = str(preferences().value(FOLDER, "") or "")
    return Path(chosen) if chosen else None


def last_output() -> OutputSettings | None:
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
    return output_settings({**values, **chosen[Stage.PRINT].values}) if chosen.stages else None


def remember_export(folder: Path, output: OutputSettings) -> None:
    """Keep what was chosen for an export, to propose it again."""
    kept = preferences()
    kept.setValue(FOLDER, str(folder))
    for name in (p.id for p in MODEL.parameters):
        kept.setValue(f"{OUTPUT}/{name}", str(getattr(output, name)))
