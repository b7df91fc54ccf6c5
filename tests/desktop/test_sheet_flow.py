"""Sheets of prints from the window: into a PDF, and onto a printer that writes a PDF, both read back by PDFium."""

import threading

import numpy as np
import pikepdf
import pypdfium2
import pytest
from PySide6.QtPrintSupport import QPrinter

from crispgrain.core.sheet.pdf import write_pdf
from crispgrain.desktop.export.printing import paint_pages, set_paper
from crispgrain.desktop.export.sheet_dialog import SheetDialog
from tests.desktop.driving import PATIENCE, settle

pytestmark = pytest.mark.slow
MM = 72 / 25.4  # points


def page(path, number=0):
    """Ten pixels a millimetre."""
    return np.array(pypdfium2.PdfDocument(path)[number].render(scale=254 / 72).to_pil().convert("RGB")).astype(int)


@pytest.fixture
def dialog(opened, qtbot):
    for name, value in (("denoise.on", False), ("sharpen.on", False), ("enlarge.model", "lanczos")):
        opened.change_setting(name, value)
    settle(opened, qtbot)
    asked = SheetDialog(1, "10x15cm", opened)
    qtbot.addWidget(asked)
    asked.bleed.setValue(2)
    return asked


@pytest.fixture
def slow_writer(monkeypatch):
    """Two events: set once a sheet is being written, and to let it be written."""
    writing, let_go = threading.Event(), threading.Event()

    def written(*given):
        writing.set()
        let_go.wait(PATIENCE / 1000)
        return write_pdf(*given)

    monkeypatch.setattr("crispgrain.core.sheet.pdf.write_pdf", written)
    return writing, let_go


def picture_at(seen):
    """Left, top, width and height in mm of what is not white, lines left aside."""
    dark = (seen.min(axis=-1) < 245).astype(int)
    rows = np.nonzero(dark.sum(axis=1) > 200)[0]
    columns = np.nonzero(dark.sum(axis=0) > 200)[0]
    return [v / 10 for v in (columns[0], rows[0], np.ptp(columns) + 1, np.ptp(rows) + 1)]


def test_a_sheet_goes_into_a_pdf_at_true_size(opened, dialog, qtbot, tmp_path):
    dialog.show()
    assert dialog.paper.isVisible() and not dialog.columns.isVisible()
    opened.export_flow.sheet.make(dialog, tmp_path / "sheet.pdf")
    qtbot.waitUntil(lambda: "Written: sheet.pdf" in opened.status.words.text(), timeout=PATIENCE)
    document = pypdfium2.PdfDocument(tmp_path / "sheet.pdf")
    assert document[0].get_size() == pytest.approx((210 * MM, 297 * MM), abs=0.02)  # ISO 216, A4
    left, top, width, height = picture_at(page(tmp_path / "sheet.pdf"))
    assert sorted((width, height)) == pytest.approx([104, 154], abs=0.4)
    assert (left, top) == pytest.approx((8, 8), abs=0.3)


def test_the_window_does_not_wait_for_a_sheet_to_be_written(opened, dialog, qtbot, tmp_path, monkeypatch):
    writers = []

    def written(*given):
        writers.append(threading.current_thread())
        return write_pdf(*given)

    monkeypatch.setattr("crispgrain.core.sheet.pdf.write_pdf", written)
    opened.export_flow.sheet.make(dialog, tmp_path / "sheet.pdf")
    qtbot.waitUntil(lambda: "Written: sheet.pdf" in opened.status.words.text(), timeout=PATIENCE)
    assert len(writers) == 1 and writers[0] is not threading.main_thread()


def test_a_sheet_is_stopped_and_nothing_is_written(opened, dialog, qtbot, tmp_path):
    opened.change_setting("enlarge.on", True)
    opened.change_setting("enlarge.factor", 4.0)
    opened.change_setting("enlarge.model", "detail-net")
    opened.export_flow.sheet.make(dialog, tmp_path / "sheet.pdf")
    opened.export_flow.sheet.stop()
    assert "Stopping" in opened.status.words.text()
    opened.export_flow.sheet.stop()  # once more does nothing
    qtbot.waitUntil(lambda: opened.export_flow.sheet._background is None, timeout=PATIENCE)
    assert opened.status.words.text() == "No sheet: stopped."
    assert not list(tmp_path.glob("*.pdf"))


