"""The middle of the window."""

from __future__ import annotations

from PySide6.QtWidgets import QStackedWidget

EASEL = 1


class Middle(QStackedWidget):
    """Shows the first page, the easel, or a view that takes its place for a while, in this order."""

    @property
    def shows_easel(self) -> bool:
        return self.currentIndex() == EASEL

    def show_easel(self) -> None:
        self.setCurrentIndex(EASEL)
