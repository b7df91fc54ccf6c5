"""Print view and histogram."""

import numpy as np
import pytest
from PySide6.QtCore import QSettings, QTimer
from PySide6.QtGui import QColor, QImage
from PySide6.QtWidgets import QApplication

from crispgrain.desktop.easel.print_view import PrintViewDialog, Ruler, print_scale
from crispgrain.desktop.sheet.histogram import BINS, lost_words, luma_counts
from crispgrain.session.comparing import Arrangement
from tests.desktop.driving import PATIENCE, settle

pytestmark = pytest.mark.slow


def test_a_print_is_as_large_on_the_screen_as_on_paper():
    # 3000 pixels at 300 ppi are 10 inches: 1100 screen pixels at 110 per inch.
    assert print_scale(110, 300, 60, 60) * 3000 == pytest.approx(1100)
    # From twice as far it looks half as large.
    assert print_scale(110, 300, 60, 120) == pytest.approx(print_scale(110, 300, 60, 60) / 2)


def test_eight_centimetres_on_the_ruler(qtbot, tmp_path):
    ruler = Ruler(127)
    qtbot.addWidget(ruler)
    assert ruler.length == 400  # 8 cm at 50 pixels per cm
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    dialog = PrintViewDialog(settings, "20 × 30 cm")
    qtbot.addWidget(dialog)
    dialog.ppi.setValue(254)
    assert dialog.ruler.length == 800
    dialog.at_print.setValue(200)
    dialog._remember()
    again = PrintViewDialog(settings, "20 × 30 cm")
    qtbot.addWidget(again)
    assert (again.ppi.value(), again.at_print.value()) == (254, 200)


def test_print_view_through_the_menu(opened, qtbot):
    def accept():
        dialog = next(w for w in QApplication.topLevelWidgets() if isinstance(w, PrintViewDialog) and w.isVisible())
        dialog.ppi.setValue(150)
        dialog._remember()

    QTimer.singleShot(200, accept)
    opened.looking.ask_print_view()
    assert opened.easel.scale == pytest.approx(150 / 300)
    assert opened.session.comparing.arrangement is Arrangement.RESULT
    settle(opened, qtbot)


def test_tones_are_counted_where_there_is_a_picture():
    image = QImage(40, 20, QImage.Format.Format_RGBA8888)
    image.fill(QColor(0, 0, 0, 0))
    for x in range(20):
        for y in range(20):
            image.setPixelColor(x, y, QColor(200, 200, 200) if x < 16 else QColor(10, 10, 10))
    shares = luma_counts(image)
    assert shares[200 * BINS // 256] == pytest.approx(0.8)
    assert shares[10 * BINS // 256] == pytest.approx(0.2)
    assert shares.sum() == pytest.approx(1)


def test_clipped_channels_are_told_by_name():
    image = QImage(40, 20, QImage.Format.Format_RGBA8888)
    image.fill(QColor(255, 120, 90))
    for x in range(10):
        for y in range(20):
            image.setPixelColor(x, y, QColor(0, 0, 0) if x < 8 else QColor(0, 0, 0, 0))
    assert lost_words(image) == "Clipped in view: red 78.9 %, black 21.1 %"  # of 30 and 8 columns
    image.fill(QColor(254, 120, 90))
    assert lost_words(image) == ""


def test_the_histogram_follows_the_view(opened, qtbot):
    histogram, tones = opened.controls.histogram, np.arange(BINS)
    qtbot.waitUntil(lambda: histogram.result.sum() > 0.99, timeout=PATIENCE)
    before = (histogram.result * tones).sum()
    opened.change_setting("develop.exposure", 1.0)
    settle(opened, qtbot)
    qtbot.waitUntil(lambda: (histogram.result * tones).sum() > before + 3, timeout=PATIENCE)
