"""Hairlines between the parts of the window."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame


def rule(vertical: bool = False) -> QFrame:
    line = QFrame()
    line.setFrameShape(QFrame.Shape.VLine if vertical else QFrame.Shape.HLine)
    line.setFrameShadow(QFrame.Shadow.Plain)
    line.setStyleSheet("color: palette(mid);")
    return line
