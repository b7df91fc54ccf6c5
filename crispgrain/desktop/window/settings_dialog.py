"""Settings of the program itself: what of the machine it uses, and where it keeps its files."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.networks import providers, runtime
from crispgrain.desktop.base import monitor
from crispgrain.desktop.base.monitor import MONITOR
from crispgrain.desktop.base.preferences import CACHE, SIDECARS, THREADS
from crispgrain.paths import DATA, PRESETS, data_folder, presets_folder
from crispgrain.session.session import Session
from crispgrain.threads import cores, limit_workers, worker_count

PROVIDER = "networks/provider"  # name of a setting
GIGABYTE = 1_000_000_000


class SettingsDialog(QDialog):
    """Everything takes effect at once, but for folders of the program's own, which need a new start."""

    def __init__(self, session: Session, settings: QSettings, actions: list[QAction], parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._settings = session, settings
        self.setWindowTitle("Settings")
        self.setMinimumSize(560, 420)
        tabs = QTabWidget()
        tabs.addTab(self._machine(), "Machine")
        tabs.addTab(self._folders(), "Folders")
        tabs.addTab(_keys(actions), "Keys")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.accept)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(12)
        layout.addWidget(tabs, 1)
        layout.addWidget(buttons)

    def _machine(self) -> QWidget:
        page = QWidget()
        form = _form(page)
        self.threads, self.cache, self.provider = QSpinBox(), QDoubleSpinBox(), QComboBox()
        self.threads.setRange(1, cores())
        self.threads.setValue(worker_count())
        self.cache.setRange(0.2, 64)
        self.cache.setSingleStep(0.2)
        self.cache.setDecimals(1)
        self.cache.setSuffix(" GB")
        for number in (self.threads, self.cache):
            number.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.cache.setValue(self._session.cache.budget / GIGABYTE)
        for provider in providers.present():
            self.provider.addItem(providers.words(provider), provider)
        self.provider.setCurrentIndex(self.provider.findData(runtime.provider()))
        form.addRow("Threads", self.threads)
        form.addRow("Tiles kept in memory", self.cache)
        form.addRow("Networks run on", self.provider)
        self.monitor, choose = QLineEdit(str(self._settings.value(MONITOR, "") or "")), QPushButton("Choose …")
        self.monitor.setPlaceholderText("as the system says")
        self.monitor_words = _faint(monitor.current().words)
        choose.setAutoDefault(False)
        row = QHBoxLayout()
        row.setSpacing(12)
        row.addWidget(self.monitor, 1)
        row.addWidget(choose)
        form.addRow("Monitor's profile", row)
        form.addRow("", self.monitor_words)
        self.monitor.editingFinished.connect(self._set_monitor)
        choose.clicked.connect(self._choose_monitor)
        form.addRow("", _faint("How many shots are written at once, and in how much memory, is chosen in the queue."))
        self.threads.valueChanged.connect(self._set_threads)
        self.cache.valueChanged.connect(self._set_cache)
        self.provider.activated.connect(self._set_provider)
        return page

    def _folders(self) -> QWidget:
        page = QWidget()
        form = _form(page)
        self.folders: dict[str, QLineEdit] = {}
        for key, words, now, empty in (
            (SIDECARS, "Treatments", str(self._settings.value(SIDECARS, "") or ""), "beside each shot"),
            (PRESETS, "Presets", str(presets_folder()), ""),
            (DATA, "Readings, thumbnails, orders", str(data_folder()), ""),
        ):
            field, choose = QLineEdit(now), QPushButton("Choose …")
            field.setPlaceholderText(empty)
            field.editingFinished.connect(lambda key=key: self._set_folder(key))
            choose.clicked.connect(lambda _=False, key=key: self._choose(key))
            row = QHBoxLayout()
            row.addWidget(field, 1)
            row.addWidget(choose)
            form.addRow(words, row)
            self.folders[key] = field
        self.said = _faint("The last folder is used from the next start on; what it holds can be made again.")
        form.addRow("", self.said)
        return page

    def _set_threads(self, count: int) -> None:
        limit_workers(count)
        self._settings.setValue(THREADS, count)

    def _set_cache(self, gigabytes: float) -> None:
        self._session.cache.budget = int(gigabytes * GIGABYTE)
        self._settings.setValue(CACHE, gigabytes)

    def _set_provider(self) -> None:
        trouble = runtime.use_provider(str(self.provider.currentData()))
        self.provider.setCurrentIndex(self.provider.findData(runtime.provider()))
        self.provider.setToolTip(trouble)
        self._settings.setValue(PROVIDER, runtime.provider())
        self._session.cache.clear()

    def _choose_monitor(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(
            self, "Profile of the monitor", self.monitor.text(), "ICC profiles (*.icc *.icm)"
        )
        if chosen:
            self.monitor.setText(chosen)
            self._set_monitor()

    def _set_monitor(self) -> None:
        self._settings.setValue(MONITOR, self.monitor.text().strip())
        self._settings.sync()
        self.monitor_words.setText(f"{monitor.find(self._settings).words} Used from the next start on.")

    def _choose(self, key: str) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder", self.folders[key].text())
        if chosen:
            self.folders[key].setText(chosen)
            self._set_folder(key)

    def _set_folder(self, key: str) -> None:
        text = self.folders[key].text().strip()
        if text and not Path(text).expanduser().is_dir():
            self.said.setText(f"There is no folder {text}.")
            return
        self._settings.setValue(key, text)
        self._settings.sync()
        if key == SIDECARS:
            self._session.roll.sidecars = Path(text).expanduser() if text else None
        self.said.setText("Kept.")


def _form(page: QWidget) -> QFormLayout:
    form = QFormLayout(page)
    form.setContentsMargins(16, 16, 16, 16)
    form.setLabelAlignment(Qt.AlignmentFlag.AlignRight)
    form.setHorizontalSpacing(14)
    return form


def _faint(words: str) -> QLabel:
    label = QLabel(words)
    label.setWordWrap(True)
    label.setProperty("role", "faint")
    return label


def _keys(actions: list[QAction]) -> QTableWidget:
    """What has a key, in a table."""
    named = [(a.text().replace("&", ""), a.shortcut().toString()) for a in actions if not a.shortcut().isEmpty()]
    named.append(("See the source, while held", "S"))
    table = QTableWidget(len(named), 2)
    table.setHorizontalHeaderLabels(["Command", "Key"])
    table.verticalHeader().hide()
    table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
    table.horizontalHeader().setStretchLastSection(True)
    for row, words in enumerate(named):
        for column, text in enumerate(words):
            table.setItem(row, column, QTableWidgetItem(text))
    table.setColumnWidth(0, 330)
    return table
