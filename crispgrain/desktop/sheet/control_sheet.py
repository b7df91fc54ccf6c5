"""The control sheet: the model and settings of the chosen stage, and the reading they follow."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.describe import reading_words, remark_words
from crispgrain.core.model import Model, Role, Stage, Tool
from crispgrain.core.registry import ABOUT, models_of
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import ResolvedOperation, concrete
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import FIXED, Treatment

from .histogram import Histogram
from .mask_panel import MaskPanel
from .rows import Row, WheelPasses, row_for
from .zone_row import ZoneRow

TOOLS_BESIDE = 2  # each other
WIDTH = 262


def faint(words: str = "") -> QLabel:
    label = QLabel(words)
    label.setProperty("role", "faint")
    label.setWordWrap(True)
    return label


class ControlSheet(QScrollArea):
    """Controls of one stage. Emits what the user wants; the treatment itself is kept elsewhere."""

    setting_changed = Signal(str, object)  # "stage.field", value or None for metered
    strip_wanted = Signal()
    tool_wanted = Signal(object)  # Tool
    meter_wanted = Signal()
    alike_wanted = Signal()
    find_wanted = Signal(object)  # a row whose value is to be found in the whole shot

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.stage, self.operation = Stage.DENOISE, Stage.DENOISE.value
        self.rows: dict[str, Row] = {}
        self._shown: tuple[str, Model] | None = None  # operation and its model

        self.together = QLabel()
        self.together.setProperty("role", "together")
        self.together.setWordWrap(True)
        self.together.hide()
        self.title = QLabel()
        self.title.setProperty("role", "title")
        self.on = QCheckBox("On")
        self.on.setToolTip("Whether this stage is part of the result, as its lamp on the rail says.")
        self.follow = QPushButton("Follow the meter")
        self.follow.setToolTip("Return every setting of this stage to what the reading of the shot asks for.")
        self.model = QComboBox()
        self.model.setAccessibleName("Model")
        self.model.installEventFilter(WheelPasses(self))
        self.purpose = faint()
        self.remark = QLabel()
        self.remark.setProperty("role", "remark")
        self.remark.setWordWrap(True)
        self.strip = QPushButton("Test strip …")
        self.strip.setToolTip("Compare models and strengths of this stage on one spot.")
        self.here = QPushButton("Meter here …")
        self.alike = QPushButton("As sharp as …")
        self.alike.setToolTip("Show a place that is sharp enough, and have another one made as sharp.")
        self.here.setToolTip("Have one part of the picture measured, and this stage follow it; in a zone, the zone.")
        self.tools: list[QPushButton] = []
        self._drawing = QGridLayout()
        self.zones, self.masks = ZoneRow(), MaskPanel()
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
        layout.addWidget(self.together)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch()
        head.addWidget(self.on)
        layout.addLayout(head)
        layout.addWidget(self.reading)
        layout.addWidget(rule)
        layout.addWidget(self.zones)
        layout.addWidget(self.masks)
        layout.addWidget(self.model)
        layout.addWidget(self.purpose)
        layout.addWidget(self.remark)
        # Above the settings, so that a small window shows them, too.
        buttons = QHBoxLayout()
        buttons.addWidget(self.follow)
        buttons.addWidget(self.strip)
        buttons.addStretch()
        layout.addLayout(buttons)
        layout.addWidget(self.here, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(self.alike, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addSpacing(4)
        self._drawing.setColumnStretch(TOOLS_BESIDE, 1)
        layout.addLayout(self._drawing)
        layout.addLayout(self.settings)
        layout.addStretch()
        layout.addWidget(self.histogram)
        self.lost = faint()
        self.lost.hide()
        layout.addWidget(self.lost)
        self.histogram.told.connect(self._tell_lost)
        self.setWidget(inside)

        self.on.clicked.connect(lambda on: self.setting_changed.emit(f"{self.operation}.on", on))
        self.follow.clicked.connect(self._follow_all)
        self.strip.clicked.connect(self.strip_wanted)
        self.here.clicked.connect(self.meter_wanted)
        self.alike.clicked.connect(self.alike_wanted)
        self.model.activated.connect(
            lambda i: self.setting_changed.emit(f"{self.operation}.model", self.model.itemData(i))
        )

    def show_stage(
        self, stage: Stage, shot: Shot | None, pipeline: Pipeline | None, treatment: Treatment, operation: str = ""
    ) -> None:
        """Show a stage of a shot, or one of its zones; without a shot everything is empty and disabled."""
        self.stage, self.operation = stage, operation or stage.value
        self.title.setText(stage.label)
        self._inside.setVisible(shot is not None)
        policy = Qt.ScrollBarPolicy.ScrollBarAlwaysOff if shot is None else Qt.ScrollBarPolicy.ScrollBarAsNeeded
        self.setVerticalScrollBarPolicy(policy)  # a bar would stay beside what is hidden
        if shot is None or pipeline is None:
            return
        given, _ = treatment.addressed(self.operation)
        resolved = concrete(given, shot.source, shot.reading) if not given.everywhere else pipeline.resolved[stage]
        role = Role.EVERYWHERE if given.everywhere else Role.ZONE
        usable = [m for m in models_of(stage, role) if m.fits(shot.source)]
        if resolved.model not in usable:
            usable = [resolved.model]
        self.zones.show_operations(stage, treatment, self.operation, shot.source)
        self.masks.show_mask(given.mask)
        if self._shown != (self.operation, resolved.model) or self.model.count() != len(usable):
            self._build(resolved)
            self.model.clear()
            for m in usable:
                self.model.addItem(m.name, m.id)
        self.on.setVisible(stage.switchable or not given.everywhere)
        self.on.setChecked(resolved.on)
        self.model.setCurrentIndex(self.model.findData(resolved.model.id))
        self.model.setVisible(len(usable) > 1)
        self.purpose.setText(resolved.model.purpose)
        there = pipeline.resolved.find(self.operation) or resolved  # with what the whole treatment makes of it
        remarks = remark_words(stage, pipeline) if given.everywhere else list(there.remarks)
        self.remark.setText("\n\n".join(remarks))
        self.remark.setVisible(bool(remarks))
        self.strip.setVisible(ABOUT[stage].compared and given.everywhere)
        for name, row in self.rows.items():
            metered = row.parameter.metered_value(shot.reading)
            row.show_value(resolved.values[name], metered, name not in given.values)
            row.setVisible(row.parameter.matters(resolved.values))
            if row.parameter.product is not None and not resolved.values[name]:
                self.find_wanted.emit(row)
        self.reading.setText("\n".join(reading_words(stage, pipeline)))
        metered_here = ABOUT[stage].metered and given.everywhere
        # In a zone of Develop nothing is metered, and following would put Light in place of what fills or mends.
        follows = given.everywhere or stage is not Stage.DEVELOP
        self.here.setVisible(ABOUT[stage].metered and ABOUT[stage].compared and given.id not in FIXED and follows)
        self.alike.setVisible(self.here.isVisibleTo(self) and stage is Stage.SHARPEN)
        self.follow.setText("Follow the meter" if metered_here else "Start values")
        self.follow.setEnabled(given != given.reset())

    def show_together(self, count: int) -> None:
        """Say that changes go to so many shots; nothing for one."""
        self.together.setText(f"Treated together: every change goes to {count} shots.")
        self.together.setVisible(count > 1)

    def _build(self, resolved: ResolvedOperation) -> None:
        for row in self.rows.values():
            row.hide()
            self.settings.removeWidget(row)
            row.deleteLater()
        for button in self.tools:
            button.hide()
            self._drawing.removeWidget(button)
            button.deleteLater()
        self.rows, self.tools = {}, []
        for n, tool in enumerate(resolved.model.tools):
            self.tools.append(QPushButton(tool.label))
            self.tools[-1].setToolTip(tool.hint)
            self.tools[-1].clicked.connect(partial(self._take_up, tool))
            self._drawing.addWidget(self.tools[-1], *divmod(n, TOOLS_BESIDE))
        for p in resolved.model.parameters:
            row = row_for(p)
            row.changed.connect(lambda name, value: self.setting_changed.emit(f"{self.operation}.{name}", value))
            self.settings.addWidget(row)
            self.rows[p.id] = row
        self._shown = (self.operation, resolved.model)

    def _tell_lost(self, words: str) -> None:
        self.lost.setText(words)
        self.lost.setVisible(bool(words))

    def _take_up(self, tool: Tool) -> None:
        self.tool_wanted.emit(tool)

    def _follow_all(self) -> None:
        self.setting_changed.emit(f"{self.operation}.*", None)
