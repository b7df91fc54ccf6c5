"""The row of the control sheet that says which of a stage's operations is shown: everywhere, a zone, or the crop."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QToolButton, QWidget

from crispgrain.core.files import Source
from crispgrain.core.model import Role, Stage
from crispgrain.core.registry import models_of
from crispgrain.core.treatment import Treatment

BESIDE = (Role.RETOUCH, Role.SHAPE, Role.CUT)  # what a stage has one of beside its method


class ZoneRow(QWidget):
    """A list of operations, everywhere first, with buttons to add and to remove one."""

    chosen = Signal(str)  # id of an operation
    add_wanted = Signal()
    remove_wanted = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.list = QComboBox()
        self.list.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.list.setMinimumContentsLength(5)
        self.list.setAccessibleName("Part of the picture")
        self.list.setToolTip("Which part of the picture the settings below are for.")
        self.add = QToolButton()
        self.add.setText("Add zone")
        self.add.setToolTip(
            "Treat a part of the picture by itself: draw from where it is whole to where it ends. Other ways to make a "
            "zone are in the menu beside."
        )
        self.add.setPopupMode(QToolButton.ToolButtonPopupMode.MenuButtonPopup)
        self.remove = QPushButton("Remove")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.add)
        layout.addWidget(self.remove)
        layout.addStretch()
        self.list.activated.connect(lambda row: self.chosen.emit(self.list.itemData(row)))
        self.add.clicked.connect(self.add_wanted)
        self.remove.clicked.connect(lambda: self.remove_wanted.emit(self.list.currentData()))

    def show_operations(self, stage: Stage, treatment: Treatment, current: str, source: Source) -> None:
        """Show what a stage has; the row is there for stages that may have more than one."""
        own = stage is Stage.ENLARGE  # whose mask says where it is calm
        zoned = own or bool(models_of(stage, Role.ZONE))
        ids = [stage.value, *(o.id for o in treatment.beside(stage))]
        single = [m for role in BESIDE for m in models_of(stage, role) if not m.may_be(Role.ZONE)]
        ids += [m.id for m in single if m.id not in ids and m.fits(source)]
        self.list.clear()
        for id in ids:
            self.list.addItem(operation_name(id), id)
        self.list.setCurrentIndex(max(0, self.list.findData(current)))
        self.list.setVisible(len(ids) > 1)
        found = treatment.find(current)
        masked_itself = own or current in {m.id for m in models_of(stage, Role.CUT)}
        unmasked = masked_itself and (found is None or found.mask is None)
        self.remove.setVisible((own or current != stage) and found is not None and not unmasked)
        self.add.setText("Add mask" if unmasked else "Add zone")
        self.add.setVisible(zoned and not self.remove.isVisibleTo(self))
        self.setVisible(zoned)


def operation_name(id: str) -> str:
    """What an operation is called in the interface."""
    return "Everywhere" if id in list(Stage) else id.replace("-", " ").capitalize()
