"""Which stages, for sync or for a preset."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.model import Stage
from crispgrain.desktop.base.dialogs import dialog_buttons


class StagesDialog(QDialog):
    """Choose stages, for sync or for a preset."""

    def __init__(
        self, title: str, words: str, accept: str, ask_name: bool, has_per_shot: bool, parent: QWidget | None = None
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(340)
        label = QLabel(words)
        label.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(8)
        layout.addWidget(label)
        self.name = QLineEdit()
        self.name.setPlaceholderText("Name of the preset")
        if ask_name:
            layout.addWidget(self.name)
        self.boxes: dict[Stage, QCheckBox] = {}
        for stage in Stage:
            box = QCheckBox(stage.label)
            # White balance and exposure belong to one shot; the rest carries over well.
            box.setChecked(stage is not Stage.DEVELOP)
            layout.addWidget(box)
            self.boxes[stage] = box
        self.per_shot = QCheckBox("What was drawn or found on this shot, too (movement, path)")
        self.per_shot.setVisible(has_per_shot)
        layout.addWidget(self.per_shot)
        layout.addSpacing(6)
        buttons = dialog_buttons(self, accept)
        layout.addWidget(buttons)
        self._accept = next(b for b in buttons.buttons() if b.text() == accept)
        self._ask_name = ask_name
        self.name.textChanged.connect(self._check)
        for box in self.boxes.values():
            box.toggled.connect(self._check)
        self._check()

    def _check(self) -> None:
        self._accept.setEnabled(bool(self.stages) and (not self._ask_name or bool(self.name.text().strip())))

    @property
    def stages(self) -> list[Stage]:
        return [stage for stage, box in self.boxes.items() if box.isChecked()]
