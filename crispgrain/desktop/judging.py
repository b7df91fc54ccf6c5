"""What the easel compares with what, and how: the source, a stage with the one before, residuals, halos."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QColor

from crispgrain.cancel import CancelToken
from crispgrain.core.model import Stage
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import Approximate, Axis, Halo, Residual, Result, View
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect

from .background import Background, Urgency
from .shot_loader import developed
from .theme import current_theme

VIEW_TILE = 256  # px; smaller than for a file, so that less is computed that lies outside the view
RESTING = 400  # ms without a change before a figure is worked out
MOST_MEASURED = 1_500_000  # pixels of what is in view


class Look(Enum):
    """What the result's side of the easel shows."""

    PICTURE = "Picture"
    RESIDUAL = "Residual, luminance"
    COLOUR_RESIDUAL = "Residual, colour"
    HALO = "Halo warning"


@dataclass(frozen=True)
class Comparison:
    """Two views for the easel, their captions, and what went wrong if the wish could not be met."""

    source: View
    result: View
    captions: tuple[str, str]
    remark: str = ""


class Judging(QObject):
    """Keeps the way of comparing, builds the views for it, and measures what they show."""

    changed = Signal()
    figure = Signal(str)  # in words

    def __init__(self, background: Background, cache: TileCache) -> None:
        super().__init__()
        self.stage_alone = False  # compare the chosen stage with the one before it
        self.look = Look.PICTURE
        self._background, self._cache = background, cache
        self._cancel = CancelToken()
        self._resting = QTimer(self)
        self._resting.setSingleShot(True)
        self._resting.setInterval(RESTING)
        self._resting.timeout.connect(self._measure)
        self._asked: tuple[View, Rect] | None = None

    def set_stage_alone(self, on: bool) -> None:
        self.stage_alone = on
        self.changed.emit()

    def set_look(self, look: Look) -> None:
        self.look = look
        self.changed.emit()

    def compare(self, shot: Shot, treatment: Treatment, stage: Stage) -> Comparison:
        """The two views for a shot as it is treated now."""
        before, after, captions = self._pipelines(shot, treatment, stage)
        plain = Comparison(Result(before), Result(after), captions)
        if self.look is Look.PICTURE:
            return plain
        if before.size != after.size and not (self.stage_alone and stage is Stage.ENLARGE):
            before, after, captions = self._pipelines(shot, treatment.up_to(Stage.SHARPEN), stage)
            captions = (captions[0], f"{captions[1]} before Enlarge")
        if before.size != after.size:
            remark = f"{self.look.value} needs two pictures of one size: look at a stage before Enlarge."
            return Comparison(plain.source, plain.result, captions, remark)
        if self.look is Look.HALO:
            accent = QColor(current_theme().accent)
            halo = Halo(before, after, colour=(accent.red(), accent.green(), accent.blue()))
            return Comparison(Result(before), halo, captions)
        axis = Axis.LUMINANCE if self.look is Look.RESIDUAL else Axis.COLOUR
        residual = Residual(before, after, axis)
        words = f"taken away, {axis}, × {residual.gain:g}"
        enlarged = " (before Enlarge)" if captions[1].endswith("Enlarge") else ""
        return Comparison(Result(before), residual, (captions[0], words + enlarged))

    def _pipelines(self, shot: Shot, treatment: Treatment, stage: Stage) -> tuple[Pipeline, Pipeline, tuple[str, str]]:
        def pipeline(t: Treatment) -> Pipeline:
            return shot.pipeline(t, self._cache, VIEW_TILE)

        if self.stage_alone and stage not in (Stage.DEVELOP, Stage.PRINT):
            before = treatment.up_to(stage).set(f"{stage}.on", False)
            words = (f"before {stage.label}", f"after {stage.label}")
            return pipeline(before), pipeline(treatment.up_to(stage)), words
        return pipeline(developed(treatment)), pipeline(treatment), ("source", "result")

    def show_figure(self, view: View | None, visible: Rect) -> None:
        """Say in figures what a view shows, once the picture has come to rest."""
        self._cancel.cancel()
        view = view.exact if isinstance(view, Approximate) else view
        wanted = isinstance(view, Residual | Halo) and visible.width > 0 and visible.height > 0
        self._asked = (view, visible) if wanted and view is not None else None
        if self._asked is None:
            self._resting.stop()
            self.figure.emit("")
        else:
            self._resting.start()

    def _measure(self) -> None:
        if self._asked is None:
            return
        view, visible = self._asked
        self._cancel = cancel = CancelToken()
        part = _middle(visible)

        def job() -> str:
            if isinstance(view, Halo):
                return f"Halos on {view.share(part, cancel):.2%} of what is in view (beyond {view.limit:.0%} of white)."
            assert isinstance(view, Residual)
            return structure_words(view.structure(part, cancel))

        self._background.submit(Urgency.STRIP, job, self.figure.emit, cancel=cancel)


def structure_words(share: float) -> str:
    """The structure found in a residual (see :meth:`Residual.structure`), in words."""
    if abs(share) < 0.01:
        return f"Residual: next to no detail in it ({share:+.1%} of what is in view)."
    return f"Residual: {abs(share):.1%} of the detail in view was {'taken away' if share > 0 else 'added'}."


def _middle(rect: Rect) -> Rect:
    """The middle of a rectangle, no larger than can be measured in a moment."""
    share = min(1.0, (MOST_MEASURED / max(rect.width * rect.height, 1)) ** 0.5)
    height, width = max(1, int(rect.height * share)), max(1, int(rect.width * share))
    return Rect(rect.top + (rect.height - height) // 2, rect.left + (rect.width - width) // 2, height, width)
