"""Papers on a printer that writes a PDF: every page at its own size, and a bar that is 100 mm long."""

import pytest
from pypdf import PdfReader
from PyQt6.QtCore import QTimer
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrinter
from PyQt6.QtWidgets import QApplication, QListWidget

from bathyx.desk.printing import WhichPaper, draw, draw_bar, lay_page, opened
from bathyx.errors import Refusal


def printer_to(path):
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(path))
    printer.setFullPage(True)
    return printer


def test_every_page_keeps_its_size(window, qtbot, tmp_path):
    (tmp_path / "papers").mkdir()
    papers = window.hands.papers_now(tmp_path / "papers")
    names = [path.name for path in papers]
    assert {"cut-list.pdf", "blanks.pdf", "traveller.pdf", "templates.pdf"} <= set(names)
    for name in ("traveller.pdf", "dipstick.pdf"):
        paper = next(path for path in papers if path.name == name)
        document = opened(paper)
        printer = printer_to(tmp_path / f"out-{name}")
        lay_page(printer, document.pagePointSize(0))
        draw(document, printer)
        before, after = PdfReader(paper).pages, PdfReader(tmp_path / f"out-{name}").pages
        assert len(before) == len(after)
        for one, other in zip(before, after, strict=True):
            assert float(other.mediabox.width) == pytest.approx(float(one.mediabox.width), abs=1.5)
            assert float(other.mediabox.height) == pytest.approx(float(one.mediabox.height), abs=1.5)


def test_the_bar_is_as_long_as_it_says(tmp_path, qtbot):
    printer = printer_to(tmp_path / "bar.pdf")
    draw_bar(printer)
    del printer
    document = QPdfDocument(None)
    assert document.load(str(tmp_path / "bar.pdf")) is QPdfDocument.Error.None_
    dpi = 254  # ten dots a millimetre
    picture = document.render(0, (document.pagePointSize(0) * dpi / 72).toSize())

    def inked(x, y):
        colour = picture.pixelColor(x, y)
        return colour.alpha() > 128 and colour.lightness() < 120

    row = next(y for y in range(350, 450) if sum(inked(x, y) for x in range(400, 1400)) > 950)
    across = [x for x in range(395, 1500) if inked(x, row)]
    assert (across[0], across[-1]) == (pytest.approx(400, abs=6), pytest.approx(1400, abs=6))
    column = next(x for x in range(390, 412) if inked(x, row + 500))
    up = [y for y in range(row, 1700) if inked(column, y)]
    assert up[-1] - up[0] == pytest.approx(1000, abs=6)


def test_which_paper_is_asked_and_what_is_no_paper_is_refused(window, qtbot, tmp_path, monkeypatch):
    seen = []
    monkeypatch.setattr("bathyx.desk.printing.preview", lambda _over, paper: seen.append(paper and paper.name))

    def act():
        dialog = QApplication.activeModalWidget()
        listed = dialog.findChild(QListWidget, "papers to print")
        rows = [listed.item(k).text() for k in range(listed.count())]
        listed.setCurrentRow(rows.index("cut list"))
        dialog.accept()

    QTimer.singleShot(0, act)
    window.hands.print_paper()
    assert seen == ["cut-list.pdf"]
    which = WhichPaper([tmp_path / "a.pdf"], window)
    which._bar()
    assert which.chosen is None
    (tmp_path / "a.pdf").write_text("no pdf")
    with pytest.raises(Refusal, match=r"a\.pdf cannot be read"):
        opened(tmp_path / "a.pdf")
