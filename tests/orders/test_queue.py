"""The queue, with workers that crash, find the disk full, or do not listen; and the real worker on real shots."""

import hashlib
import multiprocessing
import os
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from attrs import evolve
from PIL import Image

from crispgrain.cancel import CancelToken
from crispgrain.core.render.whole import export
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.orders import queue as module
from crispgrain.orders.job import JobState
from crispgrain.orders.journal import Journal
from crispgrain.orders.memory import EACH_ENLARGED, EACH_PIXEL, ENLARGING, PROCESS, UNKNOWN, expected, jobs_at_once
from crispgrain.orders.queue import OrderQueue
from crispgrain.orders.worker import WRITTEN, LastShot, answer
from crispgrain.restoration import wavelet
from tests.orders.fakes import fake_work

pytestmark = pytest.mark.slow


@pytest.fixture
def faked(tmp_path, monkeypatch):
    """A queue of one slot whose worker is a fake."""
    monkeypatch.setattr(module, "work", fake_work)
    monkeypatch.setattr(module, "LOOK", 0.1)
    queue = OrderQueue(Journal(tmp_path / "orders.sqlite"), tmp_path / "store.sqlite")
    yield queue
    queue.close()
    queue.journal.close()


def wishes(tmp_path: Path, *names: str):
    return [(Path(f"{n}.dng"), Treatment(), tmp_path, name, False) for n, name in enumerate(names)]


def wait(until, seconds: float = 60) -> None:
    end = time.monotonic() + seconds
    while not until():
        assert time.monotonic() < end, "it took too long"
        time.sleep(0.02)


def states(queue: OrderQueue) -> list[JobState]:
    return [job.state for job in queue.journal.jobs()]


def test_a_crash_takes_one_shot_and_is_tried_once_more(faked, tmp_path):
    faked.add(wishes(tmp_path, "", "crash once", "crash", "bad", ""))
    wait(lambda: not faked.left)
    assert [s.value for s in states(faked)] == ["done", "done", "failed", "failed", "done"]
    assert [job.tries for job in faked.journal.jobs()] == [0, 1, 2, 0, 0]
    assert "2.dng: the process that rendered it ended unexpectedly" in faked.journal.jobs()[2].words


def test_a_full_disk_is_waited_for(faked, tmp_path, monkeypatch):
    said = []
    faked.trouble.connect(said.append)
    monkeypatch.setattr(module, "ROOM", 10**18)  # never so much
    faked.add(wishes(tmp_path, "full once", ""))
    wait(lambda: bool(said))
    time.sleep(0.5)
    assert [s.value for s in states(faked)] == ["waiting", "waiting"]
    assert "no room" in said[0]
    monkeypatch.setattr(module, "ROOM", 0)
    wait(lambda: not faked.left)
    assert [s.value for s in states(faked)] == ["done", "done"]
    assert said[-1] == ""


def test_a_folder_that_was_unplugged_is_waited_for(faked, tmp_path):
    said, out = [], tmp_path / "stick"
    out.mkdir()
    faked.trouble.connect(said.append)
    faked.add([(Path("0.dng"), Treatment(), out, "", False)])
    wait(lambda: not faked.left)
    out.rename(tmp_path / "away")
    faked.add([(Path("1.dng"), Treatment(), out, "", False)])
    wait(lambda: bool(said))
    assert "stick is no longer there" in said[0] and not out.exists()
    (tmp_path / "away").rename(out)
    wait(lambda: not faked.left)
    assert said[-1] == "" and (out / "1.txt").exists()


