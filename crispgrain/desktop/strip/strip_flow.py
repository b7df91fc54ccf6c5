"""From a dragged patch to a test strip of the current stage's candidates, kept while shots and settings change."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer

from crispgrain.core.model import Shape, Stage
from crispgrain.core.shot import Shot
from crispgrain.core.transform import Transform
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.desktop.easel.easel import Easel
from crispgrain.desktop.easel.hand import Points
from crispgrain.geometry import Rect
from crispgrain.session.comparing import PROOFS, Look
from crispgrain.session.session import Session

from .patch import Patch
from .test_strip import TestStrip

RESTING = 350  # ms without a change before the strip is run again


class StripFlow(QObject):
    """Asks for a patch, keeps it, and runs the strip on it; again when what it compares has changed."""

    def __init__(self, session: Session, easel: Easel, strip: TestStrip, status: StatusLine) -> None:
        super().__init__(easel)
        self.session, self.easel, self.strip, self.status = session, easel, strip, status
        self._patches: list[Patch] = []
        self._adding = False
        self._ran: tuple[Stage, Shot, Treatment] | None = None
        self._proven_as: Look | None = None
        self._resting = QTimer(self)
        self._resting.setSingleShot(True)
        self._resting.setInterval(RESTING)
        self._resting.timeout.connect(self._run)
        strip.patch_wanted.connect(self._ask_patch)
        strip.ladder.toggled.connect(self._mark)
        strip.counted.connect(status.say)
        strip.closed.connect(self._closed)
        strip.proven = session.comparing.proof_of
        session.comparing.changed.connect(self.refresh)

    def start(self) -> None:
        """Compare on the patches chosen last, or on one to be dragged."""
        if self._patches:
            self._run()
        else:
            self._ask_patch(False)

    def refresh(self) -> None:
        """Follow a change of the shot, stage or treatment, if the strip is open and once things are at rest.

        A blind choice just made stays as it is until something else changes.
        """
        if self._patches:
            self._mark()
        shot = self.session.shot
        now = (self.session.stage, shot, self.session.treatment)
        if not self.strip.isVisible() or shot is None or (now == self._ran and self._proof == self._proven_as):
            return
        if self.strip.just_chosen_blind:
            self._ran = (now[0], shot, now[2])
        else:
            self._resting.start()

    def _ask_patch(self, adding: bool) -> None:
        self._adding = adding
        self.easel.hand.ask(Shape.RECTANGLE, self._take)
        self.status.say("Drag a rectangle over the spot to compare.")

    def _take(self, points: Points) -> None:
        (left, top), _, (right, bottom), _ = points
        self.run(Rect.between(int(top), int(left), int(bottom), int(right)))

    def run(self, patch: Rect) -> None:
        """Compare on a patch given in pixels of the result, beside those there are if another was asked for."""
        shot, to_source = self.session.shot, self._to_source
        if shot is None:
            return
        kept, self._adding = self._adding, False
        self._patches = [*(self._patches if kept else []), Patch.of(to_source.rect(patch), shot.source.size)]
        self.status.say("")
        self._run()

    @property
    def _proof(self) -> Look | None:
        """As which soft proof candidates are to be shown, if as one."""
        look = self.session.comparing.look
        return look if look in PROOFS else None

    @property
    def _to_source(self) -> Transform:
        pipeline = self.session.pipeline
        return pipeline.steps[-1].after.to_source if pipeline is not None else Transform()

    def _mark(self) -> None:
        """Show on the easel where the patches are."""
        shot, result = self.session.shot, self.session.pipeline
        if shot is not None and result is not None:
            self.easel.patches = self.strip.places([p.within(shot.source.size) for p in self._patches], result)
        self.easel.update()

    def _run(self) -> None:
        shot = self.session.shot
        if shot is None or not self._patches:
            return
        self._ran, self._proven_as = (self.session.stage, shot, self.session.treatment), self._proof
        self.strip.run(*self._ran, [patch.within(shot.source.size) for patch in self._patches])
        self._mark()

    def _closed(self) -> None:
        self._resting.stop()
        self.easel.patches, self._patches, self._ran = [], [], None
        self.easel.update()
