"""What an export asks: format, bit depth, profile, resolution, folder and name."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
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
    QVBoxLayout,
    QWidget,
)

from crispgrain.core.colour import icc
from crispgrain.core.errors import TreatmentError
from crispgrain.core.files.write import OutputFormat, OutputSettings
from crispgrain.core.model import Stage, Value, Values
from crispgrain.core.render import naming
from crispgrain.core.render.on_paper import sheet_size
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.whole import result_name
from crispgrain.core.stages.effort import EFFORT
from crispgrain.core.stages.print.file import LIKE_SOURCE
from crispgrain.core.stages.print.output import output_settings
from crispgrain.core.stages.print.paper import NONE, paper_words
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.dialogs import dialog_buttons
from crispgrain.lab.before import expected_bytes, to_be_handed
from crispgrain.lab.counter import reasons
from crispgrain.lab.spec import load_spec
from crispgrain.session.export_sets import ExportSet


class ExportDialog(QDialog):
    """Format, bit depth, profile, resolution, folder and name of the file(s) to write."""

    def __init__(
        self, pipeline: Pipeline, count: int, folder: Path, parent: QWidget | None = None,
        settings: Values | None = None, sets: Sequence[ExportSet] = (),
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._pipeline, self._count = pipeline, count
        self.setWindowTitle("Export" if count == 1 else f"Export {count} shots")
        self.setMinimumWidth(470)
        values = settings or pipeline.resolved[Stage.PRINT].values
        self._print = {**values, "icc": ""}  # whether a profile of one's own will do is said when it is used
        own = output_settings(self._print, pipeline.source)
        self.format = QComboBox()
        for f in OutputFormat:
            self.format.addItem(f.label, f)
        self.format.addItem("Like each source", LIKE_SOURCE)
        self.format.setCurrentIndex(self.format.findData(values["format"]))
        self.bits = QComboBox()
        for bits in (8, 16):
            self.bits.addItem(f"{bits} bits per channel", bits)
        self.bits.setCurrentIndex(self.bits.findData(own.bits))
        self.profile = QComboBox()
        for id, name in icc.PROFILES.items():
            self.profile.addItem(name, id)
        self.profile.setCurrentIndex(self.profile.findData(own.profile))
        self.ppi = QDoubleSpinBox()
        self.ppi.setRange(36, 1200)
        self.ppi.setDecimals(0)
        self.ppi.setSuffix(" ppi")
        self.ppi.setValue(own.ppi)
        self.ppi.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.quality = QSpinBox()
        self.quality.setRange(30, 100)
        self.quality.setValue(own.quality)
        self.quality.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.best = QCheckBox("Best effort: networks take four times as long")
        self.sums = QCheckBox("Checksums of all results, as a file beside them")
        self.sums.setToolTip("SHA256SUMS, as sha256sum --check reads it, so that who gets the files can check them.")
        self.folder = QLineEdit(str(folder))
        browse = QPushButton("Choose …")
        browse.clicked.connect(self._browse)
        folder_row = QHBoxLayout()
        folder_row.addWidget(self.folder, 1)
        folder_row.addWidget(browse)
        self.name = QLineEdit()
        self.sets = [QCheckBox(one.name) for one in sets]
        self._sets = tuple(sets)
        several = QHBoxLayout()
        for tick, one in zip(self.sets, sets, strict=True):
            tick.setToolTip("\n".join(f"{name} = {value}" for name, value in one.settings.items()))
            tick.toggled.connect(self._update)
            several.addWidget(tick)
        several.addStretch()
        self.lab = QLabel()
        self.lab.setWordWrap(True)
        self.extent = QLabel()
        self.extent.setProperty("role", "faint")
        form = QFormLayout()
        form.setLabelAlignment(Qt.AlignmentFlag.AlignRight)
        form.setHorizontalSpacing(14)
        if sets:
            form.addRow("Export sets", several)
        for words, field in (
            ("Format", self.format), ("Bit depth", self.bits), ("Quality", self.quality),
            ("Profile", self.profile), ("Resolution", self.ppi), ("", self.best), ("Folder", folder_row),
            ("", self.sums), ("Name" if count == 1 else "Names", self.name),
        ):  # fmt: skip
            form.addRow(words, field)
        self._form = form
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(14)
        layout.addLayout(form)
        layout.addWidget(self.extent)
        layout.addWidget(self.lab)
        self._buttons = dialog_buttons(self, "Export")
        layout.addWidget(self._buttons)
        self.name.textEdited.connect(lambda _: self._tell())
        self.format.currentIndexChanged.connect(self._update)
        self.ppi.valueChanged.connect(self._update)
        if count > 1:
            self.name.setText(naming.TEMPLATE)
            self.name.setToolTip("\n".join(f"{{{field}}}: {words}" for field, words in naming.FIELDS.items()))
        self._update()
        form.setRowVisible(self.best, any(EFFORT.id in s.values for s in pipeline.resolved.stages.values() if s.on))

    def _update(self) -> None:
        settings = self._settings
        like, kind = self.format.currentData() == LIKE_SOURCE, settings.format
        own = not self.chosen_sets  # else they say all of this
        self._form.setRowVisible(self.format, own)
        self._form.setRowVisible(self.name, own)
        self._form.setRowVisible(self.bits, own and not like and not (kind.only_8_bits or kind.only_16_bits))
        self._form.setRowVisible(self.quality, own and (kind.has_quality or (like and self._count > 1)))
        self._form.setRowVisible(self.profile, own and not like and kind.has_profiles)
        self._form.setRowVisible(self.ppi, own and not like)
        if self._count == 1:
            written = self.name.text() or result_name(self._pipeline)
            stem = written.rpartition(".")[0] if "." in written else written
            self.name.setText(stem + settings.format.suffix)
        self._tell()

    def _tell(self) -> None:
        """Say how large the result will be, and how several are named; nothing is exported under an impossible name."""
        settings = self._settings
        size, ppi = self._pipeline.size, settings.ppi
        self._ask_lab(settings)
        pixels = f"{size.width} × {size.height} px"
        paper = f"{size.width / ppi * 2.54:.1f} × {size.height / ppi * 2.54:.1f} cm on paper"
        if self._print["paper"] != NONE:
            pixels, paper = f"A print of {paper_words(self._print)}", f"{ppi:.0f} ppi"
        if sets := self.chosen_sets:
            files, folders = len(sets) * self._count, ", ".join(one.folder for one in sets if one.folder)
            self.extent.setText(
                f"{files} file{'s' if files > 1 else ''}, in {folders or 'this folder'}. Originals are never written "
                "to; a name already taken gets a number."
            )
            return
        trouble, first = "", ""
        if self._count > 1:
            source = self._pipeline.source
            try:
                stem = naming.named(self.name.text(), source.path, self._pipeline.resolved, source.facts, size)
                first = f"First name: {stem}{settings.format.suffix}. "
            except TreatmentError as error:
                trouble = f"{str(error)[0].upper()}{str(error)[1:]}."
        for button in self._buttons.buttons():
            if self._buttons.buttonRole(button) is QDialogButtonBox.ButtonRole.AcceptRole:
                button.setEnabled(not trouble)
        safe = "Originals are never written to; a name already taken gets a number."
        about = "" if settings.format is OutputFormat.TIFF and settings.compression == "none" else "about "
        weight = f"{about}{expected_bytes(sheet_size(self._pipeline), settings) / 1e6:.1f} MB"
        self.extent.setText(trouble or f"{first}{pixels}, {paper}, {weight}. {safe}")
        self.extent.setWordWrap(True)

    def _ask_lab(self, settings: OutputSettings) -> None:
        """Say what the lab would say to this one; nothing of several, which may differ, nor without a print."""
        asked = self._count == 1 and not self.chosen_sets and self._print["paper"] != NONE
        self.lab.setVisible(asked)
        if asked:
            spec = load_spec()
            wrong = reasons(to_be_handed(sheet_size(self._pipeline), settings), spec)
            self.lab.setText(f"{spec.name} takes it." if not wrong else f"{spec.name}: {'; '.join(wrong)}.")

    def _browse(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder for results", self.folder.text())
        if chosen:
            self.folder.setText(chosen)

    def with_effort(self, treatment: Treatment) -> Treatment:
        """The treatment with the networks' effort as chosen for this export."""
        if self.best.isChecked():
            for stage in (s for s, r in self._pipeline.resolved.stages.items() if EFFORT.id in r.values):
                treatment = treatment.set(f"{stage}.{EFFORT.id}", EFFORT.choices[-1])
        return treatment

    def with_print(self, treatment: Treatment) -> Treatment:
        """The treatment with its Print stage as chosen here."""
        for name, value in self.values.items():
            treatment = treatment.set(f"print.{name}", value)
        return treatment

    @property
    def _settings(self) -> OutputSettings:
        return output_settings({**self._print, **self.values}, self._pipeline.source)

    @property
    def values(self) -> dict[str, Value]:
        """The settings of Print as they are chosen here."""
        return {
            "format": str(self.format.currentData()), "bits": str(self.bits.currentData()),
            "profile": str(self.profile.currentData()), "ppi": self.ppi.value(), "quality": self.quality.value(),
        }  # fmt: skip

    @property
    def chosen_sets(self) -> list[ExportSet]:
        """The export sets that are ticked; without one, the settings below are used."""
        return [one for one, tick in zip(self._sets, self.sets, strict=True) if tick.isChecked()]

    @property
    def chosen_folder(self) -> Path:
        return Path(self.folder.text()).expanduser()

    @property
    def chosen_name(self) -> str:
        """The template of the names; for a single shot it is just its name."""
        if self._count == 1:
            return naming.literal(Path(self.name.text()).name)
        return self.name.text()
