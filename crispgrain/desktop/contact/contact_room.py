"""The contact sheet with what belongs to it: a narrow column, or wide over the whole easel area."""

from __future__ import annotations

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from crispgrain.desktop.base.background import Background
from crispgrain.session.session import Session

from .contact_sheet import WIDTH, ContactSheet
from .result_thumbnails import ResultThumbnails
from .roll_bar import RollBar

SETTLED = 400  # ms after which shots that have changed are sorted anew
LARGE = 168  # px, width of a wide sheet's thumbnails at first


class ContactRoom(QWidget):
    """Opens and folds back the sheet."""

    widened = Signal(bool)

    def __init__(self, session: Session, background: Background, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.wide = False
        self.sheet = ContactSheet(session)
        self.bar = RollBar(session, LARGE)
        self.results = ResultThumbnails(session, self.sheet, background)
        self.bar.results_wanted.connect(self.results.show)
        self.button = QToolButton()
        self.button.setText("Whole roll")
        self.button.setToolTip("Open the contact sheet to the whole easel area, and fold it back (W).")
        self.button.clicked.connect(lambda: self.set_wide(not self.wide))
        self.together = QToolButton()
        self.together.setText("Together")
        self.together.setCheckable(True)
        self.together.setToolTip("Treat together: every change goes to all selected shots at once.")
        self.together.toggled.connect(session.treat_together)
        for button in (self.button, self.together):
            button.setSizePolicy(QSizePolicy.Policy.MinimumExpanding, QSizePolicy.Policy.Fixed)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self._head = head = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        head.setContentsMargins(10, 6, 10, 6)
        head.setSpacing(8)
        head.addWidget(self.bar, 1)
        head.addWidget(self.together)
        head.addWidget(self.button)
        layout.addLayout(head)
        layout.addWidget(self.sheet, 1)
        self._settling = QTimer(self)
        self._settling.setSingleShot(True)
        self._settling.setInterval(SETTLED)
        self._settling.timeout.connect(session.roll.refresh)
        session.roll.changed.connect(self._changed)
        for signal in (session.roll.arranged, session.roll.opened, session.selection_changed):
            signal.connect(self._show_count, check_nargs=False)
        self.bar.sized.connect(self.sheet.set_thumbnail)
        self.sheet.opened.connect(lambda: self.set_wide(False))
        self.set_wide(False)

    def set_wide(self, wide: bool) -> None:
        self.wide = wide
        self.bar.setVisible(wide)
        direction = QBoxLayout.Direction.LeftToRight if wide else QBoxLayout.Direction.TopToBottom
        self._head.setDirection(direction)
        self.setMinimumWidth(WIDTH)
        self.setMaximumWidth(16_000_000 if wide else WIDTH)
        self.sheet.set_wide(wide, self.bar.size_of.value())
        self._show_count()
        if wide:
            self.sheet.setFocus()  # so that letters mark instead of being looked for
        self.widened.emit(wide)

    def _show_count(self, *_: object) -> None:
        """What the button does; folded back, it tells of shots that are not listed."""
        self.together.setVisible(len(self._session.selection) > 1 or self._session.together)
        listed, every = len(self._session.roll.listed), len(self._session.roll)
        rest = f"Whole roll ({listed} of {every})" if listed < every else "Whole roll"
        self.button.setText("To the easel" if self.wide else rest)

    def _changed(self, id: int) -> None:
        self._settling.start()
