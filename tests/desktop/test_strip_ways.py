"""Ways of using a test strip: several patches, a ladder of strengths, a blind choice, known truth."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QContextMenuEvent, QImage, QWheelEvent
from PySide6.QtWidgets import QInputDialog, QMenu

from crispgrain.cancel import CancelToken
from crispgrain.core.colour import icc
from crispgrain.core.files import read_shot
from crispgrain.core.model import Stage
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.views import halo_mask, structure_taken
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import ROLL, known_truth
from crispgrain.desktop.strip.test_strip import render_patch
from crispgrain.geometry import Rect
from crispgrain.session.candidates import Candidate, candidates, ladder
from crispgrain.session.takes import take_files, take_path
from tests.desktop.driving import LEFT, PATIENCE, drag, settle

pytestmark = pytest.mark.slow

PATCH = Rect(100, 120, 80, 100)


def values(image: QImage) -> np.ndarray:
    """An image's RGB values."""
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3)


def rendered(strip, qtbot):
    qtbot.waitUntil(lambda: strip.frames and all(f.image is not None for f in strip.frames), timeout=PATIENCE)


def test_two_patches_are_compared_by_the_same_candidates(opened, qtbot):
    opened.easel.set_zoom(1.0)
    opened.strip_flow.run(PATCH)
    strip = opened.strip
    strip.more.click()
    drag(qtbot, opened.easel, QPoint(300, 250), QPoint(360, 300))
    rendered(strip, qtbot)
    assert len(opened.easel.patches) == 2
    labels = [f.candidate.label for f in strip.frames]
    assert labels[::2] == labels[1::2]
    sizes = {(f.image.width(), f.image.height()) for f in strip.frames}
    assert sizes == {(100, 80), (60, 50)}


@pytest.mark.parametrize("on", [None, False, True])
def test_a_stage_is_switched_on_by_hand_only_if_it_would_be_off(opened, on):
    """What is adopted may be put on other shots, whose meter decides for itself then."""
    treatment = Treatment().set("denoise.on", on)
    found = candidates(Stage.DENOISE, opened.session.shot, treatment) + ladder(
        Stage.DENOISE, opened.session.shot, treatment
    )
    assert {c.treatment[Stage.DENOISE].on for c in found if c.label != "off"} == {True if on is False else on}


def test_candidates_can_be_left_out(opened, qtbot):
    opened.strip_flow.run(PATCH)
    strip = opened.strip
    before = [f.candidate.label for f in strip.frames]
    (action,) = [a for a in strip.choice.actions() if a.text() == "Wavelet"]
    action.setChecked(False)
    assert [f.candidate.label for f in strip.frames] == [label for label in before if label != "Wavelet"]
    rendered(strip, qtbot)


def test_a_variant_named_like_a_model_is_left_out_by_itself(opened, qtbot):
    opened.takes.keep(opened.session.treatment, "Wavelet")
    opened.strip_flow.run(PATCH)
    strip = opened.strip
    _, second = [a for a in strip.choice.actions() if a.text() == "Wavelet"]
    second.setChecked(False)
    assert [a.isChecked() for a in strip.choice.actions() if a.text() == "Wavelet"] == [True, False]
    assert [f.candidate.label for f in strip.frames].count("Wavelet") == 1
    rendered(strip, qtbot)


