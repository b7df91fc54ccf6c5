"""The test strip: patches rendered by several candidates, side by side, to choose from."""

from __future__ import annotations

import random
import time
from collections import Counter
from collections.abc import Callable, Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from crispgrain.arrays import Array
from crispgrain.cancel import CancelToken
from crispgrain.core.colour import icc
from crispgrain.core.colour.proof import Proof
from crispgrain.core.model import Stage
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import halo_mask, structure_taken
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.demo.error import psnr_of
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.elided_label import ElidedLabel
from crispgrain.desktop.easel.layer import screen_image
from crispgrain.geometry import Rect, Size
from crispgrain.session.candidates import LADDER, MOST, Candidate, candidates, ladder, ladder_settings

from .strip_frame import LINE, Frame, SharedLook

MOST_PATCHES = 3
EDGES = {1: 156, 2: 118, 3: 96}  # px; of a frame, by the number of patches
LADDER_SIZE = QSize(800, 230)  # px
RUNG = 100  # px; narrower ones could neither be judged nor say what they are
CACHE = 200_000_000  # bytes

Rendered = tuple[NDArray[np.uint8], float, float | None]  # values, seconds, PSNR
ProofOf = Callable[[Pipeline], Proof | None]
Figures = tuple[float, float]  # shares of halo and of structure taken away


def unproven(pipeline: Pipeline) -> Proof | None:
    """As it is seen without a soft proof."""
    return None


def rung_figures(
    shot: Shot, treatment: Treatment, stage: Stage, patch: Rect, cache: TileCache, cancel: CancelToken
) -> Figures:
    """What a stage does to a patch of the source: share of pixels with a halo, and of the detail that it took away."""
    after = treatment.up_to(stage)
    before = after if stage is Stage.DEVELOP else after.set(f"{stage}.on", False)
    old, new = (_of(shot.pipeline(t, cache), patch, cancel) for t in (before, after))
    return float(halo_mask(old, new).mean()), structure_taken(old, new)


def _of(pipeline: Pipeline, patch: Rect, cancel: CancelToken) -> Array:
    """What a chain makes of a patch of the source, wherever it comes to lie."""
    return pipeline.untiled(_place(pipeline, patch), cancel=cancel)


def _place(pipeline: Pipeline, patch: Rect) -> Rect:
    return pipeline.steps[-1].after.to_source.inverse.rect(patch).intersect(pipeline.size.rect)


def render_patch(
    shot: Shot, candidate: Candidate, patch: Rect, cache: TileCache, cancel: CancelToken, proven: ProofOf = unproven
) -> Rendered:
    """A candidate's patch, given in pixels of the source; with its PSNR where the truth is known.

    It is ``proven`` as the file of its chain would look, if that is asked for.

    Raises
    ------
    ValueError
        If nothing of the patch is in the result.
    """
    treatment = candidate.treatment
    started = time.monotonic()
    pipeline = Pipeline(shot.source, shot.reading, resolve(treatment, shot.source, shot.reading), cache)
    rect = _place(pipeline, patch)
    if rect.empty:
        raise ValueError("outside the crop")
    if candidate.outside is not None:
        pixels = candidate.outside.region(rect, pipeline.steps[-1].after.to_source)
    else:
        pixels = pipeline.untiled(rect, cancel=cancel)
    stored, proof = icc.from_working(pixels, icc.profile("srgb"), 8), proven(pipeline)
    seconds = time.monotonic() - started
    return (stored if proof is None else proof.shown(pixels)), seconds, psnr_of(stored, rect, pipeline)


