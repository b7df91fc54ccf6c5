"""What the easel shows while no shot is open: what to do."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget


class EmptyState(QWidget):
    """An invitation, and three ways to take it."""

    files_wanted = Signal()
    folder_wanted = Signal()
    demo_wanted = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        title = QLabel("Drop photographs or a folder here")
        title.setProperty("role", "title")
        words = QLabel(
            "Camera RAW, DNG, JPEG, TIFF, PNG, WebP and HEIC can be mixed.\n"
            "The meter proposes settings for every shot; originals are never written to."
        )
        words.setProperty("role", "faint")
        words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        row = QHBoxLayout()
        row.addStretch()
        for text, signal in (
            ("Open files …", self.files_wanted), ("Open folder …", self.folder_wanted),
            ("Open the demo roll", self.demo_wanted),
        ):  # fmt: skip
            button = QPushButton(text)
            button.clicked.connect(signal)
            row.addWidget(button)
        row.addStretch()
        layout = QVBoxLayout(self)
        layout.setSpacing(14)
        layout.addStretch()
        layout.addWidget(title, alignment=Qt.AlignmentFlag.AlignCenter)
        layout.addWidget(words)
        layout.addLayout(row)
        layout.addStretch()
