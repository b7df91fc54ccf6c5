"""Rows of the control sheet: one setting each."""

from __future__ import annotations

import math

from PySide6.QtCore import QEvent, QObject, QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.model import Parameter, Value

from .colour_row import ColourRow
from .curve_row import CurveRow
from .metered_slider import MeteredSlider
from .path_row import PathRow


class WheelPasses(QObject):
    """Lets the wheel scroll the sheet instead of changing the setting under the pointer."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Wheel:
            event.ignore()
            return True
        return False


class NumberRow(QWidget):
    """A number: its name, a field to type in, a slider."""

    changed = Signal(str, object)

    def __init__(self, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        self.field = QDoubleSpinBox()
        self.field.setRange(parameter.minimum, parameter.maximum)
        self.field.setDecimals(max(0, math.ceil(-math.log10(parameter.step))) if parameter.step < 1 else 0)
        self.field.setSingleStep(parameter.step)
        self.field.setSuffix(f" {parameter.unit}" if parameter.unit else "")
        self.field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.field.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.field.setFixedWidth(96)
        self.field.setKeyboardTracking(False)
        self.field.setAccessibleName(parameter.name)
        self.field.installEventFilter(WheelPasses(self))
        self.slider = MeteredSlider(parameter.minimum, parameter.maximum, parameter.step)
        self.slider.setAccessibleName(parameter.name)
        self.setToolTip(parameter.help)
        top = QHBoxLayout()
        top.addWidget(QLabel(parameter.name))
        top.addStretch()
        top.addWidget(self.field)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(top)
        layout.addWidget(self.slider)
        self.field.valueChanged.connect(lambda v: self.changed.emit(parameter.id, v))
        self.slider.moved.connect(lambda v: self.changed.emit(parameter.id, v))
        self.slider.returned.connect(lambda: self.changed.emit(parameter.id, None))

    def show_value(self, value: Value, metered: Value, following: bool) -> None:
        with QSignalBlocker(self.field):
            if abs(self.field.value() - float(value)) > 1e-9:
                self.field.setValue(float(value))
        self.slider.show_value(float(value), float(metered), following)


class ChoiceRow(QWidget):
    """One of several words."""

    changed = Signal(str, object)

    def __init__(self, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        self.field = QComboBox()
        for choice in parameter.choices:
            self.field.addItem(parameter.label(choice), choice)
        self.field.setAccessibleName(parameter.name)
        self.field.installEventFilter(WheelPasses(self))
        self.field.setMinimumWidth(120)
        self.setToolTip(parameter.help)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.addWidget(QLabel(parameter.name))
        layout.addStretch()
        layout.addWidget(self.field)
        self.field.activated.connect(lambda i: self.changed.emit(parameter.id, self.field.itemData(i)))

    def show_value(self, value: Value, metered: Value, following: bool) -> None:
        self.field.setCurrentIndex(self.field.findData(value))


class TextRow(QWidget):
    """Words."""

    changed = Signal(str, object)

    def __init__(self, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        self.field = QLineEdit()
        self.field.setAccessibleName(parameter.name)
        self.setToolTip(parameter.help)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(2)
        layout.addWidget(QLabel(parameter.name))
        layout.addWidget(self.field)
        self.field.editingFinished.connect(self._edited)

    def _edited(self) -> None:
        if self.field.isModified():
            self.field.setModified(False)
            self.changed.emit(self.parameter.id, self.field.text() or None)

    def show_value(self, value: Value, metered: Value, following: bool) -> None:
        if not self.field.hasFocus() or not self.field.isModified():
            self.field.setText(str(value))


class FileRow(TextRow):
    """A file, typed or chosen."""

    def __init__(self, parameter: Parameter) -> None:
        super().__init__(parameter)
        self.choose = QPushButton("Choose …")
        self.choose.clicked.connect(self._ask)
        layout = self.layout()
        assert layout is not None
        layout.addWidget(self.choose)

    def _ask(self) -> None:
        endings = " ".join(f"*{ending}" for ending in self.parameter.files)
        name, _ = QFileDialog.getOpenFileName(self, self.parameter.name, self.field.text(), f"Files ({endings})")
        if name:
            self.changed.emit(self.parameter.id, name)


Row = NumberRow | ChoiceRow | PathRow | TextRow | CurveRow | ColourRow


def row_for(parameter: Parameter) -> Row:
    """The row for a setting, by what kind of value it has."""
    if parameter.choices:
        return ChoiceRow(parameter)
    if parameter.is_number:
        return NumberRow(parameter)
    if parameter.curve:
        return CurveRow(parameter)
    if parameter.colour:
        return ColourRow(parameter)
    if parameter.files:
        return FileRow(parameter)
    return PathRow(parameter) if parameter.product is not None else TextRow(parameter)