def widened(patch: Rect, size: Size) -> Rect:
    """A patch of a result as a ladder needs it: as wide as its rungs want to be, as far as there is picture."""
    scale = max(1, LADDER_SIZE.height() // patch.height)
    width = min(max(patch.width, -(-LADDER * RUNG // scale)), size.width)
    left = min(max(patch.left - (width - patch.width) // 2, 0), size.width - width)
    return Rect(patch.top, left, patch.height, width)


class TestStrip(QWidget):
    """Candidates of a stage on one or more patches. Click one to adopt it."""

    __test__ = False  # not a test case, whatever its name looks like to a test runner
    adopted = Signal(object)  # Candidate
    kept = Signal(object)  # Candidate, to be a take
    counted = Signal(str)  # what blind choices add up to, in words
    closed = Signal()
    patch_wanted = Signal(bool)  # whether the patches there are stay

    def __init__(self, background: Background, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._background = background
        self._cancel = CancelToken()
        self._asked: tuple[Stage, Shot, Treatment, list[Rect]] | None = None
        self.whole_treatments: Callable[[], list[Candidate]] = list  # candidates beside those of the stage
        self.proven: ProofOf = unproven  # how candidates are shown
        self._left_out: set[tuple[str, str]] = set()
        self._cache = TileCache(CACHE)  # what has not changed is there at once
        self._setting = ""  # of the ladder; the strength if empty
        self.frames: list[Frame] = []
        self.look = SharedLook()
        self.tally: Counter[str] = Counter()  # of blind choices
        self.heading = ElidedLabel()
        self.choice = QMenu(self)
        pick = self._button("Candidates", "Choose which models and strengths to compare.")
        pick.setMenu(self.choice)
        pick.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.ladder = self._button("Ladder", "One picture in five values of a setting of the present model.", True)
        self.rungs = QMenu(self)
        self.rungs.setToolTip("Which setting the ladder tries.")
        self.ladder.setMenu(self.rungs)
        self.ladder.setPopupMode(QToolButton.ToolButtonPopupMode.MenuButtonPopup)
        self.blind = self._button("Blind", "Hide the names and shuffle the order until you have chosen.", True)
        self.more = self._button("Add patch", "Compare on one more spot: a smooth and a detailed one, say.")
        another = self._button("Other patch", "Compare on another spot.")
        close = self._button("Close", "Close the test strip (Esc).")
        for switch, other in ((self.ladder, self.blind), (self.blind, self.ladder)):
            switch.toggled.connect(partial(self._switched, other))
        self.more.clicked.connect(lambda: self.patch_wanted.emit(True))
        another.clicked.connect(lambda: self.patch_wanted.emit(False))
        close.clicked.connect(self.close_strip)
        top = QHBoxLayout()
        top.addWidget(self.heading, 1)
        for button in (pick, self.ladder, self.blind, self.more, another, close):
            top.addWidget(button)
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 0, 0)
        inside = QWidget()
        inside.setLayout(self._grid)
        self._scroll = QScrollArea()
        self._scroll.setWidget(inside)
        self._scroll.setWidgetResizable(True)
        self._scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 6)
        layout.setSpacing(6)
        layout.addLayout(top)
        layout.addWidget(self._scroll)
        self.hide()

    def _button(self, words: str, help_text: str, checkable: bool = False) -> QToolButton:
        button = QToolButton()
        button.setText(words)
        button.setToolTip(help_text)
        button.setCheckable(checkable)
        return button

    def run(self, stage: Stage, shot: Shot, treatment: Treatment, patches: Sequence[Rect]) -> None:
        """Render the candidates of a stage on patches, given in pixels of the source."""
        if self._asked is None or self._asked[3] != list(patches):
            self.look = SharedLook()
        self._asked = (stage, shot, treatment, list(patches))
        self._fill_settings()
        rungs = ladder(stage, shot, treatment, self._setting)
        self.ladder.setEnabled(bool(rungs))
        self.more.setEnabled(len(patches) < MOST_PATCHES)
        every = [*candidates(stage, shot, treatment), *self.whole_treatments()][:MOST]
        self._fill_choice(every)
        self._start_over()
        if self.ladder.isChecked() and rungs:
            self._lay_ladder(rungs)
        else:
            self._lay_candidates([c for c in every if c.choice not in self._left_out] or every)
        self.show()

    def places(self, patches: Sequence[Rect], result: Pipeline) -> list[Rect]:
        """What it shows of patches of the source, where they lie in a result.

        A ladder has room for the first, and may need more around it.
        """
        places = [place for place in (_place(result, patch) for patch in patches) if not place.empty]
        on_ladder = places and self.ladder.isChecked() and self.ladder.isEnabled()
        return [widened(places[0], result.size)] if on_ladder else places

    # ---- what is compared -----------------------------------------------------
    def _fill_choice(self, every: list[Candidate]) -> None:
        self.choice.clear()
        for candidate in every:
            action = QAction(candidate.label, self.choice)
            action.setCheckable(True)
            action.setChecked(candidate.choice not in self._left_out)
            action.toggled.connect(partial(self._choose, candidate.choice))
            self.choice.addAction(action)

    def _fill_settings(self) -> None:
        assert self._asked is not None
        self.rungs.clear()
        stage, shot, treatment, _ = self._asked
        for parameter in ladder_settings(stage, shot, treatment):
            action = QAction(parameter.name, self.rungs)
            action.triggered.connect(partial(self.try_setting, parameter.id))
            self.rungs.addAction(action)

    def try_setting(self, setting: str) -> None:
        """Show a ladder of a setting."""
        self._setting = setting
        if self.ladder.isChecked():
            self._again()
        else:
            self.ladder.setChecked(True)

    def _choose(self, choice: tuple[str, str], wanted: bool) -> None:
        if wanted:
            self._left_out.discard(choice)
        else:
            self._left_out.add(choice)
        self._again()

    def _switched(self, other: QToolButton, on: bool) -> None:
        if on and other.isChecked():
            other.setChecked(False)  # which runs the strip anew by itself
        self._again()

    def _again(self) -> None:
        if self._asked is not None and self.isVisible():
            self.run(*self._asked)

    # ---- frames ----------------------------------------------------------------
    def _start_over(self) -> None:
        self._cancel.cancel()
        self._cancel = CancelToken()
        while self._grid.count():
            item = self._grid.takeAt(0)
            if item is not None and (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.frames = []

    def _lay_candidates(self, shown: list[Candidate]) -> None:
        assert self._asked is not None
        stage, _, _, patches = self._asked
        blind = self.blind.isChecked()
        if blind:
            shown = random.sample(shown, len(shown))
        edge = EDGES[len(patches)]
        self._grid.setSpacing(10)
        cache = self._cache
        for column, candidate in enumerate(shown):
            for row, patch in enumerate(patches):
                frame = self._add(candidate, QSize(edge, edge), row, column, 2 if row == len(patches) - 1 else 0)
                frame.hide_name(blind)
                self._start(frame, patch, cache)
        self._grid.setColumnStretch(len(shown), 1)
        places = f"{len(patches)} patches" if len(patches) > 1 else f"{patches[0].width} × {patches[0].height} px"
        wish = "which is best?" if blind else "click to keep"
        self._say(f"{stage.label} on {places}: {wish}")
        self.setFixedHeight(len(patches) * (edge + 14) + 2 * LINE + 56)

    def _lay_ladder(self, rungs: list[Candidate]) -> None:
        """Each strength on its slice of the patch, without gaps: one picture."""
        assert self._asked is not None
        stage, shot, treatment, patches = self._asked
        result = shot.pipeline(treatment)
        to_source = result.steps[-1].after.to_source
        areas = self.places(patches, result)
        if not areas:
            self._say(f"{stage.label}: the patch is outside the crop")
            return
        (area,) = areas
        width = max(1, area.width // LADDER)
        scale = max(1, min(LADDER_SIZE.height() // area.height, LADDER_SIZE.width() // (LADDER * width)))
        height = min(area.height * scale, LADDER_SIZE.height())
        self._grid.setSpacing(0)
        self.look.zoom = float(scale)
        cache = self._cache
        for column, candidate in enumerate(rungs):
            part = to_source.rect(Rect(area.top, area.left + column * width, area.height, width))
            self._start(self._add(candidate, QSize(width * scale, height), 0, column, 4), part, cache, measured=False)
        for frame in self.frames:
            self._measure(frame, to_source.rect(area), cache)
        self._grid.setColumnStretch(len(rungs), 1)
        settings = ladder_settings(stage, shot, treatment)
        name = next((p.name for p in settings if p.id == self._setting), settings[0].name)
        self._say(f"{rungs[0].model}, rising {name}")
        self.setFixedHeight(height + 4 * LINE + 64)

    def _add(self, candidate: Candidate, size: QSize, row: int, column: int, lines: int) -> Frame:
        frame = Frame(candidate, size, self.look, lines)
        frame.adopted.connect(self._adopt)
        frame.kept.connect(self.kept)
        frame.look_changed.connect(self._repaint)
        self._grid.addWidget(frame, row, column, Qt.AlignmentFlag.AlignTop)
        self.frames.append(frame)
        return frame

    def _say(self, words: str) -> None:
        self.heading.setText(words)

    def _repaint(self) -> None:
        for frame in self.frames:
            frame.update()

    def _start(self, frame: Frame, patch: Rect, cache: TileCache, measured: bool = True) -> None:
        assert self._asked is not None
        shot, cancel = self._asked[1], self._cancel

        def done(rendered: Rendered) -> None:
            stored, frame.seconds, psnr = rendered
            frame.psnr = psnr if measured else None
            frame.image = screen_image(stored)
            frame.hide_name(frame.hidden_name)  # its figures are known now

        def failed(error: Exception) -> None:
            frame.problem = str(error) or type(error).__name__
            frame.update()

        job = partial(render_patch, shot, frame.candidate, patch, cache, cancel, self.proven)
        self._background.submit(Urgency.STRIP, job, done, failed, cancel)

    def _measure(self, frame: Frame, patch: Rect, cache: TileCache) -> None:
        """Figures of a rung on all of its ladder's patch: of the part it shows alone they could not be compared."""
        assert self._asked is not None
        stage, shot, cancel, candidate = *self._asked[:2], self._cancel, frame.candidate

        def job() -> tuple[Rendered, Figures]:
            rendered = render_patch(shot, candidate, patch, cache, cancel)
            return rendered, rung_figures(shot, candidate.treatment, stage, patch, cache, cancel)

        def done(answer: tuple[Rendered, Figures]) -> None:
            (_, _, frame.psnr), frame.rung = answer
            frame.hide_name(frame.hidden_name)

        self._background.submit(Urgency.STRIP, job, done, cancel=cancel)

    # ---- choosing ---------------------------------------------------------------
    def _adopt(self, candidate: Candidate) -> None:
        if any(frame.hidden_name for frame in self.frames):
            self.tally[candidate.label] += 1
            for frame in self.frames:
                frame.hide_name(False)
            counts = ", ".join(f"{label} {n}" for label, n in self.tally.most_common(4))
            self._say(f"You chose {candidate.label}")
            self.counted.emit(f"Chosen blind: {candidate.label}. So far: {counts}.")
        if candidate.outside is None:
            self.adopted.emit(candidate)
        elif not self.blind.isChecked():
            self.counted.emit(f"{candidate.label} is another file: there is no treatment to keep.")

    @property
    def just_chosen_blind(self) -> bool:
        """Whether names have just been told after a blind choice."""
        return self.blind.isChecked() and bool(self.frames) and not any(f.hidden_name for f in self.frames)

    def close_strip(self) -> None:
        self._cancel.cancel()
        self.hide()
        self.closed.emit()