def test_a_strength_ladder_is_one_continuous_picture(opened, qtbot):
    opened.strip_flow.run(PATCH)
    strip = opened.strip
    strip.ladder.click()
    rendered(strip, qtbot)
    assert len(strip.frames) == 5
    strengths = [f.candidate.treatment[Stage.DENOISE].values["luminance"] for f in strip.frames]
    assert strengths == sorted(strengths)
    for left, right in zip(strip.frames, strip.frames[1:], strict=False):
        assert left.geometry().right() + 1 == right.geometry().left()
    assert min(frame.width() for frame in strip.frames) >= 100  # there is room for what they say
    shot = opened.session.shot
    (area,) = opened.easel.patches  # what is shown is marked
    assert area.intersect(PATCH) == PATCH and area.height == PATCH.height
    for n, frame in enumerate(strip.frames):
        part = Rect(area.top, area.left + area.width // 5 * n, area.height, area.width // 5)
        expected, _, _ = render_patch(shot, frame.candidate, part, TileCache(), CancelToken())
        assert np.abs(values(frame.image).astype(int) - expected).max() <= 1
    qtbot.mouseClick(strip.frames[3], LEFT, pos=QPoint(5, 40))
    assert opened.session.treatment[Stage.DENOISE].values["luminance"] == strengths[3]
    strip.ladder.click()
    assert opened.easel.patches == [PATCH]


def test_a_ladder_of_a_turned_and_cropped_shot_is_one_picture_too(opened, qtbot):
    for name, value in (("crop.on", True), ("crop.turn", "90"), ("crop.left", 10.0), ("crop.bottom", 80.0)):
        opened.change_setting(name, value)
    settle(opened, qtbot)
    opened.strip_flow.run(Rect(60, 10, 80, 100))
    strip = opened.strip
    strip.ladder.click()
    qtbot.waitUntil(lambda: strip.frames and all(f.rung for f in strip.frames), timeout=PATIENCE)
    (area,) = opened.easel.patches
    assert area.left >= 0 and area.right <= opened.session.pipeline.size.width
    width = area.width // 5
    for n, frame in enumerate(strip.frames):
        result = opened.session.shot.pipeline(frame.candidate.treatment)
        part = Rect(area.top, area.left + width * n, area.height, width)
        expected = icc.from_working(result.untiled(part), icc.profile("srgb"), 8)
        assert np.abs(values(frame.image).astype(int) - expected).max() <= 1
    # What a rung costs is measured there, too.
    after = strip.frames[0].candidate.treatment.up_to(Stage.DENOISE)
    chains = (opened.session.shot.pipeline(t) for t in (after.set("denoise.on", False), after))
    old, new = (chain.untiled(area) for chain in chains)
    assert strip.frames[0].rung == (float(halo_mask(old, new).mean()), structure_taken(old, new))


@pytest.mark.parametrize("on_ladder", [False, True])
def test_a_patch_that_a_crop_cuts_off_says_so(opened, qtbot, on_ladder):
    strip = opened.strip
    strip.ladder.setChecked(on_ladder)
    opened.strip_flow.run(PATCH)
    rendered(strip, qtbot)
    opened.change_setting("crop.on", True)
    opened.change_setting("crop.left", 90.0)
    qtbot.waitUntil(lambda: opened.strip_flow._ran[2] == opened.session.treatment, timeout=PATIENCE)
    if on_ladder:
        assert "outside the crop" in strip.heading.text() and not strip.frames
    else:
        qtbot.waitUntil(lambda: all(f.problem == "outside the crop" for f in strip.frames), timeout=PATIENCE)
    assert opened.easel.patches == []
    settle(opened, qtbot)


def test_a_blind_choice_hides_names_then_tells_and_counts(opened, qtbot):
    opened.strip_flow.run(PATCH)
    strip = opened.strip
    strip.blind.click()
    counted = []
    strip.counted.connect(counted.append)
    rendered(strip, qtbot)
    assert all(f.hidden_name and f.candidate.label not in f.toolTip() + f.accessibleName() for f in strip.frames)
    chosen = next(f for f in strip.frames if f.candidate.label == "Wavelet")
    qtbot.mouseClick(chosen, LEFT, pos=QPoint(40, 40))
    assert opened.session.treatment[Stage.DENOISE].model == "wavelet"
    assert not any(f.hidden_name for f in strip.frames)
    assert strip.heading.text() == "You chose Wavelet"
    assert counted == ["Chosen blind: Wavelet. So far: Wavelet 1."]
    qtbot.mouseClick(chosen, LEFT, pos=QPoint(40, 40))
    assert strip.tally == {"Wavelet": 1}  # seeing the name, it counts no more
    opened.start_strip()
    qtbot.mouseClick(next(f for f in strip.frames if f.candidate.label == "off"), LEFT, pos=QPoint(40, 40))
    assert strip.tally == {"Wavelet": 1, "off": 1}
    assert opened.session.treatment[Stage.DENOISE].on is False
    rendered(strip, qtbot)


def test_all_frames_zoom_and_move_together(opened, qtbot):
    opened.strip_flow.run(PATCH)
    strip = opened.strip
    rendered(strip, qtbot)
    first, last = strip.frames[0], strip.frames[-1]
    assert first.scale == 1
    event = QWheelEvent(
        QPointF(40, 40), QPointF(40, 40), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    first.wheelEvent(event)
    assert last.scale == 2
    before = opened.session.treatment
    drag(qtbot, first, QPoint(60, 60), QPoint(20, 60))
    assert last.look.shift.x() == pytest.approx(20)
    assert opened.session.treatment == before  # a drag chooses nothing


def test_candidates_are_kept_as_variants_and_come_back(opened, qtbot, monkeypatch):
    opened.strip_flow.run(PATCH)
    strip = opened.strip
    rendered(strip, qtbot)
    frame = next(f for f in strip.frames if f.candidate.label == "Wavelet")
    frame.contextMenuEvent(QContextMenuEvent(QContextMenuEvent.Reason.Mouse, QPoint(9, 9), QPoint(9, 9)))
    menu = frame.findChild(QMenu)
    next(a for a in menu.actions() if a.text() == "Keep as a take").trigger()
    menu.close()
    opened.change_setting("denoise.on", False)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("as it / was", True))
    opened.takes.ask_keep()
    assert len(take_files(opened.session.shot.path)) == 2
    opened.menus.takes.aboutToShow.emit()
    assert [a.text() for a in opened.menus.takes.actions()] == ["Wavelet", "as it / was"]
    opened.start_strip()  # variants are candidates too, as whole treatments
    assert [f.candidate.label for f in strip.frames][-1] == "as it / was"
    rendered(strip, qtbot)
    opened.menus.takes.actions()[0].trigger()
    assert opened.session.treatment[Stage.DENOISE].model == "wavelet"
    opened.session.history.undo()
    assert opened.session.treatment[Stage.DENOISE].on is False
    take_path(opened.session.shot.path, "Wavelet").write_text("{}")
    opened.menus.takes.aboutToShow.emit()
    assert [a.text() for a in opened.menus.takes.actions()] == ["as it / was"]
    assert "Wavelet.take.json" in opened.status.words.text()
    settle(opened, qtbot)


def test_error_is_shown_where_the_truth_is_known(tmp_path):
    shot = next(s for s in ROLL if s.name == "orrery-1201-tubes.dng")
    path = tmp_path / shot.name
    shot.write(path)
    found = open_shot(path)
    patch = Rect(600, 800, 128, 128)

    def error(**values):
        treatment = Treatment()
        for name, value in values.items():
            treatment = treatment.set(name.replace("_", "."), value)
        return render_patch(found, Candidate("", treatment), patch, TileCache(), CancelToken())[2]

    for base in ("histogram", "linear"):  # the scene is shown in the same light
        noisy, treated = (error(denoise_on=on, develop_base=base) for on in (False, True))
        assert 30 < noisy < treated < 50
    assert error(develop_exposure=1.5) > 27  # brighter errors, but no more than that
    assert error(develop_dark=60.0) > 27
    assert error(develop_haze=30.0) is None
    assert error(finish_on=True) is None
    assert known_truth(found.source).shape == (1500, 2000, 3)


def test_no_truth_is_made_up_for_other_shots(roll_folder):
    assert known_truth(read_shot(roll_folder / "a-rim.dng")) is None
    assert known_truth(read_shot(roll_folder / "b-noisy.jpg")) is None
