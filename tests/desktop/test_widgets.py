"""Single widgets and the machinery behind the window."""

import threading
import time

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from crispgrain.cancel import Cancelled, CancelToken, check
from crispgrain.core.colour import icc
from crispgrain.core.describe import stage_summary
from crispgrain.core.files import PictureSource
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.progress import Progress
from crispgrain.core.render.views import Result
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.app import make_app
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.desktop.easel.layer import Layer, image_of, level_for
from crispgrain.desktop.several.stages_dialog import StagesDialog
from crispgrain.desktop.sheet.metered_slider import MeteredSlider
from tests.desktop.driving import PATIENCE


@pytest.fixture(autouse=True)
def _dressed(qtbot):
    make_app()


@pytest.fixture
def background(qtbot):
    background = Background(threads=1)
    yield background
    background.close()


def test_answers_on_the_way_are_not_delivered_after_closing(qtbot):
    """Who asked for them may be gone by then."""
    background, heard, ready = Background(threads=1), [], threading.Event()
    background.submit(Urgency.VISIBLE, lambda: ready.set() or 1, heard.append)
    assert ready.wait(5)
    background.close()
    background.submit(Urgency.VISIBLE, lambda: 2, heard.append)
    qtbot.wait(50)
    assert heard == []


def test_work_under_way_stops_when_the_window_closes(qtbot):
    background, under_way, ended = Background(threads=1), threading.Event(), threading.Event()

    def job():
        under_way.set()
        try:
            while not ended.wait(0.01):
                check()
        finally:
            ended.set()

    background.submit(Urgency.VISIBLE, job, print)
    assert under_way.wait(5)
    background.close()
    assert ended.is_set()


# ---- slider ---------------------------------------------------------------------------


@pytest.fixture
def slider(qtbot):
    slider = MeteredSlider(0, 10, 0.5)
    qtbot.addWidget(slider)
    slider.resize(200, 28)
    slider.show_value(4, 6, following=False)
    slider.show()
    return slider


def test_a_slider_snaps_to_its_steps_and_stays_in_its_range(slider, qtbot):
    seen = []
    slider.moved.connect(seen.append)
    for x in (-50, 3, 77, 120, 500):
        qtbot.mouseClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(x, 18))
    assert seen[0] == 0
    assert seen[-1] == 10
    assert all(v * 2 == int(v * 2) for v in seen)


@pytest.mark.parametrize(("key", "value"), [(Qt.Key.Key_Right, 4.5), (Qt.Key.Key_Left, 3.5), (Qt.Key.Key_PageUp, 5.0)])
def test_a_slider_by_keys(slider, qtbot, key, value):
    with qtbot.waitSignal(slider.moved) as moved:
        qtbot.keyClick(slider, key)
    assert moved.args == [value]


def test_ways_back_to_the_metered_value(slider, qtbot):
    with qtbot.waitSignal(slider.returned):
        qtbot.keyClick(slider, Qt.Key.Key_Delete)
    with qtbot.waitSignal(slider.returned):
        qtbot.mouseClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(int(slider.x_of(6)), 5))
    with qtbot.waitSignal(slider.returned):
        qtbot.mouseDClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(50, 18))


# ---- background ---------------------------------------------------------------------------


def test_urgent_work_goes_first_and_answers_in_the_window_s_thread(background, qtbot):
    order, gate, window_thread = [], threading.Event(), threading.get_ident()
    background.submit(Urgency.VISIBLE, gate.wait, lambda _: None)

    def note(name):
        return lambda answer: order.append((name, threading.get_ident() == window_thread))

    background.submit(Urgency.METERING, lambda: 1, note("metering"))
    background.submit(Urgency.VISIBLE, lambda: 1, note("visible"))
    gate.set()
    qtbot.waitUntil(lambda: len(order) == 2, timeout=PATIENCE)
    assert order == [("visible", True), ("metering", True)]


def test_errors_reach_the_window_and_the_worker_lives_on(background, qtbot):
    errors, answers = [], []
    background.submit(Urgency.VISIBLE, lambda: 1 / 0, answers.append, errors.append)
    background.submit(Urgency.VISIBLE, lambda: 7, answers.append)
    qtbot.waitUntil(lambda: answers == [7], timeout=PATIENCE)
    assert isinstance(errors[0], ZeroDivisionError)


def test_cancelled_work_answers_nothing(background, qtbot):
    answers, cancel, started = [], CancelToken(), threading.Event()

    def job():
        started.set()
        while not cancel.cancelled:
            time.sleep(0.001)
        raise Cancelled

    background.submit(Urgency.VISIBLE, job, answers.append, answers.append, cancel)
    background.submit(Urgency.VISIBLE, lambda: "late", answers.append, None, cancel)
    started.wait(5)
    cancel.cancel()
    background.submit(Urgency.METERING, lambda: "after", answers.append)
    qtbot.waitUntil(lambda: bool(answers), timeout=PATIENCE)
    assert answers == ["after"]


