"""How hard a pen presses on a tablet while it draws."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QTabletEvent
from PySide6.QtWidgets import QWidget


class Pressure(QObject):
    """Listens to a pen on a widget; strokes themselves come as those of a mouse, which follow each event."""

    def __init__(self, widget: QWidget) -> None:
        super().__init__(widget)
        self._felt: list[float] = []
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QTabletEvent):
            if event.type() == QEvent.Type.TabletPress:
                self._felt = []
            if event.pressure() > 0:
                self._felt.append(event.pressure())
            event.ignore()  # so that it comes as a mouse's, too
        return False

    def take(self) -> float:
        """The mean of the stroke that has just ended, 0 to 1; 1 for one of a mouse."""
        felt, self._felt = self._felt, []
        return sum(felt) / len(felt) if felt else 1.0