@pytest.mark.parametrize(("limit", "most"), [(2 * 700e6, 1), (8e9, 2)])
def test_no_more_jobs_at_once_than_there_is_memory_for(tmp_path, monkeypatch, limit, most):
    monkeypatch.setattr(module, "work", fake_work)
    monkeypatch.setattr(module, "expected", lambda path, treatment: 1e9)
    queue = OrderQueue(Journal(tmp_path / "o.sqlite"), tmp_path / "s.sqlite", 2, limit)
    running: list[int] = []
    queue.changed.connect(lambda _: running.append(sum(j.state is JobState.RUNNING for j in queue.jobs)))
    jobs = queue.add(wishes(tmp_path, "slow", "slow", "slow"))
    wait(lambda: running.count(most) > 0)
    time.sleep(0.6)
    assert max(running) == most
    queue.cancel([job.id for job in jobs])
    wait(lambda: not queue.left)
    queue.close()
    queue.journal.close()


def test_more_slots_begin_more_jobs(faked, tmp_path):
    faked.add(wishes(tmp_path, "slow", "slow", "slow"))
    wait(lambda: sum(j.state is JobState.RUNNING for j in faked.jobs) == 1)
    faked.at_once = 2
    wait(lambda: sum(j.state is JobState.RUNNING for j in faked.jobs) == 2)
    faked.cancel()
    wait(lambda: not faked.left)


def test_what_a_job_will_take_follows_from_its_size_and_how_far_it_is_enlarged(raw_file, tmp_path):
    plain, broken = Treatment(), tmp_path / "x.dng"
    small = expected(raw_file, plain)
    broken.write_bytes(b"nothing")
    usual = PROCESS + EACH_PIXEL * UNKNOWN[0] * UNKNOWN[1]
    assert PROCESS < small < PROCESS + 100 * 500 * 700
    assert expected(broken, plain) == usual
    assert jobs_at_once(8, 4 * usual) == 4 and jobs_at_once(2, 4 * usual) == 2 and jobs_at_once(8, 0) == 1
    Image.fromarray(np.zeros((300, 500, 3), np.uint8)).save(tmp_path / "a.png")
    enlarged = Treatment().set("enlarge.on", True).set("enlarge.factor", 4.0)
    by_side = enlarged.set("enlarge.by", "long-side").set("enlarge.pixels", 4000)
    here = [expected(tmp_path / "a.png", t) for t in (plain, enlarged, by_side)]
    assert np.diff(here) == pytest.approx([ENLARGING + EACH_ENLARGED * 1200 * 2000, EACH_ENLARGED * 3 * 1200 * 2000])
    too_high = by_side.set("enlarge.by", "width").set("enlarge.pixels", 99_000)
    Image.fromarray(np.zeros((500, 300, 3), np.uint8)).save(tmp_path / "a.png")
    assert expected(tmp_path / "a.png", too_high) == here[0]  # refused when it is its turn


def test_a_slot_that_is_taken_away_ends_its_process(faked, tmp_path):
    faked.at_once = 2
    faked.add(wishes(tmp_path, "slow", "slow"))
    wait(lambda: len(multiprocessing.active_children()) == 2)
    faked.at_once = 1
    faked.cancel()
    wait(lambda: len(multiprocessing.active_children()) == 1)
    faked.at_once = 2
    faked.add(wishes(tmp_path, "slow", "slow"))
    wait(lambda: sum(j.state is JobState.RUNNING for j in faked.jobs) == 2)
    faked.cancel()
    wait(lambda: not faked.left)


def test_waiting_jobs_change_places_and_nothing_begins_while_paused(faked, tmp_path):
    begun = []
    faked.changed.connect(lambda job: begun.append(job.path.stem) if job.state is JobState.RUNNING else None)
    faked.pause(True)
    jobs = faked.add(wishes(tmp_path, "", "", ""))
    time.sleep(0.3)
    assert begun == []
    faked.move(jobs[2].id, 0)
    faked.pause(False)
    wait(lambda: not faked.left)
    assert list(dict.fromkeys(begun)) == ["2", "0", "1"]


