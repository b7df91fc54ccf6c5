"""What of a treatment goes to other shots, how, and what that will change, said beforehand."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QDialog, QGridLayout, QLabel, QVBoxLayout, QWidget

from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.dialogs import dialog_buttons
from crispgrain.session.sync import Part, name_of

METERED, FIXED = "metered for each shot", "the same numbers"


class SyncDialog(QDialog):
    """Operations to tick, each metered or fixed. ``preview`` says in words what so many parts would change."""

    def __init__(
        self, treatment: Treatment, name: str, count: int, preview: Callable[[list[Part]], str],
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._preview = preview
        self.setWindowTitle("Sync")
        self.setMinimumWidth(460)
        title = QLabel(f"Put parts of the treatment of {name} on {count} other shot{'s' if count > 1 else ''}.")
        title.setWordWrap(True)
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setColumnStretch(0, 1)
        self.boxes: dict[str, QCheckBox] = {}
        self.ways: dict[str, QComboBox] = {}
        operations = [o for stage in Stage for o in (treatment[stage], *treatment.beside(stage))]
        for row, operation in enumerate(operations):
            box, way = QCheckBox(name_of(operation)), QComboBox()
            # White balance and exposure belong to one shot, and so does what was drawn on it; the rest carries over.
            box.setChecked(operation.everywhere and operation.stage is not Stage.DEVELOP)
            way.addItems([METERED, FIXED])
            way.setAccessibleName(f"{box.text()}: how")
            grid.addWidget(box, row, 0)
            grid.addWidget(way, row, 1)
            self.boxes[operation.id], self.ways[operation.id] = box, way
            box.toggled.connect(self._update)
            box.toggled.connect(way.setEnabled)
            way.setEnabled(box.isChecked())
            way.currentIndexChanged.connect(self._update)
        self.drawn = QCheckBox("What was drawn or found on this shot, too (movement, path)")
        self.drawn.setVisible(treatment.has_per_shot)
        self.drawn.toggled.connect(self._update)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setMinimumHeight(3 * self.words.fontMetrics().lineSpacing())
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.words.setProperty("role", "faint")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(12)
        layout.addWidget(title)
        layout.addLayout(grid)
        layout.addWidget(self.drawn)
        layout.addWidget(self.words)
        buttons = dialog_buttons(self, "Sync")
        layout.addWidget(buttons)
        self._accept = next(b for b in buttons.buttons() if b.text() == "Sync")
        self._update()

    @property
    def parts(self) -> list[Part]:
        """What is ticked."""
        return [
            Part(id, self.ways[id].currentText() == FIXED, self.drawn.isChecked())
            for id, box in self.boxes.items() if box.isChecked()
        ]  # fmt: skip

    def _update(self) -> None:
        self.words.setText(self._preview(self.parts))
        self._accept.setEnabled(bool(self.parts))
