"""Where the program keeps its own files on this machine."""

from __future__ import annotations

from pathlib import Path

import platformdirs


def demo_folder() -> Path:
    """The demo roll."""
    return Path(platformdirs.user_data_dir("crispgrain")) / "marlowe-orrery"


def presets_folder() -> Path:
    """Presets saved by name."""
    return Path(platformdirs.user_data_dir("crispgrain")) / "presets"


def rules_file() -> Path:
    """The rules for new shots."""
    return Path(platformdirs.user_data_dir("crispgrain")) / "rules.json"


def store_file() -> Path:
    """What was found out about shots before."""
    return Path(platformdirs.user_data_dir("crispgrain")) / "store.sqlite"


def orders_file() -> Path:
    """The journal of what is to be written."""
    return Path(platformdirs.user_data_dir("crispgrain")) / "orders.sqlite"


def settings_file() -> Path:
    """The window's few settings."""
    return Path(platformdirs.user_config_dir("crispgrain")) / "settings.ini"