def test_cancelling_ends_running_and_waiting_jobs_and_the_queue_goes_on(faked, tmp_path, monkeypatch):
    monkeypatch.setattr(module, "PATIENCE", 0.5)
    jobs = faked.add(wishes(tmp_path, "slow", "deaf", "", ""))
    wait(lambda: faked.jobs[0].state is JobState.RUNNING)
    faked.cancel([jobs[0].id, jobs[3].id])
    wait(lambda: faked.jobs[0].path.stem == "1" and faked.jobs[0].state is JobState.RUNNING)
    faked.cancel([jobs[1].id])  # one that does not listen is killed
    wait(lambda: not faked.left)
    assert [s.value for s in states(faked)] == ["cancelled", "cancelled", "done", "cancelled"]


def test_what_a_closed_program_left_is_gone_on_with(tmp_path, monkeypatch):
    monkeypatch.setattr(module, "work", fake_work)
    journal = Journal(tmp_path / "orders.sqlite")
    queue = OrderQueue(journal, tmp_path / "s.sqlite")
    queue.add(wishes(tmp_path, "", "slow", ""))
    wait(lambda: [s.value for s in states(queue)][:2] == ["done", "running"])
    queue.close()
    journal.close()
    again = Journal(tmp_path / "orders.sqlite")
    left = again.unfinished()
    assert [job.path.stem for job in left] == ["1", "2"]
    assert [job.state.value for job in left] == ["waiting", "waiting"]
    again.close()


@pytest.mark.parametrize(("found", "state"), [(b"whole", "done"), (b"", "waiting"), (None, "waiting")])
def test_a_file_written_at_the_last_moment_counts_but_not_an_empty_one(tmp_path, found, state):
    path, result = tmp_path / "orders.sqlite", tmp_path / "a.png"
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    journal = Journal(path)
    (job,) = journal.add(wishes(tmp_path, ""))
    journal.keep(evolve(job, state=JobState.RUNNING, started=time.time() - 1, result=result))
    journal.close()
    with sqlite3.connect(path) as base:
        base.execute("update jobs set owner=?", (gone.pid,))
    if found is not None:
        result.write_bytes(found)
    journal = Journal(path)
    assert len(journal.unfinished()) == (state == "waiting")
    assert [job.state.value for job in journal.jobs()] == [state]
    assert result.exists() == (found == b"whole")  # the name is free again
    journal.close()


# ---- the real worker -------------------------------------------------------------------


@pytest.fixture
def shots(tmp_path) -> list[Path]:
    rng = np.random.default_rng(0)
    paths = [tmp_path / f"shot-{n}.png" for n in range(4)]
    for path in paths:
        Image.fromarray(rng.integers(60, 180, (80, 120, 3), np.uint8)).save(path)
    return paths


TREATMENT = Treatment().set("denoise.on", True).set("denoise.model", "wavelet").set("print.format", "png")


def sums(folder: Path) -> dict[str, str]:
    return {p.name: hashlib.sha256(p.read_bytes()).hexdigest() for p in sorted(folder.iterdir())}


@pytest.mark.parametrize("count", [1, 3])
def test_files_are_the_same_however_many_processes_write_them(count, shots, tmp_path):
    direct, queued = tmp_path / "direct", tmp_path / "queued"
    for path in shots:
        export(open_shot(path).pipeline(TREATMENT), direct)
    broken = tmp_path / "broken.png"
    broken.write_bytes(shots[0].read_bytes()[:200])
    queue = OrderQueue(Journal(tmp_path / "orders.sqlite"), tmp_path / "store.sqlite", count)
    queue.add([(path, TREATMENT, queued, "", False) for path in [shots[0], broken, *shots[1:]]])
    wait(lambda: not queue.left, 120)
    queue.close()
    assert sums(queued) == sums(direct)
    (failed,) = [job for job in queue.journal.jobs() if job.state is JobState.FAILED]
    assert failed.words.startswith("broken.png: ")
    queue.journal.close()


