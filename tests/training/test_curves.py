"""Logs of training cut into stretches, and every committed log drawn."""

import re
from pathlib import Path

import pytest

from training import curves

pytestmark = pytest.mark.slow

HERE = Path(curves.__file__).parent
LOGS = [log for log in sorted(HERE.glob("checkpoints/*/log.jsonl")) if curves.read(log)]  # of more than a beginning
MODELS = HERE.parent / "crispgrain" / "core" / "networks"
SHIPPED = [log for log in LOGS if (MODELS / f"{log.parent.name}.onnx").exists()]


def line(step, loss, cooling=False):
    return {"step": step, "loss": loss, "cooling": cooling}


def test_a_fall_is_a_stretch_and_training_goes_on_from_before_it():
    log = [line(200, 4), line(400, 3), line(600, 2, True), line(800, 1, True), line(600, 2.5), line(800, 2.4)]
    found = curves.stretches(log)
    assert [(s.falling, s.steps, s.losses) for s in found] == [
        (False, [200, 400], [4, 3]), (True, [600, 800], [2, 1]), (False, [600, 800], [2.5, 2.4]),
    ]  # fmt: skip


def test_a_second_fall_from_the_same_step_is_its_own():
    found = curves.stretches([line(600, 2, True), line(800, 1, True), line(600, 2, True)])
    assert [s.steps for s in found] == [[600, 800], [600]]


@pytest.mark.parametrize("log", SHIPPED, ids=lambda path: path.parent.name)
def test_every_network_that_ships_has_fallen_and_its_loud_beginning_is_left_out(log):
    found = curves.stretches(curves.read(log))
    assert any(stretch.falling for stretch in found)
    assert found[0].steps[0] > curves.EARLIEST


def test_the_drawing_shows_every_network(tmp_path):
    pytest.importorskip("matplotlib")
    curves.draw({log.parent.name: log for log in LOGS}, tmp_path / "curves.svg")
    drawing = (tmp_path / "curves.svg").read_text()
    assert all(log.parent.name in drawing for log in LOGS)
    assert set(re.findall(r"stroke: (#8c8c8c|#a85400)", drawing)) == {curves.CONSTANT, curves.FALLING}
