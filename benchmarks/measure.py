"""Running one method in a process of its own, so that its time and memory are its own."""

from __future__ import annotations

import multiprocessing
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from threadpoolctl import threadpool_limits

from .quality import Quality, compare

Method = Callable[..., NDArray]


@dataclass(frozen=True)
class Row:
    """One line of a table."""

    task: str
    method: str
    quality: Quality
    seconds_per_megapixel: float
    megabytes: float


def run(task: str, method: str, function: Method, cases: list[tuple[Any, NDArray]]) -> Row:
    """Apply ``function`` to each case's input and compare with its truth (sRGB-encoded, 0..1).

    The function runs in a fresh process; memory is how far that process grew, libraries loaded on first use included.
    """
    context = multiprocessing.get_context("spawn")
    receiver, sender = context.Pipe(duplex=False)
    process = context.Process(target=_child, args=(sender, function, [c[0] for c in cases]))
    process.start()
    results, seconds, megabytes = receiver.recv()
    process.join()
    if isinstance(results, str):
        raise RuntimeError(f"{method}: {results}")
    qualities = [compare(r, truth) for r, (_, truth) in zip(results, cases, strict=True)]
    megapixels = sum(t.shape[0] * t.shape[1] for _, t in cases) / 1e6
    mean = Quality(*(float(np.mean([getattr(q, f) for q in qualities])) for f in ("psnr", "ssim", "ciede2000")))
    return Row(task, method, mean, seconds / megapixels, megabytes)


def _child(sender: Any, function: Method, inputs: list[Any]) -> None:
    try:
        before = _peak_megabytes()
        function(inputs[0])  # imports and first-use set-up are not what is timed
        cv2.setNumThreads(1)
        with threadpool_limits(1):  # of BLAS and OpenMP
            start = time.perf_counter()
            results = [function(i) for i in inputs]
            seconds = time.perf_counter() - start
        sender.send((results, seconds, _peak_megabytes() - before))
    except Exception as error:  # the parent reports it
        sender.send((f"{type(error).__name__}: {error}", 0, 0))


def _peak_megabytes() -> float:
    """The kernel's high-water mark of this process; rusage would count the parent's from before the start."""
    status = Path("/proc/self/status").read_text()
    return float(status.partition("VmHWM:")[2].split()[0]) / 1024


def table(rows: list[Row]) -> str:
    """Rows as a Markdown table."""
    lines = [
        "| task | method | PSNR dB | SSIM | CIEDE2000 | s / MP | growth MB |",
        "|---|---|---:|---:|---:|---:|---:|",
    ]
    for r in rows:
        q = r.quality
        lines.append(
            f"| {r.task} | {r.method} | {q.psnr:.2f} | {q.ssim:.3f} | {q.ciede2000:.2f} "
            f"| {r.seconds_per_megapixel:.2f} | {r.megabytes:.0f} |"
        )
    return "\n".join(lines)
