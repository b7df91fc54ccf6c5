"""Figures of what is in view: halos, and structure in what was taken away."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal

from crispgrain.cancel import CancelToken
from crispgrain.core.colour.proof import Gamut
from crispgrain.core.render.consistency import MOST_DRIFT, Consistency, Drift
from crispgrain.core.render.views import Approximate, Halo, Residual, Result, View
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.geometry import Rect

RESTING = 400  # ms without a change before a figure is worked out
MOST_MEASURED = 1_500_000  # pixels of what is in view


class Figures(QObject):
    """Measures what a view shows, once it has come to rest."""

    measured = Signal(str)  # in words

    def __init__(self, background: Background) -> None:
        super().__init__()
        self._background = background
        self._cancel = CancelToken()
        self._resting = QTimer(self)
        self._resting.setSingleShot(True)
        self._resting.setInterval(RESTING)
        self._resting.timeout.connect(self._measure)
        self._asked: tuple[View, Rect] | None = None

    def follow(self, view: View | None, visible: Rect) -> None:
        """Say in figures what a view shows, once the picture has come to rest."""
        self._cancel.cancel()
        view = view.exact if isinstance(view, Approximate) else view
        told = isinstance(view, Residual | Halo | Consistency) or (isinstance(view, Result) and view.proof is not None)
        wanted = told and visible.width > 0 and visible.height > 0
        self._asked = (view, visible) if wanted and view is not None else None
        if self._asked is None:
            self._resting.stop()
            self.measured.emit("")
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
                return halo_words(view.share(part, cancel), view.limit, view.texture(part, cancel))
            if isinstance(view, Consistency):
                return consistency_words(*view.figures(part, cancel))
            if isinstance(view, Result):
                return gamut_words(view.gamut(part, cancel))
            assert isinstance(view, Residual)
            return structure_words(view.structure(part, cancel))

        self._background.submit(Urgency.STRIP, job, self.measured.emit, cancel=cancel)


def halo_words(share: float, limit: float, texture: float) -> str:
    """What a treatment added that was not there, in words."""
    halos = f"Halos on {share:.2%} of what is in view (beyond {limit:.0%} of white)"
    return f"{halos}, false texture on {texture:.1%} of its smooth ground."


def consistency_words(agreement: float, drift: Drift) -> str:
    """How far a result agrees with its source, in words."""
    same = "to the last bit" if agreement == float("inf") else f"by {agreement:.1f} dB"
    moved = "drifted" if drift.difference > MOST_DRIFT else "stayed"
    return (
        f"Agrees with the source {same} in view; its colours {moved} (CIEDE2000 {drift.difference:.2f} on the whole), "
        f"mean chroma {drift.chroma_before:.1f} before, {drift.chroma_after:.1f} after."
    )


def gamut_words(gamut: Gamut) -> str:
    """What a profile has not, in words."""
    if not gamut.share:
        return "Every colour in view is within gamut."
    return f"{gamut.share:.1%} of what is in view is out of gamut, by CIEDE2000 {gamut.largest:.1f} at most."


def structure_words(share: float) -> str:
    """The structure found in a residual (see :meth:`Residual.structure`), in words."""
    if abs(share) < 0.01:
        return f"Residual: next to no detail in it ({share:+.1%} of what is in view)."
    return f"Residual: {abs(share):.1%} of the detail in view was {'taken away' if share > 0 else 'added'}."


def detail_words(share: float, digits: int = 0) -> str:
    """The same, where there is room for two words."""
    return f"{abs(share):.{digits}%} {'taken' if share > 0 else 'added'}"


def _middle(rect: Rect) -> Rect:
    """The middle of a rectangle, no larger than can be measured in a moment."""
    share = min(1.0, (MOST_MEASURED / max(rect.width * rect.height, 1)) ** 0.5)
    height, width = max(1, int(rect.height * share)), max(1, int(rect.width * share))
    return Rect(rect.top + (rect.height - height) // 2, rect.left + (rect.width - width) // 2, height, width)
