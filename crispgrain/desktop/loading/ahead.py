"""Rendering ahead: the neighbours of the current shot, at the place one is looking at, while nothing else is to do."""

from __future__ import annotations

from collections.abc import Hashable

from PySide6.QtCore import QObject, QTimer

from crispgrain.cancel import CancelToken
from crispgrain.core.render.views import Result, View, view_at
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.easel.easel import Easel
from crispgrain.desktop.easel.layer import parts_over, render_part
from crispgrain.geometry import Rect, Size
from crispgrain.session.comparing import VIEW_TILE, developed
from crispgrain.session.session import Session
from crispgrain.session.shots import State

from .shot_loader import ShotLoader

RESTING = 600  # ms in which nothing was wanted


class Ahead(QObject):
    """Brings the neighbouring shots into memory and what will be seen of them into the cache; gives way to all else."""

    def __init__(self, session: Session, loader: ShotLoader, easel: Easel, background: Background) -> None:
        super().__init__(easel)
        self._session, self._loader, self._easel, self._background = session, loader, easel, background
        self._cancel = CancelToken()
        self._done: set[tuple[Hashable, Rect]] = set()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(RESTING)
        self._timer.timeout.connect(self._next)

    def wait(self) -> None:
        """Nothing is to do for now: go on with the neighbours of the shot on the easel, if it stays like that."""
        if not self._timer.isActive():
            self._timer.start()

    def stop(self) -> None:
        """Something else is to be done."""
        self._timer.stop()
        self._cancel.cancel()
        self._cancel = CancelToken()

    def _next(self) -> None:
        for entry in self._session.neighbours:
            if entry.state is State.FAILED:
                continue
            if entry.shot is None:
                self._loader.prepare(entry.id, self._cancel, lambda: self._timer.start())
                return
            for wanted in (entry.treatment, developed(entry.treatment)):  # the result, and what counts as its source
                result = Result(entry.shot.pipeline(wanted, self._session.cache, VIEW_TILE))
                view = view_at(result, self._easel.viewport.scale_of(result.size))
                if (view.key, self._part(view.size)) not in self._done:
                    self._render(view, self._part(view.size))
                    return

    def _render(self, view: View, part: Rect) -> None:
        cancel = self._cancel
        parts = parts_over(view, part, self._easel.viewport.scale_of(view.size))

        def job() -> None:
            for each in parts:
                cancel.check()
                render_part(view, each, cancel)

        def over(_: object) -> None:  # what fails now is said when it is looked at
            self._done.add((view.key, part))
            self._timer.start()

        self._background.submit(Urgency.AHEAD, job, over, over, cancel)

    def _part(self, size: Size) -> Rect:
        """What will be seen of a result of that size, if it is shown at the same zoom and place."""
        seen, now = self._easel.visible, self._easel.result.size
        if self._easel.viewport.fitted:
            return size.rect
        fy, fx = size.height / now.height, size.width / now.width
        middle = (seen.top + seen.height / 2) * fy, (seen.left + seen.width / 2) * fx
        top, left = int(middle[0] - seen.height / 2), int(middle[1] - seen.width / 2)
        return Rect(top, left, seen.height, seen.width).intersect(size.rect)
