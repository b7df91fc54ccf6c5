"""What a sheet is to hold: prints at true size, or small pictures with their names."""

from __future__ import annotations

from enum import Enum

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QLabel,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.sheet.make import Stock
from crispgrain.core.stages.print.paper import NONE, PAPERS
from crispgrain.core.treatment import Treatment


class Target(Enum):
    """Where pages go."""

    PDF = "PDF …"
    PRINTER = "Printer …"


class SheetDialog(QDialog):
    """Asks for the print, the pages and what is around; ``target`` is set when it is accepted."""

    def __init__(self, count: int, paper: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sheet of prints")
        self.target = Target.PDF
        self.kind, self.paper, self.sheet = QComboBox(), QComboBox(), QComboBox()
        self.kind.addItems(["Prints at true size", "Contact sheet"])
        for id, known in PAPERS.items():
            self.paper.addItem(known.name, id)
            self.sheet.addItem(known.name, id)
        self.paper.setCurrentIndex(max(0, self.paper.findData(paper if paper != NONE else "10x15cm")))
        self.sheet.setCurrentIndex(self.sheet.findData("a4"))
        self.bleed, self.columns, self.rows = QDoubleSpinBox(), QSpinBox(), QSpinBox()
        self.bleed.setRange(0, 20)
        self.bleed.setDecimals(1)
        self.bleed.setSuffix(" mm")
        self.marks = QCheckBox("Lines that say where to cut")
        self.marks.setChecked(True)
        for number, value in ((self.columns, 4), (self.rows, 6)):
            number.setRange(1, 20)
            number.setValue(value)
        for spin in (self.bleed, self.columns, self.rows):
            spin.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self._form = QFormLayout()
        self._form.setHorizontalSpacing(14)
        rows: tuple[tuple[str, QWidget], ...] = (
            ("Kind", self.kind), ("Each print", self.paper), ("Bleed", self.bleed), ("", self.marks),
            ("Columns", self.columns), ("Rows", self.rows), ("On sheets of", self.sheet),
        )  # fmt: skip
        for words, field in rows:
            self._form.addRow(words, field)
        said = QLabel(f"{count} shot{'s' if count != 1 else ''}, as they are treated.")
        said.setProperty("role", "faint")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        for target in Target:
            button = buttons.addButton(target.value, QDialogButtonBox.ButtonRole.AcceptRole)
            button.clicked.connect(lambda _=False, target=target: setattr(self, "target", target))
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(14)
        layout.addLayout(self._form)
        layout.addWidget(said)
        layout.addWidget(buttons)
        self.kind.currentIndexChanged.connect(self._update)
        self._update()

    @property
    def contact(self) -> bool:
        return self.kind.currentIndex() == 1

    @property
    def stock(self) -> Stock:
        paper = PAPERS[str(self.sheet.currentData())]
        return Stock(paper.width, paper.height)

    def of(self, treatment: Treatment) -> Treatment:
        """A shot's treatment for the print that is chosen."""
        return treatment.set("print.paper", str(self.paper.currentData())).set("print.bleed", self.bleed.value())

    def _update(self) -> None:
        for field in (self.paper, self.bleed, self.marks):
            self._form.setRowVisible(field, not self.contact)
        for number in (self.columns, self.rows):
            self._form.setRowVisible(number, self.contact)
