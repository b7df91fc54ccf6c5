"""Brings light and colour of the selected shots to those of the one on the easel."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject

from crispgrain.arrays import Array
from crispgrain.cancel import CancelToken
from crispgrain.core.errors import ShotError
from crispgrain.core.model import ToolError
from crispgrain.core.render.match import matched, seen
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.session.session import Session
from crispgrain.session.shots import OpenShot, ShotId
from crispgrain.store.sensors import known_shot


class MatchFlow(QObject):
    """Works out each shot's own settings in the background, then changes all in one step and lines them up."""

    def __init__(
        self, session: Session, background: Background, status: StatusLine, line_up: Callable[[], None], parent: QObject
    ) -> None:
        super().__init__(parent)
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

        def job() -> tuple[dict[ShotId, Treatment], list[str]]:
            wanted = seen(shot.source, shot.reading, treatment)
            found: dict[ShotId, Treatment] = {}
            missed = []
            for entry in others:
                cancel.check()
                try:
                    found[entry.id] = self._one(entry, given[entry.id], wanted)
                except (ShotError, ToolError) as error:
                    missed.append(f"{entry.path.name}: {error}" if isinstance(error, ToolError) else str(error))
            return found, missed

        def done(answer: tuple[dict[ShotId, Treatment], list[str]]) -> None:
            found, missed = answer
            # What was changed or taken off meanwhile is left as it is.
            still = {
                id: t for id, t in found.items() if id in session.roll.shots and session.roll[id].treatment == given[id]
            }
            if still:
                session.change(still, f"Match to {name}")
                self._line_up()
            said = f"Light of {len(still)} of {len(others)} shots matched to {name}."
            self._status.remark(" ".join([said, *missed]))

        self._status.say(f"Matching {len(others)} shots to {name} …")
        self._background.submit(Urgency.AHEAD, job, done, lambda e: self._status.say(f"Not matched: {e}"), cancel)

    def _one(self, entry: OpenShot, treatment: Treatment, wanted: Array) -> Treatment:
        shot = entry.shot or known_shot(entry.path, self._session.store)
        return matched(shot.source, shot.reading, treatment, wanted)
