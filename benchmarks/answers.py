"""How soon the window answers: each model at 100 %, a test strip, a hail of nudges; in a 24-megapixel RAW."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent

from crispgrain.core.colour import icc
from crispgrain.core.model import Stage
from crispgrain.core.registry import models_of
from crispgrain.desktop.app import make_app
from crispgrain.desktop.window.window import Window
from crispgrain.geometry import Rect
from crispgrain.orders.job import JobState

NUDGES, SECONDS = 100, 20.0
SPOT = (2100, 1900)  # row, column: the rim with its letters
LONG = 300.0  # s
MOVES = 100  # of the pointer in one stroke
BESIDE, SETTLED = 9, 8.0  # nudges beside the queue; s until its processes are at work


def resident() -> float:
    """Memory this process holds, in MB."""
    return float(Path("/proc/self/status").read_text().partition("VmRSS:")[2].split()[0]) / 1024


class Session:
    """A window with one shot at 100 %."""

    def __init__(self, shot: Path) -> None:
        self.app = make_app()
        self.window = Window()
        self.window.show()
        self.window.open_paths([shot])
        self.wait(lambda: self.window.session.shot is not None)
        self.window.easel.set_zoom(1.0)
        self.window.session.viewport.look_at(SPOT[1], SPOT[0])
        self.wait(self.calm)

    def wait(self, until: Callable[[], bool]) -> float:
        """Run the window until something holds; the seconds that took."""
        start = time.perf_counter()
        while not until() and time.perf_counter() - start < LONG:
            self.app.processEvents()
            time.sleep(0.001)
        return time.perf_counter() - start

    def calm(self) -> bool:
        return self.window.display.renderer.idle and not self.window.display.renderer._wanted()

    def change(self, name: str, value: object) -> tuple[float, float]:
        """Seconds to the first new tile and to the last after a setting was changed."""
        self.window.change_setting(name, value)
        images = self.window.easel.result.images
        if self.calm():
            return 0.0, 0.0
        first = self.wait(lambda: bool(images) or self.calm())
        return first, first + self.wait(self.calm)

    def nudge(self, name: str, value: object) -> float:
        """Seconds until something new is on the easel after a setting was nudged."""
        self.window.change_setting(name, value)
        layer = self.window.easel.result
        seconds = self.wait(lambda: layer.spot is not None or bool(layer.images) or self.calm())
        self.wait(self.calm)
        return seconds

    def beside_the_queue(self, shot: Path, folder: Path) -> tuple[float, float]:
        """Seconds a nudge takes to show, in the middle of several: alone, and while the queue writes files."""
        values = [60.0 + 5 * n for n in range(BESIDE)]
        alone = float(np.median([self.nudge("denoise.luminance", value) for value in values]))
        exporter = self.window.exporter
        # As many jobs as there are slots, and more behind them than can be done meanwhile.
        exporter.add([(0, shot, self.window.session.treatment, folder, "") for _ in range(20)])
        self.wait(lambda: sum(j.state is JobState.RUNNING for j in exporter.queue.jobs) == exporter.queue.at_once)
        self.wait_for(SETTLED)
        beside = float(np.median([self.nudge("denoise.luminance", value + 1) for value in values]))
        exporter.stop()
        self.wait(lambda: not exporter.queue.left)
        return alone, beside

    def wait_for(self, seconds: float) -> None:
        end = time.perf_counter() + seconds
        self.wait(lambda: time.perf_counter() > end)

    def strip(self) -> tuple[int, float]:
        """How many candidates, and the seconds until all are there, on 256 px."""
        self.window.strip_flow.run(Rect(*SPOT, 256, 256))
        frames = self.window.strip.frames
        seconds = self.wait(lambda: all(f.image is not None for f in frames))
        self.window.strip.close_strip()
        return len(frames), seconds

    def stroke(self) -> tuple[float, float]:
        """Milliseconds until a stroke of the brush shows, of many moves: what half of them keep to, and the slowest."""
        window, easel = self.window, self.window.easel
        next(a for a in window.mask_flow.ways.actions() if a.text() == "Brush …").trigger()
        self.wait(self.calm)
        middle, taken = QPointF(easel.rect().center()), []
        way = [middle + QPointF(180 * np.cos(t), 120 * np.sin(t)) for t in np.linspace(0, 2 * np.pi, MOVES)]
        self._mouse(QEvent.Type.MouseButtonPress, way[0])
        for place in way:
            start = time.perf_counter()
            self._mouse(QEvent.Type.MouseMove, place)
            easel.repaint()
            taken.append(1000 * (time.perf_counter() - start))
        self._mouse(QEvent.Type.MouseButtonRelease, way[-1])
        self.wait(self.calm)
        window.session.history.undo()
        return float(np.median(taken)), max(taken)

    def _mouse(self, kind: QEvent.Type, place: QPointF) -> None:
        left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
        button = none if kind is QEvent.Type.MouseMove else left
        held = none if kind is QEvent.Type.MouseButtonRelease else left
        event = QMouseEvent(kind, place, place, button, held, Qt.KeyboardModifier.NoModifier)
        self.app.sendEvent(self.window.easel, event)

    def hail(self) -> tuple[int, float]:
        """Stale pixels on the easel after many nudges, and what memory grew by from the first half to the second."""
        rng, held = np.random.default_rng(0), []
        for n in range(NUDGES):
            end = time.perf_counter() + SECONDS / NUDGES
            self.window.change_setting("denoise.luminance", float(rng.integers(0, 200)))
            self.wait(lambda end=end: time.perf_counter() > end)  # type: ignore[misc]
            if n % (NUDGES // 2) == NUDGES // 2 - 1:
                held.append(resident())
        self.wait(self.calm)
        return self.stale_pixels(), held[1] - held[0]

    def stale_pixels(self) -> int:
        """Pixels of the shown result that differ by more than a step from what the treatment asks for."""
        layer, stale = self.window.easel.result, 0
        pipeline = self.window.session.pipeline
        assert pipeline is not None
        for part, image in layer.images.items():
            rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
            seen = rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3)
            right = icc.from_working(pipeline.region(part.rect), icc.profile("srgb"), 8)
            stale += int((np.abs(seen.astype(int) - right) > 1).any(axis=-1).sum()) if not part.level else 0
        return stale


def report(shot: Path) -> str:
    """The figures as Markdown."""
    session = Session(shot)
    lines = [
        "| the window's answers, 24 MP RAW at 100 % | first new part, s | all in view, s | nudge: first spot, s |",
        "|---|---:|---:|---:|",
    ]
    for stage in (Stage.DENOISE, Stage.SHARPEN):
        session.window.session.choose_stage(stage)
        session.change("sharpen.on", stage is Stage.SHARPEN)
        for model in models_of(stage):
            session.change(f"{stage}.model", model.id)
            session.change(f"{stage}.on", False)
            session.window.session.cache.clear()
            first, last = session.change(f"{stage}.on", True)
            spot = session.nudge(f"{stage}.{model.strength}", 70.0)
            session.change(f"{stage}.{model.strength}", 80.0)
            lines.append(f"| {stage.label}, {model.name} | {first:.2f} | {last:.2f} | {spot:.2f} |")
    session.change("sharpen.on", False)
    session.window.session.choose_stage(Stage.DENOISE)
    count, seconds = session.strip()
    lines.append(f"| test strip, {count} candidates of Denoise on 256 px | | {seconds:.2f} | |")
    usual, longest = session.stroke()
    session.change("denoise.model", "mosaic-dct")
    stale, grown = session.hail()
    with tempfile.TemporaryDirectory() as folder:
        alone, beside = session.beside_the_queue(shot, Path(folder))
    session.window.close()
    lines.append(f"| nudge, with the queue at work (alone: {alone:.2f} s) | | | {beside:.2f} |")
    lines.append(
        f"| a stroke under the pointer, {MOVES} moves, the slowest {longest / 1000:.3f} | {usual / 1000:.3f} | | |"
    )
    lines.append("")
    lines.append(
        f"{NUDGES} random nudges in {SECONDS:.0f} s: {stale} stale pixels on the easel in the end; memory changed by "
        f"{grown:+.0f} MB from the 50th nudge to the 100th."
    )
    return "\n".join(lines)
