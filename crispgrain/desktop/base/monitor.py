"""The monitor's own profile: what was rendered as sRGB is brought to it before it is shown.

It is a chosen file's or, else, that of the first display the system's colour daemon knows (colord, over D-Bus).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSettings
from PySide6.QtDBus import QDBusConnection, QDBusMessage
from PySide6.QtGui import QImage

from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError
from crispgrain.core.files.profiles import read_profile

MONITOR = "monitor/profile"  # name of a setting: a file; empty for what the system says
SERVICE, ROOT = "org.freedesktop.ColorManager", "/org/freedesktop/ColorManager"
LONGEST = 500  # ms to wait for an answer

# Object, interface, what is asked for and with which arguments; None without an answer.
Ask = Callable[[str, str, str, tuple[str, ...]], object]


@dataclass(frozen=True)
class Monitor:
    """A monitor's profile, None for sRGB, and in words where it is from."""

    profile: bytes | None
    words: str


ASSUMED = Monitor(None, "sRGB is assumed: neither a file nor the system says what the monitor is.")
_now = ASSUMED


def current() -> Monitor:
    return _now


def use(monitor: Monitor) -> None:
    """From now on show everything on this one; what is shown already has to be rendered anew."""
    global _now
    _now = monitor


def find(settings: QSettings, ask: Ask | None = None) -> Monitor:
    """The monitor as the settings, or else the system, say it is."""
    chosen = str(settings.value(MONITOR, "") or "")
    if chosen:
        return _read(Path(chosen).expanduser(), "chosen")
    path = _from_colord(ask or _ask_system)
    return _read(Path(path), "as the system says") if path else ASSUMED


def _read(path: Path, whence: str) -> Monitor:
    try:
        profile = read_profile(path)
    except ShotError as error:
        return Monitor(None, f"sRGB is assumed: {error}")
    if icc.colour_space(profile) != "RGB":
        return Monitor(None, f"sRGB is assumed: {path.name} is no profile of a monitor.")
    return Monitor(profile, f"{icc.description(profile)} ({whence}).")


def on_monitor(stored: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """8-bit sRGB values (H x W x 3) as the monitor wants them."""
    return stored if _now.profile is None else icc.between_files(stored, icc.profile("srgb"), _now.profile)


def image_on_monitor(image: QImage) -> QImage:
    """An sRGB image as the monitor wants it."""
    if _now.profile is None:
        return image
    plain = image.convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(plain.constBits(), np.uint8).reshape(plain.height(), plain.bytesPerLine())
    shown = np.ascontiguousarray(on_monitor(rows[:, : 3 * plain.width()].reshape(plain.height(), plain.width(), 3)))
    width, height = plain.width(), plain.height()
    return QImage(shown.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def _from_colord(ask: Ask) -> str:
    """The file of the first display's first profile; empty without a daemon, a display or a profile."""
    displays = ask(ROOT, SERVICE, "GetDevicesByKind", ("display",))
    for device in displays if isinstance(displays, list | tuple) else ():
        profiles = ask(str(device), "org.freedesktop.DBus.Properties", "Get", (f"{SERVICE}.Device", "Profiles"))
        for profile in profiles if isinstance(profiles, list | tuple) else ():
            name = ask(str(profile), "org.freedesktop.DBus.Properties", "Get", (f"{SERVICE}.Profile", "Filename"))
            if name:
                return str(name)
    return ""


def _ask_system(path: str, interface: str, member: str, arguments: tuple[str, ...]) -> object:
    bus = QDBusConnection.systemBus()
    if not bus.isConnected():
        return None
    call = QDBusMessage.createMethodCall(SERVICE, path, interface, member)
    call.setArguments(list(arguments))
    answer = bus.call(call, timeout=LONGEST)
    if answer.type() is not QDBusMessage.MessageType.ReplyMessage:
        return None
    values = answer.arguments()
    return _plain(values[0]) if values else None


def _plain(value: object) -> object:
    """An answer as Python has it: variants unpacked, object paths as text."""
    for way in ("variant", "path"):
        if hasattr(value, way):
            return _plain(getattr(value, way)())
    return [_plain(v) for v in value] if isinstance(value, list | tuple) else value
