"""What the window remembers over restarts, in one small file."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings

from crispgrain.paths import settings_file

SIDECARS = "treatments/folder"


def preferences() -> QSettings:
    return QSettings(str(settings_file()), QSettings.Format.IniFormat)


def sidecar_folder() -> Path | None:
    """The folder chosen for treatments; None if each is kept beside its shot."""
    kept_in = str(preferences().value(SIDECARS, "") or "")
    return Path(kept_in) if kept_in else None
