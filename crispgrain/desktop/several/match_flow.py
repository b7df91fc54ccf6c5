"""Brings light and colour of the selected shots to those of the one on the easel."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from crispgrain.arrays import Array
from crispgrain.cancel import CancelToken
from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError
from crispgrain.core.model import ToolError
from crispgrain.core.render.match import matched, seen
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.session.session import Session
from crispgrain.session.shots import OpenShot, ShotId
from crispgrain.store.sensors import known_shot

from .match_dialog import MatchDialog, Matched


class MatchFlow(QObject):
    """Works out each shot's own settings in the background, shows them, changes all in one step and lines them up."""

    def __init__(
        self, session: Session, background: Background, status: StatusLine, line_up: Callable[[], None], window: QWidget
    ) -> None:
        super().__init__(window)
        self._window = window
        self._session, self._background, self._status, self._line_up = session, background, status, line_up
        self._cancel = CancelToken()

    def start(self) -> None:
        """Match the selected shots to that on the easel; a second start gives up the first."""
        session, on_easel, shot = self._session, self._session.on_easel, self._session.shot
        others = [session.roll[id] for id in session.selection if id != session.current]
        if on_easel is None or shot is None or not others:
            self._status.say("Select the shots to match to the one on the easel (Ctrl or Shift and click).")
            return
        self._cancel.cancel()
        self._cancel = cancel = CancelToken()
        treatment, name = session.treatment, on_easel.path.name
        given = {entry.id: entry.treatment for entry in others}

        def job() -> tuple[NDArray[np.uint8], list[Matched], list[str]]:
            wanted = seen(shot.source, shot.reading, treatment)
            found, missed = list[Matched](), list[str]()
            for entry in others:
                cancel.check()
                try:
                    found.append(self._one(entry, given[entry.id], wanted))
                except (ShotError, ToolError) as error:
                    missed.append(f"{entry.path.name}: {error}" if isinstance(error, ToolError) else str(error))
            return _stored(wanted), found, missed

        def done(answer: tuple[NDArray[np.uint8], list[Matched], list[str]]) -> None:
            wanted, found, missed = answer
            if not found:
                self._status.remark(" ".join([f"None of {len(others)} shots could be matched to {name}.", *missed]))
                return
            self._status.say(f"What a match to {name} would make of them …")
            dialog = MatchDialog(name, wanted, found, missed, self._window)
            dialog.accepted.connect(lambda: self._change(dialog.ticked, given, name, missed))
            dialog.open()

        self._status.say(f"Matching {len(others)} shots to {name} …")
        self._background.submit(Urgency.AHEAD, job, done, lambda e: self._status.say(f"Not matched: {e}"), cancel)

    def _change(
        self, wanted: list[Matched], given: Mapping[ShotId, Treatment], name: str, missed: list[str]
    ) -> None:  # fmt: skip
        session = self._session
        # What was changed or taken off meanwhile is left as it is.
        still = {
            m.id: m.treatment for m in wanted
            if m.id in session.roll.shots and session.roll[m.id].treatment == given[m.id]
        }  # fmt: skip
        if still:
            session.change(still, f"Match to {name}")
            self._line_up()
        said = f"Light of {len(still)} of {len(given)} shots matched to {name}."
        self._status.remark(" ".join([said, *missed]))

    def _one(self, entry: OpenShot, treatment: Treatment, wanted: Array) -> Matched:
        shot = entry.shot or known_shot(entry.path, self._session.store)
        changed = matched(shot.source, shot.reading, treatment, wanted)
        now, then = (_stored(seen(shot.source, shot.reading, t)) for t in (treatment, changed))
        return Matched(entry.id, entry.path.name, changed, now, then)


def _stored(pixels: Array) -> NDArray[np.uint8]:
    return icc.from_working(pixels, icc.profile("srgb"), 8)
