"""Runs a line-up in the background: a row a shot, those on top first."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from crispgrain.cancel import CancelToken
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.middle import Middle
from crispgrain.session.line_up import EDGE, Row, Spot, row_of, side_by_side, spot_of
from crispgrain.session.session import Session
from crispgrain.session.shots import OpenShot, ShotId, State
from crispgrain.store.sensors import known_shot

from .line_up_view import LineUpView

ZOOM = 2.0  # noise and focus are judged at 200 % (common practice, no source)


class LineUpFlow(QObject):
    """Puts the view in place of the easel, fills it, and goes back to the easel at a spot."""

    started = Signal()

    def __init__(self, session: Session, view: LineUpView, middle: Middle, background: Background) -> None:
        super().__init__(view)
        self._session, self._view, self._middle, self._background = session, view, middle, background
        self._cancel = CancelToken()
        self._rows: dict[ShotId, Row] = {}
        view.closed.connect(self.close)
        view.opened.connect(self._open)
        view.spot_chosen.connect(lambda spot: self.start())
        view.table.itemSelectionChanged.connect(self._select)
        session.treatment_changed.connect(self._marked)
        session.roll.arranged.connect(self._follow_roll)

    @property
    def shown(self) -> bool:
        return self._middle.currentWidget() is self._view

    def start(self) -> None:
        """Line up the selected shots, or all that are listed if there are not several."""
        roll, session = self._session.roll, self._session
        chosen = self._view_ids if self.shown else session.selection
        ids = chosen if len(chosen) > 1 else roll.listed
        shots = [roll[id] for id in ids if roll[id].state is not State.FAILED]
        self._cancel.cancel()
        self._cancel = CancelToken()
        self._rows = {}
        self._view.show_shots(shots)
        self._middle.setCurrentWidget(self._view)
        self.started.emit()
        self._say()
        spots = self._view.spots
        pointed = self._pointed()
        for shot in shots:
            self._begin(shot, spots, pointed)

    @property
    def _view_ids(self) -> list[ShotId]:
        return [self._view.id_at(row) for row in range(self._view.table.rowCount())]

    def _begin(self, shot: OpenShot, spots: list[Spot], pointed: tuple[float, float]) -> None:
        cancel, treatment, store = self._cancel, shot.treatment, self._session.store

        def job() -> Row:
            known = known_shot(shot.path, store)
            result = known.pipeline(treatment)
            rects = [spot_of(known.source, spot, pointed, result) for spot in spots]
            return side_by_side([row_of(known, treatment, rect, cancel) for rect in rects])

        def done(row: Row) -> None:
            self._rows[shot.id] = row
            self._view.show_row(shot.id, row)
            self._say()

        def failed(error: Exception) -> None:
            self._view.show_trouble(shot.id, str(error) or type(error).__name__)

        self._background.submit(Urgency.STRIP, job, done, failed, cancel)

    def _pointed(self) -> tuple[float, float]:
        """The middle of what is looked at, in shares of the source."""
        pipeline, viewport = self._session.pipeline, self._session.viewport
        if pipeline is None:
            return 0.5, 0.5
        size = pipeline.source.size
        middle = (viewport.size.width / 2, viewport.size.height / 2) if viewport.fitted else viewport.centre
        x, y = pipeline.steps[-1].after.to_source(*middle)  # type: ignore[arg-type]
        return float(x) / size.width, float(y) / size.height

    def _say(self) -> None:
        ids = self._view_ids
        done, total = sum(id in self._rows for id in ids), len(ids)
        self._view.said.setText(f"{total} shots, {EDGE} px" if done == total else f"{done} of {total} shots")

    def _select(self) -> None:
        """Marks go to what is selected here."""
        if self.shown and (selected := self._view.selected):
            self._session.select(selected)

    def _marked(self, id: ShotId) -> None:
        if self.shown:
            self._view.show_mark(self._session.roll[id])

    def _follow_roll(self) -> None:
        """Shots that were taken off the roll go from here, too."""
        if not self.shown:
            return
        self._view.take_off({id for id in self._view_ids if id not in self._session.roll.shots})
        self._say()
        if not self._view_ids:
            self.close()

    def _open(self, id: ShotId) -> None:
        """The shot on the easel, at its spot."""
        row = self._rows.get(id)
        self.close()
        self._session.choose(id)
        if row is None:
            return
        self._session.viewport.zoom(ZOOM)
        self._session.look_at_next((row.rect.left + row.rect.width / 2, row.rect.top + row.rect.height / 2))
        if self._session.shot is not None:  # else when it has been read
            self._session.take_place()

    def close(self) -> None:
        self._cancel.cancel()
        self._middle.show_easel()