def test_another_sheet_may_be_asked_for_while_one_is_being_stopped(opened, dialog, qtbot, tmp_path, slow_writer):
    writing, let_go = slow_writer
    opened.export_flow.sheet.make(dialog, tmp_path / "first.pdf")
    qtbot.waitUntil(writing.is_set, timeout=PATIENCE)
    opened.export_flow.sheet.stop()
    opened.export_flow.sheet.make(dialog, tmp_path / "second.pdf")
    let_go.set()
    qtbot.waitUntil(lambda: "Written: second.pdf" in opened.status.words.text(), timeout=PATIENCE)
    assert [p.name for p in tmp_path.glob("*.pdf")] == ["second.pdf"]


def test_a_stop_ends_the_sheet_under_way_and_the_one_that_waits(opened, dialog, qtbot, tmp_path, slow_writer):
    writing, let_go = slow_writer
    opened.export_flow.sheet.make(dialog, tmp_path / "first.pdf")
    qtbot.waitUntil(writing.is_set, timeout=PATIENCE)
    opened.export_flow.sheet.make(dialog, tmp_path / "second.pdf")
    opened.export_flow.sheet.stop()
    let_go.set()
    qtbot.waitUntil(lambda: opened.export_flow.sheet._background is None, timeout=PATIENCE)
    assert not list(tmp_path.glob("*.pdf"))
    assert opened.status.words.text() == "No sheet: stopped."


def test_who_stops_a_sheet_while_it_is_written_gets_no_file(opened, dialog, qtbot, tmp_path, monkeypatch):
    writing, stopped = threading.Event(), threading.Event()
    save = pikepdf.Pdf.save

    def saved(*given):
        save(*given)
        writing.set()
        stopped.wait(PATIENCE / 1000)

    monkeypatch.setattr(pikepdf.Pdf, "save", saved)
    opened.export_flow.sheet.make(dialog, tmp_path / "sheet.pdf")
    qtbot.waitUntil(writing.is_set, timeout=PATIENCE)
    opened.export_flow.sheet.stop()
    stopped.set()
    qtbot.waitUntil(lambda: opened.export_flow.sheet._background is None, timeout=PATIENCE)
    assert not list(tmp_path.glob("*.pdf"))
    assert opened.status.words.text() == "No sheet: stopped."


def test_a_window_that_is_closed_makes_no_sheet_any_more(opened, dialog, qtbot, tmp_path):
    opened.change_setting("enlarge.on", True)
    opened.change_setting("enlarge.factor", 4.0)
    opened.change_setting("enlarge.model", "detail-net")
    opened.export_flow.sheet.make(dialog, tmp_path / "sheet.pdf")
    (worker,) = opened.export_flow.sheet._background._threads
    opened.close()
    assert not worker.is_alive()
    assert not list(tmp_path.glob("*.pdf"))


@pytest.fixture
def printer(tmp_path):
    """One that prints into a PDF."""
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "printed.pdf"))
    set_paper(printer, 210, 297)
    return printer


def test_the_window_does_not_wait_for_a_printer(opened, dialog, printer, qtbot, monkeypatch):
    painters = []

    def painted(*given):
        painters.append(threading.current_thread())
        paint_pages(*given)

    monkeypatch.setattr("crispgrain.desktop.export.sheet_flow.paint_pages", painted)
    opened.export_flow.sheet.make(dialog, printer)
    qtbot.waitUntil(lambda: "Sent to the printer: 1 page" in opened.status.words.text(), timeout=PATIENCE)
    assert len(painters) == 1 and painters[0] is not threading.main_thread()


