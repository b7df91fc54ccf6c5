"""A whole 24-megapixel RAW: from file to file, and from file to the easel."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

import numpy as np

from crispgrain.core.model import Stage
from crispgrain.core.render.progress import Progress
from crispgrain.core.render.whole import export
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import scene
from crispgrain.simulation import camera
from crispgrain.simulation.dng import write_dng

from . import answers

HEIGHT, WIDTH = 4000, 6000
SHARPENED = {
    "Lens softness, fast,": ("sharpen.model=lens-softness", "sharpen.radius=0.8"),
    "Defocus of 3 px, fast,": ("sharpen.model=defocus", "sharpen.radius=3"),
    "Defocus of 3 px, best,": ("sharpen.model=defocus", "sharpen.radius=3", "sharpen.effort=best"),
}


def write_24_megapixels(path: Path) -> None:
    """The orrery, mirrored over its edges to 6000 x 4000, at ISO 6400."""
    big = np.pad(scene("orrery"), ((0, HEIGHT - 3000), (0, WIDTH - 4000), (0, 0)), mode="symmetric")
    write_dng(path, camera.expose(big, 6400, seed=1), camera.FIELD_TWO, 6400, Fraction(1, 60), "2026:03:14 16:20:08")


def file_to_file(shot: Path, only: str, settings: tuple[str, ...] = ()) -> tuple[float, float]:
    """Seconds and peak megabytes of a whole ``crispgrain run`` process."""
    with tempfile.TemporaryDirectory() as out:
        start = time.perf_counter()
        command = [sys.executable, "-m", "crispgrain", "run", str(shot), "--out", out, "--only", only]
        for setting in settings:
            command += ["--set", setting]
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        peak = 0.0
        while process.poll() is None:
            # The kernel's high-water mark of the process itself; rusage would count this one's in.
            with contextlib.suppress(OSError, IndexError):
                status = Path(f"/proc/{process.pid}/status").read_text()
                peak = max(peak, float(status.partition("VmHWM:")[2].split()[0]) / 1024)
            time.sleep(0.02)
        seconds = time.perf_counter() - start
    if process.returncode:
        raise RuntimeError(f"crispgrain run ended with {process.returncode}")
    return seconds, peak


def file_to_easel(shot: Path) -> dict[str, float]:
    """Seconds from opening a shot to what is seen, in a running window."""
    from PySide6.QtCore import QElapsedTimer

    from crispgrain.desktop.app import make_app
    from crispgrain.desktop.window.window import Window

    app = make_app()
    window = Window()
    window.show()
    app.processEvents()
    times: dict[str, float] = {}
    longest: dict[str, float] = {}
    clock, last = QElapsedTimer(), time.perf_counter()
    clock.start()
    window.open_paths([shot])
    zoomed = False
    while clock.elapsed() < 120_000 and "100 %, visible part final" not in times:
        app.processEvents()
        now = time.perf_counter()
        phase = "rendering" if zoomed else "opening"
        longest[phase], last = max(longest.get(phase, 0.0), now - last), now
        if window.easel.result.overview is not None:
            times.setdefault("first sharp picture, whole in view", clock.elapsed() / 1000)
        if window.session.shot is not None and not zoomed:
            times["metered"] = clock.elapsed() / 1000
            window.easel.set_zoom(1.0)
            zoomed, started = True, clock.elapsed()
        if zoomed and window.display.renderer.idle and not window.display.renderer._wanted():
            times["100 %, visible part final"] = (clock.elapsed() - started) / 1000
        time.sleep(0.001)
    for phase, seconds in longest.items():
        times[f"longest pause of the window's thread while {phase}"] = seconds
    window.close()
    return times


def time_left_error(shot: Path) -> float:
    """How far the time left, as told while exporting, is off at worst after a fifth: a share of the whole time."""
    told: list[tuple[float, float]] = []
    start = time.perf_counter()

    def listen(progress: Progress) -> None:
        if progress.seconds_left is not None:
            told.append((time.perf_counter() - start, progress.seconds_left))

    with tempfile.TemporaryDirectory() as out:
        export(open_shot(shot).pipeline(Treatment().only([Stage.DEVELOP, Stage.DENOISE])), Path(out), report=listen)
    whole = time.perf_counter() - start
    return max(abs(at + left - whole) / whole for at, left in told if at > whole / 5)


def report() -> str:
    """The figures as Markdown."""
    lines = ["| 24 MP RAW, ISO 6400 | seconds | peak MB |", "|---|---:|---:|"]
    with tempfile.TemporaryDirectory() as folder:
        shot = Path(folder) / "big.dng"
        write_24_megapixels(shot)
        for only in ("develop", "develop,denoise", "develop,denoise,sharpen"):
            seconds, megabytes = file_to_file(shot, only)
            lines.append(f"| {only} to a 16-bit TIFF | {seconds:.1f} | {megabytes:.0f} |")
        for words, settings in SHARPENED.items():
            seconds, megabytes = file_to_file(shot, "develop,sharpen", settings)
            lines.append(f"| develop, {words} to a 16-bit TIFF | {seconds:.1f} | {megabytes:.0f} |")
        for what, seconds in file_to_easel(shot).items():
            lines.append(f"| {what} | {seconds:.2f} | |")
        error = time_left_error(shot)
        lines += [
            "",
            f"Time left, as told while a denoised picture is exported: off by {error:.0%} of the whole at worst,",
        ]
        lines += ["after the first fifth.", "", answers.report(shot)]
    return "\n".join(lines)
