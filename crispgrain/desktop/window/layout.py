"""Where the parts of the window lie."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from crispgrain.desktop.base.rule import rule

if TYPE_CHECKING:
    from .window import Window


def laid_out(window: Window) -> QWidget:
    """Rail on top, control sheet, easel with the strip below it, contact sheet, bottom line."""
    bench = QWidget()
    column = _without_margins(QVBoxLayout(bench))
    column.addWidget(window.easel, 1)
    column.addWidget(window.strip)
    window.middle.addWidget(window.empty)
    window.middle.addWidget(bench)
    window.middle.addWidget(window.line_up_view)
    window.middle.addWidget(window.export_flow.queue.view)
    body = QHBoxLayout()
    body.setSpacing(0)
    body.addWidget(window.controls)
    body.addWidget(rule(vertical=True))
    body.addWidget(window.middle, 1)
    between = rule(vertical=True)
    window.contact.widened.connect(lambda wide: between.setVisible(not wide))
    body.addWidget(between)
    body.addWidget(window.contact, 1)
    whole = QWidget()
    layout = _without_margins(QVBoxLayout(whole))
    layout.addWidget(window.rail)
    layout.addWidget(rule())
    layout.addLayout(body, 1)
    layout.addWidget(rule())
    layout.addWidget(window.status)
    return whole


def _without_margins(layout: QVBoxLayout) -> QVBoxLayout:
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    return layout