def test_a_printer_gets_nothing_of_a_sheet_that_is_stopped(opened, dialog, printer, qtbot, tmp_path, monkeypatch):
    ready, stopped = threading.Event(), threading.Event()

    def painted(*given):
        ready.set()
        stopped.wait(PATIENCE / 1000)
        paint_pages(*given)

    monkeypatch.setattr("crispgrain.desktop.export.sheet_flow.paint_pages", painted)
    opened.export_flow.sheet.make(dialog, printer)
    qtbot.waitUntil(ready.is_set, timeout=PATIENCE)
    opened.export_flow.sheet.stop()
    stopped.set()
    qtbot.waitUntil(lambda: opened.status.words.text() == "No sheet: stopped.", timeout=PATIENCE)
    assert not (tmp_path / "printed.pdf").exists()


def test_a_sheet_that_is_sent_in_spite_of_a_stop_is_said_to_be(opened, dialog, printer, qtbot, tmp_path, monkeypatch):
    begun, stopped = threading.Event(), threading.Event()

    def painted(*given):
        paint_pages(*given)
        begun.set()
        stopped.wait(PATIENCE / 1000)

    monkeypatch.setattr("crispgrain.desktop.export.sheet_flow.paint_pages", painted)
    opened.export_flow.sheet.make(dialog, printer)
    qtbot.waitUntil(begun.is_set, timeout=PATIENCE)
    opened.export_flow.sheet.stop()
    stopped.set()
    qtbot.waitUntil(lambda: opened.export_flow.sheet._background is None, timeout=PATIENCE)
    assert opened.status.words.text() == "Sent to the printer: 1 page"
    assert (tmp_path / "printed.pdf").exists()


def test_a_printer_that_takes_no_page_is_told_of(opened, dialog, printer, qtbot, tmp_path):
    printer.setOutputFileName(str(tmp_path / "none" / "printed.pdf"))
    opened.export_flow.sheet.make(dialog, printer)
    qtbot.waitUntil(lambda: "No sheet: the printer does not" in opened.status.words.text(), timeout=PATIENCE)


def test_a_printer_gets_the_same_page(opened, dialog, printer, qtbot, tmp_path):
    opened.export_flow.sheet.make(dialog, printer)
    qtbot.waitUntil(lambda: "Sent to the printer: 1 page" in opened.status.words.text(), timeout=PATIENCE)
    opened.export_flow.sheet.make(dialog, tmp_path / "sheet.pdf")
    qtbot.waitUntil(lambda: "Written" in opened.status.words.text(), timeout=PATIENCE)
    printed, written = page(tmp_path / "printed.pdf"), page(tmp_path / "sheet.pdf")
    assert picture_at(printed) == pytest.approx(picture_at(written), abs=0.5)
    inside = np.s_[200:1000, 200:900]
    assert np.abs(printed[inside] - written[inside]).mean() < 4


def test_a_contact_sheet_and_a_print_that_does_not_fit(opened, dialog, qtbot, tmp_path, monkeypatch):
    dialog.show()
    dialog.kind.setCurrentIndex(1)
    assert dialog.columns.isVisible() and not dialog.paper.isVisible()
    opened.export_flow.sheet.make(dialog, tmp_path / "contact.pdf")
    qtbot.waitUntil(lambda: "Written: contact.pdf" in opened.status.words.text(), timeout=PATIENCE)
    text = pypdfium2.PdfDocument(tmp_path / "contact.pdf")[0].get_textpage().get_text_range()
    assert opened.session.shot.path.name in text
    dialog.kind.setCurrentIndex(0)
    dialog.paper.setCurrentIndex(dialog.paper.findData("60x90cm"))
    opened.change_setting("print.ppi", 36.0)
    monkeypatch.setattr("crispgrain.desktop.export.sheet_flow.print_of", lambda *given: pytest.fail("rendered"))
    opened.export_flow.sheet.make(dialog, tmp_path / "large.pdf")
    qtbot.waitUntil(lambda: "No sheet: picture 1 is" in opened.status.words.text(), timeout=PATIENCE)
    assert not (tmp_path / "large.pdf").exists()
