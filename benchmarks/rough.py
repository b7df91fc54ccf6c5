"""Rough treatment: a batch that is killed again and again, and a roll of damaged files. ``python -m benchmarks rough``.

Both are run as a user would, through the command line, and say what was found wrong; ``nothing`` is what is wanted.
"""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pillow_heif
import tifffile
from PIL import Image

from crispgrain.demo.roll import scene
from crispgrain.simulation import camera
from tests.conftest import write_raw

SHOTS, KILLS = 30, 50
DAMAGED = 1000
STUCK = 30.0  # s without a word: it hangs


def _small(edge: int = 240) -> np.ndarray:
    return np.ascontiguousarray(scene("orrery")[1200 : 1200 + edge, 1400 : 1400 + edge + 80])


def _run(*arguments: str) -> list[str]:
    return [sys.executable, "-m", "crispgrain", "run", *arguments]


def kills() -> str:
    """A batch of 30 shots, killed at 50 random moments, resumed each time, begun anew whenever it is complete."""
    chance = random.Random(0)
    wrong: list[str] = []
    killed = rounds = 0
    with tempfile.TemporaryDirectory() as folder:
        shots, out = Path(folder) / "shots", Path(folder) / "out"
        shots.mkdir()
        values = camera.lens_softness(_small(), 0.6)
        for n in range(SHOTS):
            noisy = np.clip(values ** (1 / 2.2) + np.random.default_rng(n).normal(0, 0.03, values.shape), 0, 1)
            Image.fromarray((noisy * 255).astype(np.uint8)).save(shots / f"{n:02}.png")
        before = {path.name: path.read_bytes() for path in shots.iterdir()}
        call = _run(str(shots), "--out", str(out), "--jobs", "2", "--resume", "--only", "develop,denoise")
        kept: dict[str, tuple[int, int]] = {}
        while killed < KILLS:
            process = subprocess.Popen(
                call, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
            )
            try:
                code = process.wait(chance.uniform(1, 12))
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()
                killed, code = killed + 1, -9
            for path in out.glob("*.tif"):
                facts = path.stat()
                if not facts.st_size:
                    continue  # a name that was claimed a moment before; it is made good or away at the next start
                try:
                    tifffile.imread(path)
                except Exception as error:
                    wrong.append(f"{path.name} is half-written ({error})")
                if path.name in kept and kept[path.name] != (facts.st_ino, facts.st_mtime_ns):
                    wrong.append(f"{path.name} was made twice")
                kept[path.name] = facts.st_ino, facts.st_mtime_ns
            if code == 0:
                rounds += 1
                names = sorted(path.name for path in out.iterdir())
                if names != [f"{n:02}-denoise.tif" for n in range(SHOTS)]:
                    wrong.append(f"the complete set is {names}")
                for path in out.iterdir():
                    path.unlink()
                kept = {}
            elif code > 0:
                wrong.append(f"a run ended with {code}")
        if {path.name: path.read_bytes() for path in shots.iterdir()} != before:
            wrong.append("a source was changed")
    return f"| {killed} kills over batches of {SHOTS}, {rounds} completed | {'; '.join(wrong) or 'nothing'} |"


def good_files(folder: Path) -> list[Path]:
    """One small picture in a file of each format."""
    linear = _small()
    write_raw(folder / "good.dng", linear)
    stored = (np.clip(linear, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
    picture = Image.fromarray(stored)
    for suffix in ("jpg", "png", "webp"):
        picture.save(folder / f"good.{suffix}")
    tifffile.imwrite(folder / "good.tif", stored.astype(np.uint16) * 257, photometric="rgb", compression="deflate")
    pillow_heif.from_pillow(picture).save(folder / "good.heic")
    return sorted(folder.iterdir())


def _damage(data: bytes, rng: np.random.Generator) -> bytes:
    """The data cut short, with bytes flipped, with parts swapped, or with a part of zeros."""
    values = np.frombuffer(data, np.uint8).copy()
    kind = rng.integers(4)
    if kind == 0:
        return data[: int(rng.integers(1, len(data)))]
    start, length = int(rng.integers(len(data) // 2)), int(rng.integers(1, 400))
    if rng.random() < 0.5:
        start = int(rng.integers(min(512, len(data) // 2)))  # where headers are
    if kind == 1:
        places = rng.integers(0, len(data), rng.integers(1, 40)) if rng.random() < 0.5 else np.arange(start, start + 4)
        values[places % len(values)] ^= rng.integers(1, 256, len(places)).astype(np.uint8)
    elif kind == 2:
        other = int(rng.integers(len(data) // 2)) + len(data) // 2
        length = min(length, len(data) - other, other - start)
        first, second = values[start : start + length].copy(), values[other : other + length].copy()
        values[start : start + length], values[other : other + length] = second, first
    else:
        values[start : start + length] = 0
    return values.tobytes()


def _lines(process: subprocess.Popen[str]) -> Iterator[tuple[float, dict]]:
    """Each event, and the seconds before it."""
    last = time.monotonic()
    for line in process.stdout or ():
        now = time.monotonic()
        yield now - last, json.loads(line)
        last = now


def _memory_mb(group: int) -> float:
    """Of all processes of a group."""
    total = 0.0
    for status in Path("/proc").glob("[0-9]*/stat"):
        try:
            fields = status.read_text().rpartition(")")[2].split()
            if int(fields[2]) == group:
                total += int(fields[21]) * os.sysconf("SC_PAGE_SIZE") / 1e6
        except (OSError, IndexError, ValueError):
            continue
    return total


def damaged(count: int = DAMAGED) -> str:
    """A roll of files made from good ones by cutting, flipping, swapping and blanking bytes; the seed is fixed."""
    rng = np.random.default_rng(0)
    with tempfile.TemporaryDirectory() as folder:
        roll, out, good = (Path(folder) / name for name in ("roll", "out", "good"))
        for each in (roll, good):
            each.mkdir()
        kinds = good_files(good)
        for n in range(count):
            path = kinds[n % len(kinds)]
            (roll / f"{n:04}{path.suffix}").write_bytes(_damage(path.read_bytes(), rng))
        call = _run(str(roll), "--out", str(out), "--only", "develop", "--format", "jpeg", "--progress", "json",
                    "--jobs", "2")  # fmt: skip
        process = subprocess.Popen(
            call, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, start_new_session=True
        )
        told, longest, most, written = set(), 0.0, 0.0, 0
        for waited, event in _lines(process):
            longest = max(longest, waited)
            if event["event"] in ("written", "failed"):
                told.add(event["shot"])
                written += event["event"] == "written"
                if len(told) % 50 == 0:
                    most = max(most, _memory_mb(process.pid))
        code = process.wait()
        silent = count - len(told)
        half = sum(path.name.startswith(".") for path in out.iterdir())
    wrong = [f"{silent} files were never told of"] if silent else []
    wrong += [f"it was silent for {longest:.0f} s"] if longest > STUCK else []
    wrong += [f"it ended with {code}"] if code not in (0, 1) else []
    wrong += [f"{half} files are half-written"] if half else []
    said = f"{count} damaged files: {written} opened and written, {len(told) - written} named with a cause; "
    said += f"longest silence {longest:.1f} s, at most {most:.0f} MB in all processes"
    return f"| {said} | {'; '.join(wrong) or 'nothing'} |"


def report() -> str:
    """The figures as Markdown."""
    return "\n".join(["| rough treatment | what was wrong |", "|---|---|", damaged(), kills()])
