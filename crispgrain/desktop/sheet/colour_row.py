"""A colour: chosen freely, or from the palette of another picture."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import (
    QColorDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.errors import ShotError
from crispgrain.core.files import PICTURE_SUFFIXES
from crispgrain.core.files.palette import palette_of
from crispgrain.core.model import Parameter, Value

SWATCH = 22  # px
BESIDE = 8


class ColourRow(QWidget):
    """A button in the colour, and swatches of a picture's own colours once one was chosen."""

    changed = Signal(str, object)

    def __init__(self, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        self.field = QPushButton()
        self.field.setAccessibleName(parameter.name)
        self.setToolTip(parameter.help)
        self.palette_from = QPushButton("Palette of …")
        self.palette_from.setToolTip("Take colours from another picture.")
        self.told = QLabel()
        self.told.setProperty("role", "remark")
        self.told.setWordWrap(True)
        self.told.hide()
        self.swatches: list[QToolButton] = []
        top, self._row = QHBoxLayout(), QHBoxLayout()
        top.addWidget(QLabel(parameter.name))
        top.addStretch()
        top.addWidget(self.field)
        self._row.setSpacing(3)
        self._row.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.addLayout(top)
        layout.addWidget(self.palette_from, 0, Qt.AlignmentFlag.AlignRight)
        layout.addLayout(self._row)
        layout.addWidget(self.told)
        self.field.clicked.connect(self._ask)
        self.palette_from.clicked.connect(self._ask_picture)

    def show_value(self, value: Value, metered: Value, following: bool) -> None:
        self.field.setIcon(_filled(str(value)))
        self.field.setText(str(value))

    def _ask(self) -> None:
        colour = QColorDialog.getColor(QColor(self.field.text()), self, self.parameter.name)
        if colour.isValid():
            self.changed.emit(self.parameter.id, colour.name())

    def _ask_picture(self) -> None:
        endings = " ".join(f"*{ending}" for ending in sorted(PICTURE_SUFFIXES))
        name, _ = QFileDialog.getOpenFileName(self, "Palette of a picture", "", f"Pictures ({endings})")
        if name:
            self.take_palette(Path(name))

    def take_palette(self, path: Path) -> None:
        """Show the colours of a picture to choose from."""
        try:
            colours = palette_of(path, BESIDE)
        except ShotError as error:
            self.told.setText(str(error))
            self.told.show()
            return
        self.told.hide()
        for swatch in self.swatches:
            self._row.removeWidget(swatch)
            swatch.deleteLater()
        self.swatches = []
        for colour in colours:
            swatch = QToolButton()
            swatch.setIcon(_filled(colour))
            swatch.setIconSize(QSize(SWATCH, SWATCH))
            swatch.setStyleSheet("padding: 0")
            swatch.setFixedSize(SWATCH + 4, SWATCH + 4)
            swatch.setAccessibleName(colour)
            swatch.setToolTip(f"{colour}, of {path.name}")
            swatch.clicked.connect(lambda _=False, c=colour: self.changed.emit(self.parameter.id, c))
            self._row.insertWidget(len(self.swatches), swatch)
            self.swatches.append(swatch)


def _filled(colour: str) -> QIcon:
    pixels = QPixmap(SWATCH, SWATCH)
    pixels.fill(QColor(colour))
    return QIcon(pixels)
