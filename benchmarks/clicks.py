"""Clicks, drags and keys at random, in the real window. ``./run bench clicks [SEED [SECONDS]]``.

The shots are of every kind: RAW, finished pictures of each format, one that goes all round, grey, transparent, tiny and
damaged ones. Told is what failed, and what held the interface's thread; ``nothing`` is what is wanted. A seed
gives the same choices, but where they fall depends on how far the work has come.
"""

from __future__ import annotations

import faulthandler
import os
import random
import re
import signal
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from collections import deque
from collections.abc import Iterable, Sequence
from pathlib import Path
from types import TracebackType

import exiv2
import numpy as np
from PIL import Image
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QMenu,
    QWidget,
)

import crispgrain
from crispgrain.demo.roll import reduced, scene
from crispgrain.desktop.app import make_app
from crispgrain.desktop.window.window import Window

from .rough import good_files

OURS = Path(crispgrain.__file__).parent
SECONDS = 120.0
GAPS = (50, 100, 100, 100, 1000)  # ms between two deeds; the long ones let work come to its end
STUCK = 60.0  # s after its end in which it must have ended
HELD = 1.0  # s without an answer, from which it is told where the thread was
# What ends it, leaves the program, or takes all its time.
LEAVES = ("Quit", "Print", "Open folder", "Open the demo roll")
KEYS = [
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Space, Qt.Key.Key_Escape,
    Qt.Key.Key_Delete, Qt.Key.Key_Tab, Qt.Key.Key_Return, Qt.Key.Key_Plus, Qt.Key.Key_Minus,
    *(Qt.Key(ord(letter)) for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"),
]  # fmt: skip
LEFT, RIGHT, PLAIN = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier


def write_shots(folder: Path) -> None:
    """A small shot of every kind."""
    good_files(folder)
    room = Image.fromarray((np.clip(reduced(scene("room"), 2), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8))
    room.resize((1024, 512)).save(folder / "room.jpg", quality=90)
    image = exiv2.ImageFactory.open(str(folder / "room.jpg"))
    image.readMetadata()
    image.xmpData()["Xmp.GPano.ProjectionType"] = "equirectangular"
    image.writeMetadata()
    with Image.open(folder / "good.png") as picture:
        picture.convert("L").save(folder / "grey.png")
        picture.convert("CMYK").save(folder / "four-inks.jpg")
        picture.crop((0, 0, 1, 1)).save(folder / "one-pixel.png")
        picture.putalpha(90)
        picture.save(folder / "clear.png")
    for name in ("good.jpg", "good.dng", "good.tif"):
        data = (folder / name).read_bytes()
        (folder / f"half-{name}").write_bytes(data[: len(data) // 2])
    (folder / "no-picture.jpg").write_text("dear diary")


class Clicker:
    """Does something at random in the window, again and again, whatever sheets and menus are open."""

    def __init__(self, window: Window, folder: Path, seed: int) -> None:
        self.window, self.folder, self.chance = window, folder, random.Random(seed)
        self.deeds: deque[str] = deque(maxlen=6)
        self.count = 0

    def go_on(self) -> None:
        if not self.window.isVisible():
            return
        # A timer of its own for each deed: one that opens a sheet returns only when the sheet is closed.
        QTimer.singleShot(self.chance.choice(GAPS), self.go_on)
        self.count += 1
        if not self.window.session.roll.listed and self.chance.random() < 0.2:
            self.window.open_paths([self.folder])
        popup, sheet = QApplication.activePopupWidget(), QApplication.activeModalWidget()
        if isinstance(popup, QMenu):
            self._choose(popup)
        elif popup is not None:
            popup.close()
        elif sheet is not None:
            self._in_sheet(sheet)
        else:
            deeds = (self._command, self._use_a_widget, self._press_a_key)
            self.chance.choices(deeds, (0.3, 0.45, 0.25))[0]()

    def file(self, *_: object, **__: object) -> tuple[str, str]:
        """What a person might choose to open."""
        return str(self.chance.choice(sorted(p for p in self.folder.rglob("*") if p.is_file()))), ""

    def some_folder(self, *_: object) -> str:
        return str(self.chance.choice([self.folder, self.folder / "out"]))

    def new_file(self, _parent: QWidget, _title: str, suggested: str = "", *_: object) -> tuple[str, str]:
        """What a person might name to be written."""
        return str(self.folder / "out" / f"{self.count}{Path(suggested).suffix or '.json'}"), ""

    def _told(self, *words: object) -> None:
        self.deeds.append(" ".join(str(word) for word in words))

    def _choose(self, menu: QMenu) -> None:
        choices = [a for a in menu.actions() if a.isEnabled() and a.text() and a.text() not in LEAVES]
        menu.close()
        if choices and self.chance.random() < 0.8:
            action = self.chance.choice(choices)
            self._told("of a menu:", action.text())
            action.trigger()

    def _in_sheet(self, sheet: QWidget) -> None:
        parts = [w for w in sheet.findChildren(QWidget) if _usable(w) and isinstance(w, QAbstractButton | QComboBox
                 | QAbstractSlider | QAbstractSpinBox)]  # fmt: skip
        if parts and self.chance.random() < 0.85:
            self._use(self.chance.choice(parts))
        else:
            self._told("closed", type(sheet).__name__)
            sheet.reject() if isinstance(sheet, QDialog) else sheet.close()

    def _command(self) -> None:
        # The titles of submenus are actions, too; asked for their menu, Python would own and drop it.
        menus = self.window.menuBar().findChildren(QMenu)
        for menu in menus:
            menu.aboutToShow.emit()
        titles = {menu.title() for menu in menus}
        actions = [a for m in menus for a in m.actions() if a.isEnabled() and a.text() and a.text() not in titles]
        action = self.chance.choice([a for a in actions if a.text() not in LEAVES])
        self._told("command:", action.text())
        action.trigger()

    def _use_a_widget(self) -> None:
        self._use(self.chance.choice([w for w in self.window.findChildren(QWidget) if _usable(w)]))

    def _use(self, widget: QWidget) -> None:
        words = widget.text() if isinstance(widget, QAbstractButton) else ""
        if words in LEAVES:
            return
        self._told(type(widget).__name__, widget.objectName(), words)
        if isinstance(widget, QComboBox):
            index = self.chance.randrange(max(1, widget.count()))
            widget.setCurrentIndex(index)
            widget.activated.emit(index)
            return
        kind = self.chance.random()
        place = self._place(widget)
        if kind < 0.25:
            QTest.mousePress(widget, LEFT, PLAIN, place)
            for _ in range(3):
                QTest.mouseMove(widget, self._place(widget))
            QTest.mouseRelease(widget, LEFT, PLAIN, self._place(widget))
        elif kind < 0.35:
            QTest.mouseDClick(widget, LEFT, PLAIN, place)
        else:
            QTest.mouseClick(widget, LEFT if kind < 0.9 else RIGHT, PLAIN, place)

    def _place(self, widget: QWidget) -> QPoint:
        return QPoint(self.chance.randrange(widget.width()), self.chance.randrange(widget.height()))

    def _press_a_key(self) -> None:
        key, shifted = self.chance.choice(KEYS), self.chance.random() < 0.2
        self._told("key", key.name, "with Shift" * shifted)
        widget = QApplication.focusWidget() or self.window
        QTest.keyClick(widget, key, Qt.KeyboardModifier.ShiftModifier if shifted else PLAIN)


def _usable(widget: QWidget) -> bool:
    return widget.isVisible() and widget.isEnabled() and min(widget.width(), widget.height()) > 4


class Faults:
    """What failed, and what held the thread; each place in our code once, with what had been done before."""

    def __init__(self, deeds: Sequence[str]) -> None:
        self._deeds = deeds
        self._known: set[str] = set()
        self._beat = time.monotonic()
        self._stacks = tempfile.TemporaryFile("w+")  # noqa: SIM115 - kept as long as the program runs

    def failed(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        places = [(f.filename, f.lineno or 0, f.name) for f in reversed(traceback.extract_tb(trace))]
        self._tell(f"{kind.__name__}: {error}: ", _ours(places) or "elsewhere")

    def beat(self) -> None:
        """To be called often by the thread that is not to be held; if it was, tells where it, and others, were then.

        Where a library lets no Python run, the fault is another thread's.
        """
        now = time.monotonic()
        waited, self._beat = now - self._beat, now
        if waited > HELD and (places := self._stacks_read()):
            self._tell(f"no answer for {waited:.1f} s: ", places)
        # This needs no Python to run, unlike a thread that watches.
        faulthandler.dump_traceback_later(HELD, file=self._stacks)

    def stop(self) -> None:
        faulthandler.cancel_dump_traceback_later()

    def _stacks_read(self) -> str:
        """This thread's functions, then the innermost ones of others."""
        self._stacks.seek(0)
        stacks = {
            int(number, 16): _ours((file, int(line), name) for file, line, name in FRAME.findall(stack))
            for number, stack in STACK.findall(self._stacks.read())
        }
        self._stacks.seek(0)
        self._stacks.truncate()
        own = stacks.pop(threading.get_ident(), "")
        others = sorted({stack.partition(" < ")[0] for stack in stacks.values() if stack})
        return own and f"{own}, beside it {', '.join(others) or 'nothing'}"

    def _tell(self, words: str, places: str) -> None:
        if (key := places.partition(", beside")[0]) not in self._known:
            self._known.add(key)
            print(f"{words}{places} (after {' / '.join(self._deeds)})", flush=True)


# As faulthandler writes them.
STACK = re.compile(r"^(?:Current t|T)hread (0x[0-9a-f]+)[^\n]*:\n((?:  File .*\n)*)", re.MULTILINE)
FRAME = re.compile(r'File "(.*)", line (\d+) in (.*)')


def _ours(frames: Iterable[tuple[str, int, str]]) -> str:
    """Where in our code it was, innermost first."""
    ours = [(Path(file), line, name) for file, line, name in frames]
    return " < ".join(f"{file.name}:{line} {name}" for file, line, name in ours if file.is_relative_to(OURS))


def click(folder: Path, seed: int, seconds: float) -> None:
    """Open the window on the folder's shots, click about, and print each fault on a line."""
    faulthandler.enable()
    app = make_app()
    window = Window()
    window.resize(1280, 800)
    window.show()
    clicker = Clicker(window, folder, seed)
    faults = Faults(clicker.deeds)
    sys.excepthook = faults.failed
    threading.excepthook = lambda told: faults.failed(told.exc_type, told.exc_value or Exception(), told.exc_traceback)
    QFileDialog.getOpenFileName = clicker.file  # type: ignore[method-assign]
    QFileDialog.getOpenFileNames = lambda *_: ([clicker.file()[0]], "")  # type: ignore[method-assign]
    QFileDialog.getSaveFileName = clicker.new_file  # type: ignore[method-assign, assignment]
    QFileDialog.getExistingDirectory = clicker.some_folder  # type: ignore[method-assign, assignment]
    pulse = QTimer()
    pulse.timeout.connect(faults.beat)
    pulse.start(50)
    window.open_paths([folder])
    QTimer.singleShot(2000, clicker.go_on)
    ended = False

    def close() -> None:
        nonlocal ended
        ended = True
        # It may ask whether it is to be closed, which is answered as all is, at random.
        QTimer.singleShot(500, close)
        window.close()
        if not window.isVisible():
            pulse.stop()  # what takes time from here on keeps nobody waiting

    QTimer.singleShot(int(1000 * seconds), close)
    app.exec()
    if not ended:
        print(f"the window closed by itself (after {' / '.join(clicker.deeds)})", flush=True)
    faults.stop()
    print(f"{clicker.count} deeds", flush=True)


def report(seed: int = 0, seconds: float = SECONDS) -> str:
    """What was wrong, each fault on a line."""
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home) / "shots"
        (folder / "out").mkdir(parents=True)
        write_shots(folder)
        before = {path: path.read_bytes() for path in folder.iterdir() if path.is_file()}
        own = dict.fromkeys(("HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"), home)
        call = [sys.executable, "-m", "benchmarks.clicks", str(folder), str(seed), str(seconds)]
        run = subprocess.Popen(call, env={**os.environ, "QT_QPA_PLATFORM": "offscreen", **own}, text=True,
                               stdout=subprocess.PIPE, stderr=subprocess.PIPE)  # fmt: skip
        try:
            told, stacks = run.communicate(timeout=seconds + STUCK)
        except subprocess.TimeoutExpired:
            run.send_signal(signal.SIGABRT)  # which lets it tell where it is
            told, stacks = run.communicate()
        *wrong, count = told.splitlines() or ["nothing was done"]
        if run.returncode:  # at the end, too: whatever is open or being done then
            wrong += [count, f"it ended with {run.returncode}: {stacks[:4000]}"]
        wrong += [f"{path.name} was changed" for path, data in before.items() if path.read_bytes() != data]
    return f"seed {seed}, {count}: " + ("\n".join(["", *wrong]) if wrong else "nothing")


if __name__ == "__main__":
    click(Path(sys.argv[1]), int(sys.argv[2]), float(sys.argv[3]))
