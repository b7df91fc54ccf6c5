"""What the program is, and its keys."""

from __future__ import annotations

from PySide6.QtWidgets import QMessageBox, QWidget

from crispgrain import __version__

WORDS = (
    f"<h3>Crisp Grain {__version__}</h3><p>Free software under the GPL, version 3 or later.</p>"
    "<p><b>Keys.</b> Hold S: see the source. 0, 1, 2, 4: whole picture, 100, 200, 400 %. "
    "D, B, R: divider, both side by side, result only (with Shift: across, stacked). "
    "W: whole roll and back. U: line-up. K, A, N: keep, look again, reject. "
    "C: compare the chosen stage with the one before. L: loupe. P: size of the print. G: next surround. "
    "T: test strip. Ctrl+D: dim room. Wheel: zoom at the pointer. Drag: pan. Double click: 100 % and back.</p>"
)


def show_about(parent: QWidget) -> None:
    QMessageBox.about(parent, "Crisp Grain", WORDS)
