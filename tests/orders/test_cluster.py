"""A real scheduler with two worker processes, one of which is killed half-way."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from crispgrain.cli.main import main
from tests.conftest import save_noisy_jpeg

pytestmark = pytest.mark.slow
COUNT = 8


@pytest.fixture
def cluster(tmp_path):
    """Address of a scheduler, and two workers as processes."""
    place = tmp_path / "scheduler.json"
    scheduler = subprocess.Popen(
        [sys.executable, "-m", "distributed.cli.dask_scheduler", "--port", "0", "--no-dashboard", "--scheduler-file",
         str(place), "--host", "127.0.0.1"], stderr=subprocess.DEVNULL,
    )  # fmt: skip
    deadline = time.monotonic() + 60
    while not place.exists() and time.monotonic() < deadline:
        time.sleep(0.2)
    address = json.loads(place.read_text())["address"]
    workers = [
        subprocess.Popen(
            [sys.executable, "-m", "distributed.cli.dask_worker", address, "--nthreads", "1", "--no-nanny",
             "--no-dashboard", "--local-directory", str(tmp_path / f"w{n}")], stderr=subprocess.DEVNULL,
        ) for n in range(2)
    ]  # fmt: skip
    yield address, workers
    for process in (*workers, scheduler):
        process.kill()
        process.wait()


@pytest.fixture
def shots(clean8, tmp_path):
    folder = tmp_path / "roll"
    folder.mkdir()
    for n in range(COUNT):
        save_noisy_jpeg(folder / f"{n}.jpg", clean8[:240, :320], sigma=6 + n)
    (folder / "broken.jpg").write_bytes(b"no picture")
    return folder


def files(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in folder.iterdir()}


def test_every_shot_once_and_identical_though_a_worker_is_lost(cluster, shots, tmp_path):
    address, workers = cluster
    arguments = ["--only", "develop,denoise", "--format", "png"]
    out, near = tmp_path / "far", tmp_path / "near"
    call = subprocess.Popen(
        [sys.executable, "-m", "crispgrain", "run", str(shots), "--out", str(out), *arguments, "--scheduler", address,
         "--progress", "json"], stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    events = []
    for line in call.stdout:
        events.append(json.loads(line))
        if sum(e["event"] == "written" for e in events) == 2 and workers[0].poll() is None:
            os.kill(workers[0].pid, signal.SIGKILL)
    assert call.wait(60) == 1  # for the broken one
    assert events[-1] == {"event": "end", "written": COUNT, "failed": 1}
    assert any(e["event"] == "progress" for e in events)
    written = [e["result"] for e in events if e["event"] == "written"]
    assert len(set(written)) == COUNT
    assert main(["run", str(shots), "--out", str(near), *arguments]) == 1
    assert files(out) == files(near)


def test_no_cluster_at_an_address_is_said(shots, tmp_path, capsys, monkeypatch):
    monkeypatch.setattr("crispgrain.orders.cluster.FOUND_WITHIN", 1)
    arguments = ["run", str(shots), "--out", str(tmp_path / "o"), "--only", "develop"]
    assert main([*arguments, "--scheduler", "tcp://127.0.0.1:9"]) == 2
    assert "there is no scheduler" in capsys.readouterr().err
