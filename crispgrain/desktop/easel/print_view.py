"""Print view: the picture on this screen as large as it will be on paper."""

from __future__ import annotations

from PySide6.QtCore import QSettings, QSize
from PySide6.QtGui import QColor, QGuiApplication, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QDoubleSpinBox, QFormLayout, QLabel, QVBoxLayout, QWidget

from crispgrain.desktop.base.theme import current_theme

CM_PER_INCH = 2.54
SCREEN_PPI, AT_SCREEN, AT_PRINT = "print-view/screen-ppi", "print-view/screen-cm", "print-view/print-cm"  # settings
USUAL_CM = 60.0  # from the eye to a screen on a desk
RULER_CM = 8


def print_scale(screen_ppi: float, print_ppi: float, screen_cm: float, print_cm: float) -> float:
    """Screen pixels per pixel of the result, for a print to look as large as it will.

    ``screen_cm`` and ``print_cm`` are the distances it is looked at from: if
    they are equal it is as large in centimetres, else under the same angle.
    """
    return screen_ppi / print_ppi * screen_cm / print_cm


def system_ppi() -> float:
    """What the system says of the screen, or a usual value if it says nonsense."""
    screen = QGuiApplication.primaryScreen()
    ppi = screen.physicalDotsPerInch() if screen is not None else 0.0
    return ppi if 50 <= ppi <= 400 else 96.0


class Ruler(QWidget):
    """Eight centimetres to hold a real ruler against."""

    def __init__(self, ppi: float) -> None:
        super().__init__()
        self.ppi = ppi
        self.setAccessibleName("Ruler")

    @property
    def length(self) -> int:
        """Of the whole ruler, in screen pixels."""
        return round(RULER_CM / CM_PER_INCH * self.ppi)

    def set_ppi(self, ppi: float) -> None:
        self.ppi = ppi
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(self.length + 24, 46)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(QPen(QColor(current_theme().ink), 1))
        painter.drawLine(8, 8, 8 + self.length, 8)
        for millimetre in range(10 * RULER_CM + 1):
            x = 8 + round(millimetre * self.length / (10 * RULER_CM))
            painter.drawLine(x, 8, x, 22 if millimetre % 10 == 0 else 17 if millimetre % 5 == 0 else 13)
            if millimetre % 10 == 0:
                painter.drawText(x - 3, 38, f"{millimetre // 10}")


class PrintViewDialog(QDialog):
    """Asks for the screen's resolution and the distances, which are remembered."""

    def __init__(self, settings: QSettings, print_words: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Print view")
        self._settings = settings
        self.ppi = self._field(SCREEN_PPI, system_ppi(), 50, 400, " ppi", 1)
        self.at_screen = self._field(AT_SCREEN, USUAL_CM, 20, 300, " cm", 0)
        self.at_print = self._field(AT_PRINT, USUAL_CM, 20, 1000, " cm", 0)
        self.ruler = Ruler(self.ppi.value())
        self.ppi.valueChanged.connect(self.ruler.set_ppi)
        form = QFormLayout()
        form.addRow("This screen has", self.ppi)
        form.addRow("The screen is looked at from", self.at_screen)
        form.addRow("The print will be looked at from", self.at_print)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        show = buttons.addButton("Show", QDialogButtonBox.ButtonRole.AcceptRole)
        show.setDefault(True)
        buttons.accepted.connect(self._remember)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.setSpacing(12)
        layout.addWidget(QLabel(f"The print is {print_words}. Set it in the stages Enlarge and Print."))
        layout.addLayout(form)
        layout.addWidget(QLabel("Hold a ruler here and change the resolution until both agree:"))
        layout.addWidget(self.ruler)
        layout.addWidget(buttons)

    def _field(self, name: str, usual: float, low: float, high: float, unit: str, decimals: int) -> QDoubleSpinBox:
        field = QDoubleSpinBox()
        field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        field.setRange(low, high)
        field.setDecimals(decimals)
        field.setSuffix(unit)
        field.setValue(float(self._settings.value(name, usual)))  # type: ignore[arg-type]
        return field

    def _remember(self) -> None:
        for name, field in ((SCREEN_PPI, self.ppi), (AT_SCREEN, self.at_screen), (AT_PRINT, self.at_print)):
            self._settings.setValue(name, field.value())
        self.accept()

    def scale(self, print_ppi: float) -> float:
        """The easel's scale that was asked for (see :func:`print_scale`)."""
        return print_scale(self.ppi.value(), print_ppi, self.at_screen.value(), self.at_print.value())
