"""What is on disk when the program ends, however it ends."""

import os
import signal
import subprocess
import sys
import time

import numpy as np
import pytest
from PIL import Image

from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.window.window import Window
from crispgrain.session.keeper import Keeper
from crispgrain.store import sensors
from tests.desktop.driving import settle

pytestmark = pytest.mark.slow

DRAGGING = """
import sys, time
from pathlib import Path
from crispgrain.desktop.app import make_app
from crispgrain.desktop.window.window import Window

app, window = make_app(), Window()
window.show()
window.open_paths([Path(sys.argv[1])])
while window.session.shot is None:
    app.processEvents()
value = 0
while True:
    value += 1
    window.change_setting("denoise.luminance", value / 100)
    print(value, time.time(), flush=True)
    end = time.time() + 0.01
    while time.time() < end:
        app.processEvents()
"""


def test_killed_while_a_slider_is_dragged_the_treatment_is_whole_and_at_most_a_second_old(tmp_path):
    shot, log = tmp_path / "grey.png", tmp_path / "log"
    Image.fromarray(np.full((60, 80, 3), 100, np.uint8)).save(shot)
    with log.open("w") as out:
        program = subprocess.Popen([sys.executable, "-c", DRAGGING, str(shot)], stdout=out)
        try:
            deadline = time.time() + 60
            while len(log.read_text().splitlines()) <= 100 and time.time() < deadline:
                time.sleep(0.05)
        finally:
            killed = time.time()
            os.kill(program.pid, signal.SIGKILL)
            program.wait()
    said = [line.split() for line in log.read_text().splitlines() if len(line.split()) == 2]
    assert len(said) >= 100
    kept = Treatment.load(tmp_path / "grey.png.treatment.json")[Stage.DENOISE].values["luminance"]
    old_enough = max(int(value) for value, at in said if float(at) < killed - 1)
    assert kept >= old_enough / 100


def test_what_is_due_is_written_on_closing_and_only_the_newest(qtbot, tmp_path, monkeypatch):
    saved = []
    save = Treatment.save
    monkeypatch.setattr(Treatment, "save", lambda self, path: saved.append(path.name) or save(self, path))
    keeper = Keeper()
    for n in range(50):
        keeper.keep(tmp_path / "a.json", Treatment().set("denoise.luminance", float(n)))
        keeper.keep(tmp_path / "b.json", Treatment().set("denoise.luminance", float(n)))
    keeper.close()
    assert len(saved) < 10
    for name in ("a.json", "b.json"):
        assert Treatment.load(tmp_path / name)[Stage.DENOISE].values["luminance"] == 49


def facts(window):
    thumbnails = window.sheet.roll_model.thumbnails
    return {window.session.roll[id].headline: image.size().toTuple() for id, image in thumbnails.items()}


def test_readings_and_thumbnails_are_there_at_the_next_start(window, roll_folder, qtbot, monkeypatch):
    window.open_paths([roll_folder])
    settle(window, qtbot)
    before = facts(window)
    window.close()
    monkeypatch.setattr(sensors, "measure", lambda source: pytest.fail("measured again"))
    again = Window()
    again.show()
    again.open_paths([roll_folder])
    settle(again, qtbot)
    assert facts(again) == before and len(before) > 2
    again.close()
