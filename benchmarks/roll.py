"""A roll of 1,000 shots in a running window: listing, thumbnails, scrolling, and the next start.

``python -m benchmarks roll`` prints the figures; they are written into docs/benchmarks.md with the others.
"""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PIL import Image
from PySide6.QtWidgets import QApplication

from crispgrain.demo.roll import scene
from crispgrain.desktop.app import make_app
from crispgrain.desktop.window.window import Window
from crispgrain.session.shots import State

SHOTS = 1000
SETTLING = 2.0  # s after the first shot is on the easel, before anyone scrolls


def write_shots(folder: Path, count: int = SHOTS) -> None:
    """So many small JPEGs of the demo scene, no two the same file."""
    # The scene's linear values, brought to the eye's scale well enough for a thumbnail.
    picture = Image.fromarray((np.clip(scene("orrery"), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8))
    picture = picture.resize((600, 450))
    for number in range(count):
        picture.save(folder / f"shot-{number:04d}.jpg", quality=80 + number % 15)


def _resident_mb() -> float:
    return float(Path("/proc/self/status").read_text().partition("VmRSS:")[2].split()[0]) / 1024


class _Watch:
    """Runs the window's events, and notes the longest time one turn of them held its thread."""

    def __init__(self, app: QApplication) -> None:
        self._app = app
        self.longest = 0.0

    def until(self, done: Callable[[], bool], limit: float = 60.0) -> float:
        """Seconds until something is so, at most ``limit``."""
        start = time.perf_counter()
        while not done() and time.perf_counter() - start < limit:
            turn = time.perf_counter()
            self._app.processEvents()
            self.longest = max(self.longest, time.perf_counter() - turn)
            time.sleep(0.001)
        return time.perf_counter() - start


def _listed(window: Window) -> bool:
    return len(window.session.roll.listed) == SHOTS


def _seen(window: Window) -> bool:
    sheet = window.sheet
    return bool(sheet.in_sight) and all(id in sheet.roll_model.thumbnails for id in sheet.in_sight)


def _shown(window: Window) -> bool:
    """Whether there is a shot on the easel, and the control sheet beside it."""
    return window.easel.result.view is not None and window.session.pipeline is not None


def _metered(window: Window) -> bool:
    return all(shot.state is not State.WAITING for shot in window.session.roll.shots.values())


def thousand(folder: Path) -> dict[str, float]:
    """What opening a folder, scrolling through it and opening it again takes (seconds; memory in MB)."""
    app = make_app()
    figures: dict[str, float] = {}
    for start in ("first start", "next start"):
        window, watch = Window(), _Watch(app)
        window.resize(1280, 800)
        window.show()
        app.processEvents()
        began = time.perf_counter()
        window.open_paths([folder])
        watch.until(partial(_listed, window))
        figures[f"{start}: listed"] = time.perf_counter() - began
        watch.until(partial(_seen, window))
        figures[f"{start}: a screenful of thumbnails"] = time.perf_counter() - began
        watch.until(partial(_shown, window))
        watch.until(lambda: False, SETTLING)
        figures[f"{start}: the window's thread held at most, until the first shot has been shown"] = watch.longest
        watch.longest = 0.0
        bar = window.sheet.verticalScrollBar()
        for place in np.linspace(0, bar.maximum(), 60):
            bar.setValue(int(place))
            watch.until(lambda: False, 0.03)
        figures[f"{start}: the window's thread held at most, while scrolling"] = watch.longest
        figures[f"{start}: memory, MB"] = _resident_mb()
        if start == "first start":  # all readings and thumbnails are made before the next
            watch.until(partial(_metered, window), 900)
        window.close()
    return figures


def report() -> str:
    """The figures as Markdown."""
    with tempfile.TemporaryDirectory() as folder:
        for variable in ("XDG_DATA_HOME", "XDG_CONFIG_HOME"):
            os.environ[variable] = f"{folder}/{variable}"
        shots = Path(folder) / "shots"
        shots.mkdir()
        write_shots(shots)
        rows = [f"| {what} | {value:.2f} |" for what, value in thousand(shots).items()]
    return "\n".join([f"| {SHOTS} shots of 600 x 450 | seconds |", "|---|---:|", *rows])
