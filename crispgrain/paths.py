"""Where the program keeps its own files on this machine; two of the folders can be chosen in the settings."""

from __future__ import annotations

import configparser
from pathlib import Path

import platformdirs

FONTS = Path(__file__).parent / "fonts"  # that ship with the program
PRESETS, DATA = "folders/presets", "folders/data"  # settings, as section and name


def settings_file() -> Path:
    """The window's few settings."""
    return Path(platformdirs.user_config_dir("crispgrain")) / "settings.ini"


def _chosen(setting: str) -> Path | None:
    """A folder that was chosen for something, if it is there."""
    kept = configparser.ConfigParser(interpolation=None, strict=False)
    try:
        kept.read(settings_file(), encoding="utf-8")
    except (OSError, configparser.Error, UnicodeError):
        return None
    section, _, name = setting.partition("/")
    chosen = kept.get(section, name, fallback="").strip('"')
    return Path(chosen).expanduser() if chosen and Path(chosen).expanduser().is_dir() else None


def _own_folder() -> Path:
    return Path(platformdirs.user_data_dir("crispgrain"))


def data_folder() -> Path:
    """Readings, thumbnails and orders."""
    return _chosen(DATA) or _own_folder()


def demo_folder() -> Path:
    """The demo roll."""
    return _own_folder() / "marlowe-orrery"


def presets_folder() -> Path:
    """Presets saved by name."""
    return _chosen(PRESETS) or _own_folder() / "presets"


def rules_file() -> Path:
    """The rules for new shots."""
    return _own_folder() / "rules.json"


def export_sets_file() -> Path:
    """Export sets of one's own."""
    return _own_folder() / "export-sets.json"


def store_file() -> Path:
    """What was found out about shots before."""
    return data_folder() / "store.sqlite"


def orders_file() -> Path:
    """The journal of what is to be written."""
    return data_folder() / "orders.sqlite"
