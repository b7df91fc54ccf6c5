"""The rules: in order, which new shots get which preset; with what they would mean on the open roll."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from crispgrain.desktop.base.dialogs import dialog_buttons
from crispgrain.session.rules import Rule, first_match
from crispgrain.session.shots import OpenShot

COLUMNS = ("Preset", "Camera has", "From ISO", "Up to ISO", "Kind", "Below MP")
KINDS = {"": "any", "raw": "RAW", "picture": "finished"}
HIGHEST_ISO = 4_000_000


class RulesDialog(QDialog):
    """Edits rules as rows of a table; an empty field asks for nothing."""

    def __init__(
        self, rules: Sequence[Rule], applied: bool, presets: Sequence[str], shots: Sequence[OpenShot],
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._presets, self._shots = list(presets), shots
        self.setWindowTitle("Rules for new shots")
        self.setMinimumSize(820, 380)
        title = QLabel(
            "Each new shot gets the preset of the first rule that fits. What is left empty is not asked for."
        )
        title.setWordWrap(True)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels(list(COLUMNS))
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.table.verticalHeader().setDefaultSectionSize(34)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        for column, width in enumerate((0, 0, 96, 96, 110, 96)):
            self.table.setColumnWidth(column, width)
        for column in (0, 1):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.add = self._button("Add a rule", lambda: self._put([*self.rules, Rule(self._presets[0])]))
        self.remove = self._button("Remove", self._remove)
        self.up = self._button("Earlier", lambda: self._move(-1))
        self.down = self._button("Later", lambda: self._move(1))
        row = QHBoxLayout()
        for button in (self.add, self.remove, self.up, self.down):
            row.addWidget(button)
        row.addStretch(1)
        self.applied = QCheckBox("Apply the rules to shots that come onto the roll without a treatment")
        self.applied.setChecked(applied)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setProperty("role", "faint")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(10)
        layout.addWidget(title)
        layout.addWidget(self.table, 1)
        layout.addLayout(row)
        layout.addWidget(self.applied)
        layout.addWidget(self.words)
        layout.addWidget(dialog_buttons(self, "Save"))
        self.table.itemSelectionChanged.connect(self._update)
        self._put(list(rules))

    def _button(self, words: str, does: object) -> QPushButton:
        button = QPushButton(words)
        button.setAutoDefault(False)
        button.clicked.connect(does)
        return button

    @property
    def rules(self) -> list[Rule]:
        """What the table says."""
        return [self._rule(row) for row in range(self.table.rowCount())]

    def _rule(self, row: int) -> Rule:
        preset, camera, low, high, kind, size = (self.table.cellWidget(row, column) for column in range(len(COLUMNS)))
        assert isinstance(preset, QComboBox) and isinstance(kind, QComboBox) and isinstance(camera, QLineEdit)
        assert isinstance(low, QSpinBox) and isinstance(high, QSpinBox) and isinstance(size, QDoubleSpinBox)
        return Rule(
            preset.currentText(), camera.text().strip(), low.value() or None, high.value() or None,
            str(kind.currentData()), size.value() or None,
        )  # fmt: skip

    def _put(self, rules: list[Rule], selected: int = -1) -> None:
        self.table.blockSignals(True)  # rows are half made
        self.table.setRowCount(0)
        for row, rule in enumerate(rules):
            self.table.insertRow(row)
            for column, widget in enumerate(self._fields(rule)):
                self.table.setCellWidget(row, column, widget)
        if rules:
            self.table.selectRow(selected if selected >= 0 else len(rules) - 1)
        self.table.blockSignals(False)
        self._update()

    def _fields(self, rule: Rule) -> list[QWidget]:
        preset, camera, kind = QComboBox(), QLineEdit(rule.camera), QComboBox()
        preset.addItems([*self._presets, *([rule.preset] if rule.preset not in self._presets else [])])
        preset.setCurrentText(rule.preset)
        camera.setPlaceholderText("any camera")
        for value, words in KINDS.items():
            kind.addItem(words, value)
        kind.setCurrentIndex(kind.findData(rule.kind))
        low, high, size = QSpinBox(), QSpinBox(), QDoubleSpinBox()
        for field, iso in ((low, rule.iso_from), (high, rule.iso_to)):
            field.setRange(0, HIGHEST_ISO)
            field.setValue(iso or 0)
        size.setRange(0, 1000)
        size.setDecimals(1)
        size.setValue(rule.below_megapixels or 0)
        for number in (low, high, size):
            number.setSpecialValueText("any")
            number.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            number.valueChanged.connect(self._update)
        for combo in (preset, kind):
            combo.currentIndexChanged.connect(self._update)
        camera.textChanged.connect(self._update)
        return [preset, camera, low, high, kind, size]

    def _remove(self) -> None:
        row = self.table.currentRow()
        if row >= 0:
            rules = self.rules
            del rules[row]
            self._put(rules, min(row, len(rules) - 1))

    def _move(self, by: int) -> None:
        rules, row = self.rules, self.table.currentRow()
        if 0 <= row + by < len(rules):
            rules[row], rules[row + by] = rules[row + by], rules[row]
            self._put(rules, row + by)

    def _update(self) -> None:
        row, count = self.table.currentRow(), self.table.rowCount()
        self.remove.setEnabled(row >= 0)
        self.up.setEnabled(row > 0)
        self.down.setEnabled(0 <= row < count - 1)
        rules = self.rules
        found = Counter(
            rule.preset if rule is not None else ""
            for shot in self._shots if shot.reading is not None
            for rule in [first_match(rules, shot.path, shot.facts, shot.megapixels)]
        )  # fmt: skip
        said = [f"“{preset}” to {number}" for preset, number in found.items() if preset]
        none = f"; none fits {found['']}" if found[""] else ""
        self.words.setText(
            f"On the open roll they would give {', '.join(said) or 'no preset to any shot'}{none}." if found else ""
        )
