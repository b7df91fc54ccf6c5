"""Files are there whole or not at all, and nothing is written over unasked."""

import errno
import os
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from crispgrain.core.atomic import UNFINISHED, atomic_write, sweep
from crispgrain.processes import is_running


@pytest.fixture(params=["links", "no links"])
def folder(request, tmp_path, monkeypatch):
    """A folder of a file system with hard links, or of one without, as on most memory cards."""

    def refuse(self, target):
        if self.exists():
            raise FileExistsError(errno.EEXIST, "taken")
        raise OSError(errno.EPERM, "no links here")

    if request.param == "no links":
        monkeypatch.setattr(Path, "hardlink_to", refuse)
    return tmp_path


def test_many_who_want_one_name_each_get_their_own(folder):
    def write(n: int) -> Path:
        return atomic_write(folder / "a.txt", lambda path: path.write_text(str(n)), replace=False)

    with ThreadPoolExecutor(8) as pool:
        made = list(pool.map(write, range(24)))
    assert sorted(int(path.read_text()) for path in folder.iterdir()) == list(range(24))
    assert [int(path.read_text()) for path in made] == list(range(24))
    assert folder / "a.txt" in made and folder / "a-24.txt" in made


@pytest.mark.parametrize("replace", [True, False])
def test_what_goes_wrong_leaves_the_old_file_and_nothing_else(folder, replace):
    def fails(path: Path) -> None:
        path.write_text("half")
        raise OSError(errno.ENOSPC, "no room")

    (folder / "a.txt").write_text("old")
    with pytest.raises(OSError, match="no room"):
        atomic_write(folder / "a.txt", fails, replace=replace)
    assert [(p.name, p.read_text()) for p in folder.iterdir()] == [("a.txt", "old")]


def test_a_process_that_has_ended_is_not_running_though_nobody_asked_how_it_ended():
    program = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
    assert is_running(program.pid)
    program.kill()
    os.waitid(os.P_PID, program.pid, os.WEXITED | os.WNOWAIT)  # ended, but not asked yet
    assert not is_running(program.pid)
    program.wait()
    assert not is_running(program.pid)


def test_only_what_the_dead_left_is_swept(folder):
    begun = []
    atomic_write(folder / "a.txt", lambda path: (begun.append(path.name), path.write_text("new"), sweep(folder)))
    assert (folder / "a.txt").read_text() == "new"  # the sweep left it alone while it was written
    dead = folder / begun[0].replace(begun[0].partition("@")[0], f"{UNFINISHED}4194305")  # above the highest pid
    dead.write_text("half")
    sweep(folder)
    assert [p.name for p in folder.iterdir()] == ["a.txt"]
