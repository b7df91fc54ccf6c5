"""The control sheet: the model and settings of the chosen stage, and the reading they follow."""

from __future__ import annotations

import math

from PySide6.QtCore import QEvent, QObject, QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.meter import words
from crispgrain.core.model import Parameter, Role, Stage, Value
from crispgrain.core.registry import models_of
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import ResolvedOperation, concrete, metered_on
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment

from .histogram import Histogram
from .metered_slider import MeteredSlider
from .path_row import PathRow
from .summaries import remark_words
from .zone_row import ZoneRow

WIDTH = 262
METERED_STAGES = (Stage.DEVELOP, Stage.DENOISE, Stage.SHARPEN)  # others have nothing that follows the reading
# What some models can be told on the picture itself.
TOOLS = {
    "motion": {"motion": "Draw the movement …"},
    "shake": {"shake": "Find the path in a patch …"},
    "crop": {"crop": "Draw crop …", "level": "Level line …"},
}


def faint(words: str = "") -> QLabel:
    label = QLabel(words)
    label.setProperty("role", "faint")
    label.setWordWrap(True)
    return label


class _WheelPasses(QObject):
    """Lets the wheel scroll the sheet instead of changing the setting under the pointer."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Wheel:
            event.ignore()
            return True
        return False


class _NumberRow(QWidget):
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
        self.field.installEventFilter(_WheelPasses(self))
        self.slider = MeteredSlider(parameter.minimum, parameter.maximum, parameter.step)
        self.slider.setAccessibleName(parameter.name)
        self.setToolTip(parameter.help)
        name = QLabel(parameter.name)
        top = QHBoxLayout()
        top.addWidget(name)
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


class _ChoiceRow(QWidget):
    """One of several words."""

    changed = Signal(str, object)

    def __init__(self, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        self.field = QComboBox()
        for choice in parameter.choices:
            self.field.addItem(parameter.label(choice), choice)
        self.field.setAccessibleName(parameter.name)
        self.field.installEventFilter(_WheelPasses(self))
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


class ControlSheet(QScrollArea):
    """Controls of one stage. Emits what the user wants; the treatment itself is kept elsewhere."""

    setting_changed = Signal(str, object)  # "stage.field", value or None for metered
    strip_wanted = Signal()
    tool_wanted = Signal(str)  # one of TOOLS
    path_wanted = Signal(object)  # a PathRow whose path is metered

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.stage, self.operation = Stage.DENOISE, Stage.DENOISE.value
        self.rows: dict[str, _NumberRow | _ChoiceRow | PathRow] = {}
        self._shown: tuple[str, str] | None = None  # operation and model

        self.title = QLabel()
        self.title.setProperty("role", "title")
        self.on = QCheckBox("On")
        self.on.setToolTip("Whether this stage is part of the result, as its lamp on the rail says.")
        self.follow = QPushButton("Follow the meter")
        self.follow.setToolTip("Return every setting of this stage to what the reading of the shot asks for.")
        self.model = QComboBox()
        self.model.setAccessibleName("Model")
        self.model.installEventFilter(_WheelPasses(self))
        self.purpose = faint()
        self.remark = QLabel()
        self.remark.setProperty("role", "remark")
        self.remark.setWordWrap(True)
        self.strip = QPushButton("Test strip …")
        self.strip.setToolTip("Compare models and strengths of this stage on one spot.")
        self.tools = [QPushButton(), QPushButton()]
        self.zones = ZoneRow()
        self.settings = QVBoxLayout()
        self.settings.setSpacing(8)
        self.reading = faint()
        self.reading.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.histogram = Histogram()
        rule = QFrame()
        rule.setFrameShape(QFrame.Shape.HLine)
        rule.setFrameShadow(QFrame.Shadow.Plain)

        self._inside = inside = QWidget()
        layout = QVBoxLayout(inside)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch()
        head.addWidget(self.on)
        layout.addLayout(head)
        layout.addWidget(self.reading)
        layout.addWidget(rule)
        layout.addWidget(self.zones)
        layout.addWidget(self.model)
        layout.addWidget(self.purpose)
        layout.addWidget(self.remark)
        # Above the settings, so that a small window shows them, too.
        buttons = QHBoxLayout()
        buttons.addWidget(self.follow)
        buttons.addWidget(self.strip)
        buttons.addStretch()
        layout.addLayout(buttons)
        layout.addSpacing(4)
        drawing = QHBoxLayout()
        for button in self.tools:
            drawing.addWidget(button)
        drawing.addStretch()
        layout.addLayout(drawing)
        layout.addLayout(self.settings)
        layout.addStretch()
        layout.addWidget(self.histogram)
        self.setWidget(inside)

        self.on.clicked.connect(lambda on: self.setting_changed.emit(f"{self.operation}.on", on))
        self.follow.clicked.connect(self._follow_all)
        self.strip.clicked.connect(self.strip_wanted)
        for n, button in enumerate(self.tools):
            button.clicked.connect(lambda _=False, n=n: self.tool_wanted.emit(list(TOOLS[self._model])[n]))
        self.model.activated.connect(
            lambda i: self.setting_changed.emit(f"{self.operation}.model", self.model.itemData(i))
        )

    @property
    def _model(self) -> str:
        return self._shown[1] if self._shown else ""

    def show_stage(
        self, stage: Stage, shot: Shot | None, pipeline: Pipeline | None, treatment: Treatment, operation: str = ""
    ) -> None:
        """Show a stage of a shot, or one of its zones; without a shot everything is empty and disabled."""
        self.stage, self.operation = stage, operation or stage.value
        self.title.setText(stage.label)
        self._inside.setVisible(shot is not None)
        if shot is None or pipeline is None:
            return
        given, _ = treatment.addressed(self.operation)
        resolved = concrete(given, shot.source, shot.reading) if not given.everywhere else pipeline.resolved[stage]
        role = Role.EVERYWHERE if given.everywhere else Role.ZONE
        usable = [m for m in models_of(stage, role) if m.fits(shot.source)]
        if resolved.model not in usable:
            usable = [resolved.model]
        self.zones.show_operations(stage, treatment, self.operation)
        if self._shown != (self.operation, resolved.model.id) or self.model.count() != len(usable):
            self._build(resolved)
            self.model.clear()
            for m in usable:
                self.model.addItem(m.name, m.id)
        self.on.setVisible(stage.switchable or not given.everywhere)
        self.on.setChecked(resolved.on)
        self.model.setCurrentIndex(self.model.findData(resolved.model.id))
        self.model.setVisible(len(usable) > 1)
        self.purpose.setText(resolved.model.purpose)
        remarks = remark_words(stage, shot, pipeline) if given.everywhere else list(resolved.remarks)
        self.remark.setText("\n\n".join(remarks))
        self.remark.setVisible(bool(remarks))
        tools = list(TOOLS.get(resolved.model.id, {}).values())
        for n, button in enumerate(self.tools):
            button.setVisible(n < len(tools))
            button.setText(tools[n] if n < len(tools) else "")
        compared = (Stage.DEVELOP, Stage.DENOISE, Stage.SHARPEN, Stage.ENLARGE)
        self.strip.setVisible(stage in compared and given.everywhere)
        for name, row in self.rows.items():
            metered = row.parameter.metered_value(shot.reading)
            row.show_value(resolved.values[name], metered, name not in given.values)
            row.setVisible(row.parameter.matters(resolved.values))
            if isinstance(row, PathRow) and row.picture.kernel is None:
                self.path_wanted.emit(row)
        self.reading.setText("\n".join(reading_words(stage, shot, pipeline)))
        metered_here = stage in METERED_STAGES and given.everywhere
        self.follow.setText("Follow the meter" if metered_here else "Start values")
        self.follow.setEnabled(given != given.reset())

    def _build(self, resolved: ResolvedOperation) -> None:
        for row in self.rows.values():
            row.hide()
            self.settings.removeWidget(row)
            row.deleteLater()
        self.rows = {}
        for p in resolved.model.parameters:
            row = _ChoiceRow(p) if p.choices else _NumberRow(p) if p.is_number else PathRow(p)
            row.changed.connect(lambda name, value: self.setting_changed.emit(f"{self.operation}.{name}", value))
            self.settings.addWidget(row)
            self.rows[p.id] = row
        self._shown = (self.operation, resolved.model.id)

    def _follow_all(self) -> None:
        self.setting_changed.emit(f"{self.operation}.*", None)


def reading_words(stage: Stage, shot: Shot, pipeline: Pipeline) -> list[str]:
    """What the meter found that matters to a stage, in plain words."""
    reading, facts = shot.reading, shot.source.facts
    lines: list[str] = []
    if stage is Stage.DEVELOP:
        lines += [f"{reading.size.width} × {reading.size.height} px" + (", RAW" if shot.source.is_raw else "")]
        lines += [w for w in (facts.camera, f"ISO {facts.iso}" if facts.iso else "") if w]
        lines += [*words.tone_words(reading), *words.history_words(reading)]
    elif stage is Stage.DENOISE:
        compression = words.compression_words(reading)
        lines += words.noise_words(reading.noise) + ([compression] if compression else [])
        if not metered_on(stage, reading):
            lines.append("clean enough: metered off")
    elif stage is Stage.SHARPEN:
        lines.append(words.blur_words(reading.blur))
        if not metered_on(stage, reading):
            lines.append("sharp enough: metered off")
    elif stage in (Stage.ENLARGE, Stage.PRINT):
        ppi = float(pipeline.resolved[Stage.PRINT].values["ppi"])
        size = pipeline.size
        lines.append(f"Result: {size.width} × {size.height} px")
        lines.append(f"{size.width / ppi * 2.54:.1f} × {size.height / ppi * 2.54:.1f} cm at {ppi:g} ppi")
    return [line[:1].upper() + line[1:] for line in lines]