def test_several_files_of_a_shot_are_made_in_one_pass(shots, tmp_path, monkeypatch):
    runs = []
    real = wavelet.shrink
    monkeypatch.setattr(wavelet, "shrink", lambda *given: runs.append(1) or real(*given))
    last, said = LastShot(), []

    def make(treatment: Treatment, name: str, path: Path = shots[0]) -> int:
        runs.clear()
        wish = {"path": str(path), "treatment": treatment.as_json(), "folder": str(tmp_path / "out"), "name": name,
                "replace": False}  # fmt: skip
        said.append(answer(wish, lambda word: None, CancelToken(), last)[0])
        return len(runs)

    large = TREATMENT.set("enlarge.on", True).set("enlarge.model", "lanczos").set("enlarge.factor", 2.0)
    assert make(TREATMENT, "one") > 0
    assert make(TREATMENT.set("print.format", "jpeg"), "web") == make(large, "large") == 0
    assert make(TREATMENT.set("denoise.luminance", 20.0), "softer") > 0
    assert make(TREATMENT, "other", shots[1]) > 0
    assert make(TREATMENT, "back") > 0  # only the last shot is kept
    shots[0].write_bytes(shots[2].read_bytes())  # another picture by now
    assert make(TREATMENT, "changed") > 0 and set(said) == {WRITTEN}
    direct = export(open_shot(shots[0]).pipeline(TREATMENT), tmp_path / "direct")
    assert direct.read_bytes() == (tmp_path / "out" / "changed.png").read_bytes()


def test_the_files_of_a_shot_stay_with_the_process_that_began_it(faked, tmp_path):
    begun = []
    faked.changed.connect(lambda job: begun.append(job.path.stem) if job.state is JobState.RUNNING else None)
    faked.pause(True)
    faked.at_once = 2
    faked.add([(Path(f"{shot}.dng"), Treatment(), tmp_path, "slow", False) for shot in "aaabbb"])
    faked.pause(False)
    wait(lambda: len(begun) >= 2)  # said a moment after the job counts as running
    assert set(begun[:2]) == {"a", "b"}
    faked.cancel()
    wait(lambda: not faked.left)


KILLED = """
import sys, time
from pathlib import Path
from crispgrain.core.treatment import Treatment
from crispgrain.orders.journal import Journal
from crispgrain.orders.memory import EACH_ENLARGED, EACH_PIXEL, ENLARGING, PROCESS, UNKNOWN, expected, jobs_at_once
from crispgrain.orders.queue import OrderQueue

if __name__ == "__main__":
    base = Path(sys.argv[1])
    treatment = Treatment().set("denoise.on", True).set("denoise.model", "wavelet").set("print.format", "png")
    queue = OrderQueue(Journal(base / "orders.sqlite"), base / "store.sqlite", 2)
    queue.add([(path, treatment, base / "out", "", False) for path in sorted(base.glob("shot-*.png"))])
    while True:
        time.sleep(1)
"""


def test_killed_in_the_middle_of_a_batch_the_rest_is_made_and_nothing_twice(tmp_path):
    for n in range(12):
        Image.fromarray(np.full((200, 300, 3), 40 + n, np.uint8)).save(tmp_path / f"shot-{n:02}.png")
    script = tmp_path / "killed.py"
    script.write_text(KILLED)
    program = subprocess.Popen([sys.executable, str(script), str(tmp_path)], cwd=Path(__file__).parents[2])
    out = tmp_path / "out"
    try:
        wait(lambda: out.exists() and len(list(out.glob("*.png"))) >= 3, 90)
    finally:
        os.kill(program.pid, signal.SIGKILL)
        program.wait()
    time.sleep(1.0)  # the workers notice, and end
    made = {p: p.stat().st_mtime_ns for p in out.glob("shot*.png")}
    journal = Journal(tmp_path / "orders.sqlite")
    left = journal.unfinished()
    assert 0 < len(left) < 12
    queue = OrderQueue(journal, tmp_path / "store.sqlite", 2)
    queue.go_on(left)
    wait(lambda: not queue.left, 120)
    queue.close()
    journal.close()
    assert sorted(p.name for p in out.iterdir()) == [f"shot-{n:02}-denoise.png" for n in range(12)]
    assert {p: p.stat().st_mtime_ns for p in made} == made
