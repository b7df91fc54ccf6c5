"""Entries of menus."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu

Keys = str | QKeySequence.StandardKey | None


def add_action(menu: QMenu, words: str, job: Callable[[], object], keys: Keys = None) -> QAction:
    """A menu entry that calls ``job``."""
    action = QAction(words, menu)
    if keys is not None:
        action.setShortcut(QKeySequence(keys))
    action.triggered.connect(lambda _=False: job())
    menu.addAction(action)
    return action


def add_switch(menu: QMenu, words: str, job: Callable[[bool], object], keys: Keys = None) -> QAction:
    """A menu entry that is on or off; ``job`` is told which."""
    action = QAction(words, menu)
    action.setCheckable(True)
    if keys is not None:
        action.setShortcut(QKeySequence(keys))
    action.toggled.connect(job)
    menu.addAction(action)
    return action
