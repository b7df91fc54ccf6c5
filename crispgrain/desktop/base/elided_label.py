"""A line of words that ends in an ellipsis where there is no room for all of them."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QLabel, QSizePolicy


class ElidedLabel(QLabel):
    """It takes the room it is given, whatever it says; pointed at, it says it all."""

    def __init__(self) -> None:
        super().__init__()
        self._words = ""
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, words: str) -> None:
        self._words = words
        self.setToolTip(words)
        self._fit()

    def text(self) -> str:
        """All of the words."""
        return self._words

    def shown(self) -> str:
        """What there is room for."""
        return super().text()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        super().setText(self.fontMetrics().elidedText(self._words, Qt.TextElideMode.ElideRight, self.width()))
