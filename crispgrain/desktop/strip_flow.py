"""From a dragged patch to a test strip of the current stage's candidates, kept while shots and settings change."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from PySide6.QtCore import QObject, QTimer

from crispgrain.core.model import Stage
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size

from .easel import Easel
from .status_line import StatusLine
from .test_strip import TestStrip

RESTING = 350  # ms without a change before the strip is run again
LEAST = 8  # px of the source


class HasShot(Protocol):
    """What the flow asks of the window."""

    stage: Stage

    @property
    def shot(self) -> Shot | None: ...

    @property
    def treatment(self) -> Treatment: ...


@dataclass(frozen=True)
class Patch:
    """A rectangle in shares of a picture's height and width, so that it means the same place in every size."""

    top: float
    left: float
    height: float
    width: float

    @classmethod
    def of(cls, rect: Rect, size: Size) -> Patch:
        return cls(rect.top / size.height, rect.left / size.width, rect.height / size.height, rect.width / size.width)

    def within(self, size: Size) -> Rect:
        top, left = int(self.top * size.height + 0.5), int(self.left * size.width + 0.5)
        height, width = int(self.height * size.height + 0.5), int(self.width * size.width + 0.5)
        return Rect(top, left, max(LEAST, height), max(LEAST, width)).intersect(size.rect)


class StripFlow(QObject):
    """Asks for a patch, keeps it, and runs the strip on it; again when what it compares has changed."""

    def __init__(self, window: HasShot, easel: Easel, strip: TestStrip, status: StatusLine) -> None:
        super().__init__(easel)
        self.window, self.easel, self.strip, self.status = window, easel, strip, status
        self._patches: list[Patch] = []
        self._adding = False
        self._ran: tuple[Stage, Shot, Treatment] | None = None
        self._resting = QTimer(self)
        self._resting.setSingleShot(True)
        self._resting.setInterval(RESTING)
        self._resting.timeout.connect(self._run)
        strip.patch_wanted.connect(self._ask_patch)
        strip.counted.connect(status.say)
        strip.closed.connect(self._closed)

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
        shot = self.window.shot
        now = (self.window.stage, shot, self.window.treatment)
        if not self.strip.isVisible() or shot is None or now == self._ran:
            return
        if self.strip.just_chosen_blind:
            self._ran = (now[0], shot, now[2])
        else:
            self._resting.start()

    def _ask_patch(self, adding: bool) -> None:
        self._adding = adding
        self.easel.ask_patch(self.run)
        self.status.say("Drag a rectangle over the spot to compare.")

    def run(self, patch: Rect) -> None:
        """Compare on a patch given in pixels of the result, beside those there are if another was asked for."""
        if self.window.shot is None:
            return
        kept, self._adding = self._adding, False
        self._patches = [*(self._patches if kept else []), Patch.of(patch, self.easel.result.size)]
        self.status.say("")
        self._run()

    def _mark(self) -> None:
        """Show on the easel where the patches are."""
        self.easel.patches = [patch.within(self.easel.result.size) for patch in self._patches]
        self.easel.update()

    def _run(self) -> None:
        shot = self.window.shot
        if shot is None or not self._patches:
            return
        self._mark()
        self._ran = (self.window.stage, shot, self.window.treatment)
        self.strip.run(*self._ran, [patch.within(shot.source.size) for patch in self._patches])

    def _closed(self) -> None:
        self._resting.stop()
        self.easel.patches, self._patches, self._ran = [], [], None
        self.easel.update()
