"""Above the wide contact sheet: find, sort, choose by mark, fold series, size of the thumbnails."""

from __future__ import annotations

from attrs import evolve
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QLineEdit, QSlider, QWidget

from crispgrain.core.marks import Mark
from crispgrain.session.listing import Order
from crispgrain.session.session import Session

SIZES = (96, 320)  # px, width of a thumbnail
MARKED: tuple[tuple[str, frozenset[Mark] | None], ...] = (
    ("all marks", None), ("keep", frozenset({Mark.KEEP})), ("look again", frozenset({Mark.LOOK_AGAIN})),
    ("reject", frozenset({Mark.REJECT})), ("not rejected", frozenset({Mark.NONE, Mark.KEEP, Mark.LOOK_AGAIN})),
    ("not marked", frozenset({Mark.NONE})),
)  # fmt: skip


class RollBar(QWidget):
    """Changes what the roll lists. Says how many of its shots that are."""

    sized = Signal(int)  # px, width of a thumbnail
    results_wanted = Signal(bool)  # in place of sources

    def __init__(self, session: Session, size: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        session.roll.arranged.connect(self.show_listing)
        self.text = QLineEdit()
        self.text.setPlaceholderText("Find …")
        self.text.setClearButtonEnabled(True)
        self.text.setMinimumWidth(90)
        self.text.setMaximumWidth(220)
        self.text.setToolTip("Any words of a shot's name, camera, lens, ISO, state and reading.")
        self.order = QComboBox()
        for order in Order:
            self.order.addItem("As opened" if order is Order.OPENED else f"By {order}", order)
        self.order.setAccessibleName("Sorted by")
        self.descending = QCheckBox("Reversed")
        self.marks = QComboBox()
        for words, marks in MARKED:
            self.marks.addItem(words[:1].upper() + words[1:], marks)
        self.marks.setAccessibleName("Marks")
        self.folded = QCheckBox("Fold")
        self.folded.setToolTip("Fold series: of shots taken shortly after one another at one ISO, show the first.")
        self.results = QCheckBox("Results")
        self.results.setToolTip("Show what the treatments make of the shots, in place of the sources.")
        self.results.toggled.connect(self.results_wanted)
        self.count = QLabel()
        self.count.setProperty("role", "faint")
        self.size_of = QSlider(Qt.Orientation.Horizontal)
        self.size_of.setRange(*SIZES)
        self.size_of.setValue(size)
        self.size_of.setFixedWidth(74)
        self.size_of.setAccessibleName("Size of the thumbnails")
        self.size_of.setToolTip("Size of the thumbnails")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(9)
        for widget in (self.text, self.order, self.descending, self.marks, self.folded, self.results):
            layout.addWidget(widget)
        layout.addStretch()
        layout.addWidget(self.count)
        layout.addWidget(self.size_of)
        self.text.textChanged.connect(self._arrange)
        self.order.activated.connect(self._arrange)
        self.marks.activated.connect(self._arrange)
        self.descending.toggled.connect(self._arrange)
        self.folded.toggled.connect(self._arrange)
        self.size_of.valueChanged.connect(self.sized)
        for signal in (session.roll.arranged, session.roll.opened, session.selection_changed):
            signal.connect(self.show_count, check_nargs=False)
        self.show_count()

    def set_stacked(self, on: bool) -> None:
        """List RAW alone where the same shot is there as a finished picture, too."""
        roll = self._session.roll
        roll.arrange(evolve(roll.listing, stacked=on))

    def show_listing(self) -> None:
        """Show what the roll lists, when that was said elsewhere."""
        listing = self._session.roll.listing
        for widget in (self.text, self.descending, self.folded):
            widget.blockSignals(True)
        self.text.setText(listing.text)
        self.order.setCurrentIndex(list(Order).index(listing.order))
        self.descending.setChecked(listing.descending)
        self.folded.setChecked(listing.folded)
        self.marks.setCurrentIndex(next((i for i, (_, marks) in enumerate(MARKED) if marks == listing.marks), 0))
        for widget in (self.text, self.descending, self.folded):
            widget.blockSignals(False)

    def _arrange(self) -> None:
        roll = self._session.roll
        roll.arrange(
            evolve(
                roll.listing, order=Order(self.order.currentData()), descending=self.descending.isChecked(),
                text=self.text.text(), marks=self.marks.currentData(), folded=self.folded.isChecked(),
            )
        )  # fmt: skip

    def show_count(self, *_: object) -> None:
        listed, every, selected = len(self._session.roll.listed), len(self._session.roll), len(self._session.selection)
        shown = f"{every} shots" if listed == every else f"{listed} of {every} shots"
        self.count.setText(f"{shown}, {selected} selected" if selected > 1 else shown)
