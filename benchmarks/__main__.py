"""``./run bench`` measures everything and writes docs/benchmarks.md.

``./run bench quick`` prints whole-shot speed only, ``./run bench roll`` what a roll of 1,000 shots takes,
``./run bench rough`` how it stands being killed and damaged files, ``./run bench damages`` what is left of such files,
``./run bench letters`` whether small letters can be read, ``./run bench clicks [SEED [SECONDS]]`` what random
clicks break.
``./run bench only WORDS`` prints the tasks with these words in their name, without BM3D unless ``full`` follows; none
of these writes anything.
"""

from __future__ import annotations

import os
import platform
import sys
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from pathlib import Path
from tempfile import TemporaryDirectory

from . import clicks, damages, edges, letters, roll, rough, whole
from .measure import Row, run, table
from .tasks import every_task, held_out, photographs

TARGET = Path(__file__).parent.parent / "docs" / "benchmarks.md"
PREAMBLE = """# Benchmarks

One run of `./run bench` on {day}: {processor}, {cores} processors, Python {python}.
Bold rows are ours; the others are reference methods from general libraries, told the true noise
where they ask for it. Seconds are for one process with one thread, while another ran beside it, and compare within this
run only. *Growth* is by how much the process grew over the task's pictures, libraries it loads on first use included.

Pictures: crops of 256 x 256 from *astronaut*, *coffee*, *chelsea* and *rocket* (shipped with scikit-image).
For white noise, JPEG, developed noise and enlarging also the centres of the {reserved} photographs kept out of training
(*EveningGlow*, *Garden*, *OneStandsOut*, *life*), shrunk by two; shake has rows of its own on 448 x 448 of them. For
RAW the first three, through the simulated camera, and a detail of our own ray-traced scene. Grey fabric and wires are
painted (`benchmarks/patterns.py`), grass and gravel photographs of scikit-image.
PSNR, SSIM and CIEDE2000 by scikit-image, on sRGB values.
"""
BY_HAND = "## What the figures say"


def _processor() -> str:
    for line in Path("/proc/cpuinfo").read_text().splitlines():
        if line.startswith("model name"):
            return line.partition(":")[2].strip()
    return platform.processor()


def _measure(words: str, full: bool) -> list[Row]:
    rows: list[Row] = []
    with TemporaryDirectory() as folder, ThreadPoolExecutor(2) as pool:
        jobs = [
            (task, name, method, cases)
            for task, cases, methods in every_task(Path(folder), full) if words in task
            for name, method in methods
        ]  # fmt: skip
        for row in pool.map(lambda job: run(*job), jobs):
            rows.append(row)
            print(table([row]).splitlines()[-1], flush=True)
    return rows


def main() -> None:
    if sys.argv[1:2] == ["only"]:
        _measure(" ".join(word for word in sys.argv[2:] if word != "full"), "full" in sys.argv)
        return
    for name, part in (("roll", roll), ("rough", rough), ("damages", damages), ("letters", letters)):
        if sys.argv[1:2] == [name]:
            print(part.report())
            return
    if sys.argv[1:2] == ["clicks"]:
        print(clicks.report(*map(int, sys.argv[2:4])))
        return
    if sys.argv[1:] not in ([], ["quick"]):
        sys.exit(__doc__)
    speed = whole.report()
    print(speed, flush=True)
    if sys.argv[1:]:
        return
    rows = _measure("", full=True)
    head = PREAMBLE.format(
        day=date.today().isoformat(), processor=_processor(), cores=len(os.sched_getaffinity(0)),
        python=platform.python_version(), reserved=len(held_out()) - len(photographs()),
    )  # fmt: skip
    parts = [
        head, f"## Whole shots\n\n{speed}\n", f"## Rolls\n\n{roll.report()}\n\n{rough.report()}\n",
        f"## Quality\n\n{table(rows)}\n", f"## Edges\n\n{edges.report()}\n",
    ]  # fmt: skip
    # What was written by hand about an earlier run is kept, to be brought up to date.
    _, mark, by_hand = TARGET.read_text(encoding="utf-8").partition(BY_HAND)
    TARGET.write_text("\n".join([*parts, mark + by_hand]), encoding="utf-8")


if __name__ == "__main__":
    main()
