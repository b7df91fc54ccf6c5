"""The panel that says where a zone shows: the parts of its mask, what can be set of them, and the brush."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.masks import Brush, Composite, How, Mask, Rough
from crispgrain.core.masks.settings import label_of, setting, settings_of, with_setting
from crispgrain.core.model import Parameter
from crispgrain.session.masking import as_parts, with_changed, without_part

from .rows import NumberRow

SIZE = Parameter("size", "Brush", "Width of the brush, of the picture's longer side.", 6.0, 0.2, 40, 0.2, "%")
FEATHER = Parameter("feather", "Soft rim", "How much of the brush is soft.", 50.0, 0, 100, 1, "%")
OPACITY = Parameter("opacity", "Opacity", "How much one stroke gives or takes.", 100.0, 1, 100, 1, "%")
FLOW = Parameter("flow", "Flow", "How fast a stroke builds up to that, where it lingers or crosses itself.",
                 100.0, 1, 100, 1, "%")  # fmt: skip
BRUSH = (SIZE, FEATHER, OPACITY, FLOW)
HOWS = {How.ADD: "added", How.SUBTRACT: "taken away", How.INTERSECT: "limits"}


class MaskPanel(QWidget):
    """Parts of a mask. Emits masks as they are wanted; what is drawn is up to the easel."""

    changed = Signal(object, str)  # mask, and what was done
    paint_wanted = Signal(bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.given = Composite()
        self.parts = QComboBox()
        self.parts.setAccessibleName("Part of the mask")
        self.parts.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.parts.setMinimumContentsLength(6)
        self.more = QToolButton()
        self.more.setText("Part …")
        self.more.setToolTip("Add something to the mask, take something away, or limit it.")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.less = QPushButton("Drop part")
        self.less.setToolTip("Take this part off the mask.")
        self.how = QComboBox()
        for how, words in HOWS.items():
            self.how.addItem(words, how.value)
        self.how.setAccessibleName("What the part does")
        self.turned = QCheckBox("Outside of it")
        self.turned.setToolTip("The part is where its shape is not.")
        self.whole_turned = QCheckBox("Everything but this")
        self.whole_turned.setToolTip("The zone shows where the mask is not.")
        self.paint = QPushButton("Paint")
        self.paint.setCheckable(True)
        self.adjust = QPushButton("Adjust")
        self.adjust.setCheckable(True)
        self.adjust.setToolTip("Show what can be set of this part, and of the whole mask.")
        self.paint.setToolTip("Paint with the left button, take away with the right one or Alt; Shift draws straight.")
        self.brush = {p.id: NumberRow(p) for p in BRUSH}
        for parameter, row in zip(BRUSH, self.brush.values(), strict=True):
            row.show_value(parameter.default, parameter.default, True)
            row.changed.connect(
                lambda name, value, p=parameter: self.brush[name].show_value(
                    p.default if value is None else value, p.default, value is None
                )
            )
        self.rows: dict[tuple[bool, str], NumberRow] = {}  # of the part, and of the whole mask (True)
        self._settings, self._folded = QVBoxLayout(), QWidget()
        self._laid_out()
        self.parts.activated.connect(lambda: self._show_part())
        self.less.clicked.connect(lambda: self._emit(without_part(self.given, self.index), "part removed"))
        self.how.activated.connect(lambda: self._change_part(how=How(self.how.currentData())))
        self.turned.clicked.connect(lambda on: self._change_part(inverted=on))
        self.whole_turned.clicked.connect(lambda on: self._emit(replace(self.given, inverted=on), "turned round"))
        self.paint.toggled.connect(self._toggle_paint)
        self.hide()

    def _laid_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self.parts, 1)
        head.addWidget(self.more)
        layout.addLayout(head)
        buttons = QHBoxLayout()
        buttons.addWidget(self.paint)
        buttons.addWidget(self.adjust)
        layout.addLayout(buttons)
        for row in self.brush.values():
            layout.addWidget(row)
        inside = QVBoxLayout(self._folded)
        inside.setContentsMargins(0, 0, 0, 0)
        grid = QGridLayout()
        grid.addWidget(self.how, 0, 0)
        grid.addWidget(self.turned, 1, 0)
        grid.addWidget(self.less, 1, 1)
        inside.addLayout(grid)
        inside.addLayout(self._settings)
        inside.addWidget(self.whole_turned)
        layout.addWidget(self._folded)
        self._folded.hide()
        self.adjust.toggled.connect(self._folded.setVisible)

    @property
    def index(self) -> int:
        """Of the part that is open; -1 without one."""
        return self.parts.currentIndex()

    def show_mask(self, mask: Mask | None) -> None:
        """Show the parts of an operation's mask; nothing for one that shows everywhere."""
        self.setVisible(mask is not None)
        if mask is None:
            self.paint.setChecked(False)
            self.given = Composite()
            return
        before, self.given = len(self.given.parts), as_parts(mask)
        at = self.index
        with QSignalBlocker(self.parts):
            self.parts.clear()
            self.parts.addItems([label_of(p.shape) for p in self.given.parts])
            self.parts.setCurrentIndex(
                len(self.given.parts) - 1 if len(self.given.parts) != before else min(at, len(self.given.parts) - 1)
            )
        self.whole_turned.setChecked(self.given.inverted)
        self._show_part()

    def _show_part(self) -> None:
        part = self.given.parts[self.index] if self.index >= 0 else None
        for widget in (self.how, self.turned, self.less):
            widget.setEnabled(part is not None)
        self.how.setVisible(self.index > 0)
        if part is not None:
            self.how.setCurrentIndex(self.how.findData(part.how.value))
            self.turned.setChecked(part.inverted)
        painted = part is not None and isinstance(part.shape, Brush | Rough)
        for name, row in self.brush.items():
            row.setVisible(self.paint.isChecked() or (painted and name == "size"))
        wanted = [(False, p, part.shape) for p in settings_of(part.shape)] if part is not None else []
        wanted += [(True, p, self.given) for p in settings_of(self.given)]
        keys = [(whole, p.id) for whole, p, _ in wanted]
        parameters = [p for _, p, _ in wanted]
        if keys != list(self.rows) or parameters != [row.parameter for row in self.rows.values()]:
            self._build(keys, parameters)
        for key, (_, parameter, shape) in zip(keys, wanted, strict=True):
            value = setting(shape, parameter.id)
            self.rows[key].show_value(value, parameter.default, value == parameter.default)

    def _build(self, keys: list[tuple[bool, str]], parameters: list[Parameter]) -> None:
        for row in self.rows.values():
            row.hide()
            self._settings.removeWidget(row)
            row.deleteLater()
        self.rows = {key: NumberRow(p) for key, p in zip(keys, parameters, strict=True)}
        for (whole, _), row in self.rows.items():
            row.changed.connect(lambda name, value, whole=whole: self._change_setting(whole, name, value))
            self._settings.addWidget(row)

    def _change_setting(self, whole: bool, name: str, value: object) -> None:
        number = None if value is None else float(str(value))
        if whole:
            self._emit(with_setting(self.given, name, number), f"{name} of the mask")
        elif self.index >= 0:
            part = self.given.parts[self.index]
            words = f"{name} of {label_of(part.shape).lower()}"
            self._change_part(words, shape=with_setting(part.shape, name, number))

    def _change_part(self, words: str = "part of the mask", **changes: object) -> None:
        part = self.given.parts[self.index]
        self._emit(with_changed(self.given, self.index, replace(part, **changes)), words)  # type: ignore[arg-type]

    def _toggle_paint(self, on: bool) -> None:
        self._show_part()
        self.paint_wanted.emit(on)

    def _emit(self, mask: Composite, words: str) -> None:
        self.changed.emit(mask, words)
