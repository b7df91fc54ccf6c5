"""What dialogs share."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QDialogButtonBox


def dialog_buttons(dialog: QDialog, accept: str) -> QDialogButtonBox:
    """A button that accepts, with a word of its own, and one that leaves all as it is."""
    box = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
    box.addButton(accept, QDialogButtonBox.ButtonRole.AcceptRole)
    box.accepted.connect(dialog.accept)
    box.rejected.connect(dialog.reject)
    return box