# ---- layers -----------------------------------------------------------------------------------


def pipeline_of(tmp_path, treatment: Treatment | None = None, source=None) -> Pipeline:
    source = source or PictureSource(tmp_path / "x.png", np.zeros((600, 800, 3), np.uint8), icc.profile("srgb"))
    reading = Reading(Noise.even(5))
    return Pipeline(source, reading, resolve(treatment or Treatment(), source, reading), tile=256)


def test_levels_never_show_fewer_pixels_than_the_screen_has():
    for scale in (0.03, 0.1, 0.26, 0.5, 0.7, 1, 4):
        assert 0.5 ** level_for(scale) >= min(scale, 1) - 1e-9
    assert level_for(1) == 0
    assert level_for(0.25) == 2


def test_a_layer_keeps_parts_of_the_same_result_and_stale_ones_of_the_same_shot(tmp_path):
    layer, image = Layer(), image_of(np.zeros((4, 4, 3), np.uint8))
    first = pipeline_of(tmp_path)
    whole = first.size.rect
    layer.set_view(Result(first))
    parts = layer.missing(whole, 1.0)
    assert len(parts) > 1
    assert sum(p.rect.height * p.rect.width for p in parts) == whole.height * whole.width
    layer.put(parts[0], image)
    layer.set_view(Result(pipeline_of(tmp_path, source=first.source)))
    assert parts[0] in layer.images
    left = layer.missing(whole, 1.0, under_way=parts[1:2])
    assert {p.rect for p in left} == {p.rect for p in parts[2:]}
    layer.set_view(Result(pipeline_of(tmp_path, Treatment().set("denoise.luminance", 50), first.source)))
    assert layer.images == {}
    assert [rect for rect, _ in layer.stale] == [parts[0].rect]
    assert len(list(layer.shown(1.0))) == 1
    layer.set_view(Result(pipeline_of(tmp_path)))
    assert layer.stale == []


# ---- the rest ------------------------------------------------------------------------------------


def test_summaries_of_a_treatment(tmp_path):
    treatment = Treatment().set("develop.exposure", 0.5).set("enlarge.on", True).set("finish.on", True)
    treatment = treatment.set("sharpen.on", False).set("print.format", "jpeg")
    pipeline = pipeline_of(tmp_path, treatment)
    said = {stage: stage_summary(stage, pipeline) for stage in Stage}
    assert said[Stage.DEVELOP] == "+0.50 EV"
    assert said[Stage.DENOISE] == "Photo net 100 / 100 %"
    assert said[Stage.SHARPEN] == "off"
    assert said[Stage.ENLARGE] == "Detail net to 1600 × 1200"
    assert said[Stage.PRINT] == "JPEG 8 bit, 300 ppi"


def test_words_without_room_end_in_an_ellipsis_and_are_told_when_pointed_at(qtbot):
    line = StatusLine()
    qtbot.addWidget(line)
    line.resize(700, 36)
    line.show()
    long = "No sheet: " + "there is no room for this paper " * 5
    line.say(long)
    assert line.words.shown().startswith("No sheet: there") and line.words.shown().endswith("…")
    assert line.words.fontMetrics().horizontalAdvance(line.words.shown()) <= line.words.width()
    assert line.words.toolTip() == line.words.text() == long
    line.resize(3000, 36)
    assert line.words.shown() == long


def test_the_bottom_line_shows_progress_and_offers_to_stop(qtbot):
    line = StatusLine()
    qtbot.addWidget(line)
    line.show()
    line.say("Rendering Denoise", Progress(3, 12, 4.2))
    assert line.words.text() == "Rendering Denoise: 3 of 12 tiles, about 4 s left"
    assert line.stop.isVisible()
    assert line.bar.value() == 3
    line.say("")
    assert not line.stop.isVisible()


def test_a_remark_outlives_the_rendering_that_it_brought_about_and_no_more(qtbot):
    line = StatusLine()
    qtbot.addWidget(line)
    line.remark("Light by edges")
    line.say("Rendering Develop", Progress(3, 12, 4.2))
    line.rest("")
    assert line.words.text() == "Light by edges"
    line.say("Rendering Develop", Progress(1, 12, 4.2))
    line.rest("figure")
    assert line.words.text() == "figure"


def test_a_dialog_without_stages_or_name_can_not_be_accepted(qtbot):
    dialog = StagesDialog("Save as preset", "Keep these stages under a name.", "Save", True, False)
    qtbot.addWidget(dialog)
    assert not dialog._accept.isEnabled()
    dialog.name.setText("Wall print")
    assert dialog._accept.isEnabled()
    for box in dialog.boxes.values():
        box.setChecked(False)
    assert not dialog._accept.isEnabled()
