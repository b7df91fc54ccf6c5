"""Takes of a shot: kept under a name, listed in the menu, put back."""

from __future__ import annotations

from functools import partial

from attrs import evolve
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from crispgrain.core.errors import ShotError
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.actions import add_action
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.session.candidates import Candidate
from crispgrain.session.session import Session
from crispgrain.session.takes import keep_take, takes_of


class TakesFlow(QObject):
    """Keeps the current treatment under a name, and puts kept ones back."""

    def __init__(self, session: Session, status: StatusLine, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._status, self._parent = session, status, parent

    def ask_keep(self) -> None:
        name, sure = QInputDialog.getText(self._parent, "Keep as a take", "Name of the take:")
        if sure and name.strip():
            self.keep(self._session.treatment, name.strip())

    def keep(self, treatment: Treatment, name: str) -> None:
        """Keep a treatment of the current shot under a name; one of the same name is written over."""
        on_easel = self._session.on_easel
        if on_easel is None:
            return
        try:
            keep_take(treatment, on_easel.path, name, self._session.roll.sidecars)
            self._status.say(f"Kept as take “{name}”.")
        except ShotError as error:
            self._status.say(str(error))

    def keep_candidate(self, candidate: Candidate) -> None:
        self.keep(candidate.treatment, candidate.label)

    def candidates(self) -> list[Candidate]:
        """The takes of the current shot, to be compared as whole treatments."""
        return [Candidate(take.name, evolve(take, name="")) for take in self._takes()]

    def _takes(self) -> list[Treatment]:
        on_easel = self._session.on_easel
        return takes_of(on_easel.path, self._session.roll.sidecars, self._status.say) if on_easel is not None else []

    def fill(self, menu: QMenu) -> None:
        """List the takes of the current shot; one that is chosen becomes its treatment."""
        menu.clear()
        for take in self._takes():
            add_action(menu, take.name, partial(self._use, take))
        if menu.isEmpty():
            menu.addAction("No takes of this shot yet").setEnabled(False)

    def _use(self, take: Treatment) -> None:
        self._session.change_treatment(evolve(take, name=""), f"Take {take.name}")
