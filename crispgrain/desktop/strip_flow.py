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
        self._patches: list[Rect] = []  # in the source
        self._adding = False
        strip.patch_wanted.connect(self._ask_patch)
        strip.counted.connect(status.say)
        strip.closed.connect(self._closed)

    def start(self) -> None:
        """Compare on the patches chosen last, or on one to be dragged."""
        if self._patches:
            self._run()
        else:
            self._ask_patch(False)

    def _ask_patch(self, adding: bool) -> None:
        self._adding = adding
        self.easel.ask_patch(self.run)
        self.status.say("Drag a rectangle over the spot to compare.")

    def run(self, patch: Rect) -> None:
        """Compare on a patch given in pixels of the result, beside those there are if another was asked for."""
        shot = self.window.shot
        if shot is None:
            return
        fx = shot.source.size.width / self.easel.result.size.width
        fy = shot.source.size.height / self.easel.result.size.height
        in_source = Rect(
            int(patch.top * fy), int(patch.left * fx), max(8, int(patch.height * fy)), max(8, int(patch.width * fx))
        ).intersect(shot.source.size.rect)
        kept, self._adding = self._adding, False
        self._patches = [*(self._patches if kept else []), in_source]
        self.easel.patches = [*(self.easel.patches if kept else []), patch]
        self.easel.update()
        self.status.say("")
        self._run()

    def _run(self) -> None:
        assert self.window.shot is not None
        self.strip.run(self.window.stage, self.window.shot, self.window.treatment, self._patches)

    def _closed(self) -> None:
        self.easel.patches, self._patches = [], []
        self.easel.update()
