"""What a match would make of each shot, beside what it is like now, before anything is changed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from attrs import frozen
from numpy.typing import NDArray
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtWidgets import QDialog, QLabel, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.dialogs import dialog_buttons
from crispgrain.desktop.easel.layer import screen_image
from crispgrain.session.shots import ShotId

SHOWN = QSize(440, 150)  # px, of a shot as it is and as it would be
GAP = 6


@frozen
class Matched:
    """A shot with the treatment it would get, and small pictures of it as it is and as it would be (8-bit sRGB)."""

    id: ShotId
    name: str
    treatment: Treatment
    now: NDArray[np.uint8]
    then: NDArray[np.uint8]


class MatchDialog(QDialog):
    """Shots to tick, each as it is and as it would be, below the one that they are matched to."""

    def __init__(
        self, name: str, wanted: NDArray[np.uint8], found: Sequence[Matched], missed: Sequence[str],
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._found = found
        self.setWindowTitle("Match")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        title = QLabel(f"{name}, which the others are matched to:")
        given = QLabel()
        given.setPixmap(_pixmap(wanted))
        self.list = QListWidget()
        self.list.setIconSize(SHOWN)
        self.list.setSpacing(3)
        self.list.setMinimumSize(SHOWN.width() + 260, 3 * SHOWN.height())
        for matched in found:
            item = QListWidgetItem(QIcon(_framed(_pixmap(_beside(matched.now, matched.then)))), matched.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked)
            self.list.addItem(item)
        columns = QLabel("Each as it is, and as it would be:")
        words = QLabel("\n".join(missed))
        words.setWordWrap(True)
        words.setProperty("role", "faint")
        words.setVisible(bool(missed))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(10)
        for widget in (title, given, columns, self.list, words, dialog_buttons(self, "Match")):
            layout.addWidget(widget)

    @property
    def ticked(self) -> list[Matched]:
        """Shots that are to be changed."""
        chosen = [self.list.item(row).checkState() is Qt.CheckState.Checked for row in range(self.list.count())]
        return [matched for matched, wanted in zip(self._found, chosen, strict=True) if wanted]


def _beside(left: NDArray[np.uint8], right: NDArray[np.uint8]) -> NDArray[np.uint8]:
    height = min(len(left), len(right))
    return np.concatenate([left[:height], np.full((height, GAP, 3), 119, np.uint8), right[:height]], axis=1)


def _pixmap(stored: NDArray[np.uint8]) -> QPixmap:
    kept, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    return QPixmap.fromImage(screen_image(stored).scaled(SHOWN, kept, smooth))


def _framed(pixmap: QPixmap) -> QPixmap:
    """On the left of a place that is as large for all, so that names begin one below the other."""
    framed = QPixmap(SHOWN)
    framed.fill(Qt.GlobalColor.transparent)
    painter = QPainter(framed)
    painter.drawPixmap(0, (SHOWN.height() - pixmap.height()) // 2, pixmap)
    painter.end()
    return framed
