"""From a dragged patch to a test strip of the current stage's candidates."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QObject

from crispgrain.core.geometry import Rect
from crispgrain.core.model import Stage
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment

from .easel import Easel
from .status_line import StatusLine
from .test_strip import TestStrip


class HasShot(Protocol):
    """What the flow asks of the window."""

    stage: Stage

    @property
    def shot(self) -> Shot | None: ...

    @property
    def treatment(self) -> Treatment: ...


class StripFlow(QObject):
    """Asks for a patch, keeps it, and runs the strip on it."""

    def __init__(self, window: HasShot, easel: Easel, strip: TestStrip, status: StatusLine) -> None:
        super().__init__(easel)
        self.window, self.easel, self.strip, self.status = window, easel, strip, status
        self._patch: Rect | None = None  # in the source
        easel.patch_chosen.connect(self.run)
        strip.patch_wanted.connect(self._ask_patch)
        strip.closed.connect(self._closed)

    def start(self) -> None:
        """Compare on the patch chosen last, or on one to be dragged."""
        if self._patch is None:
            self._ask_patch()
        else:
            self._run_on(self._patch)

    def _ask_patch(self) -> None:
        self.easel.choose_patch(True)
        self.status.say("Drag a rectangle over the spot to compare.")

    def run(self, patch: Rect) -> None:
        """Compare on a patch given in pixels of the result."""
        shot = self.window.shot
        if shot is None:
            return
        fx = shot.source.size.width / self.easel.result.size.width
        fy = shot.source.size.height / self.easel.result.size.height
        in_source = Rect(
            int(patch.top * fy), int(patch.left * fx), max(8, int(patch.height * fy)), max(8, int(patch.width * fx))
        )
        self._patch = in_source.intersect(shot.source.size.rect)
        self.easel.patches = [patch]
        self.status.say("")
        self._run_on(self._patch)

    def _run_on(self, patch: Rect) -> None:
        assert self.window.shot is not None
        self.strip.run(self.window.stage, self.window.shot, self.window.treatment, patch)

    def _closed(self) -> None:
        self.easel.patches, self._patch = [], None
        self.easel.update()
