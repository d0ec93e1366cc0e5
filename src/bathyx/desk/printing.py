"""Papers on a printer or a roll: which, a preview, every page at its own size; and a bar of 100 mm to measure first."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMarginsF, QPointF, QRect, QRectF, QSizeF, Qt
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPen
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrinter, QPrintPreviewDialog
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from bathyx.desk.views.fields import button, words
from bathyx.errors import Refusal

MM_PER_PT, MOST_DPI, BAR_MM = 25.4 / 72, 300, 100.0
ROOM = QMarginsF(0, 0, 0, 0)


class WhichPaper(QDialog):
    """The papers of a job to choose from, or the bar."""

    def __init__(self, papers: list[Path], over: QWidget) -> None:
        super().__init__(over)
        self.papers = papers
        self.setWindowTitle("Print")
        self.setObjectName("which paper")
        column = QVBoxLayout(self)
        column.addWidget(words("Which paper?", "head"))
        self.list = QListWidget()
        self.list.setObjectName("papers to print")
        self.list.setAccessibleName("Papers of this job")
        self.list.addItems([path.stem.replace("-", " ") for path in papers])
        self.list.setCurrentRow(0)
        self.list.itemActivated.connect(lambda _item: self.accept())
        column.addWidget(self.list)
        column.addWidget(
            words("Templates and dipsticks are at full size: print the bar first, and hold a rule to it.", "quiet")
        )
        self.bar = False
        row = QHBoxLayout()
        row.addWidget(button("Print the bar of 100 mm", "print bar", self._bar))
        row.addStretch(1)
        row.addWidget(button("Leave it", "leave print", self.reject))
        row.addWidget(button("Preview", "preview print", self.accept, "main"))
        column.addLayout(row)
        self.resize(460, 420)

    def _bar(self) -> None:
        self.bar = True
        self.accept()

    @property
    def chosen(self) -> Path | None:
        """The paper that was chosen; None for the bar."""
        return None if self.bar or self.list.currentRow() < 0 else self.papers[self.list.currentRow()]


def preview(over: QWidget, paper: Path | None) -> None:
    """The preview, from which it is printed.

    Args:
        over: widget that asks.
        paper: a PDF; None for the bar.
    """
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setFullPage(True)
    document = opened(paper) if paper is not None else None
    if document is not None:
        lay_page(printer, document.pagePointSize(0))
    dialog = QPrintPreviewDialog(printer, over)
    dialog.setObjectName("print preview")
    dialog.paintRequested.connect(lambda to: draw(document, to) if document is not None else draw_bar(to))
    dialog.exec()


def opened(paper: Path) -> QPdfDocument:
    """A PDF to print. Refusal where it cannot be read."""
    document = QPdfDocument(None)
    if document.load(str(paper)) is not QPdfDocument.Error.None_:
        raise Refusal(f"{paper.name} cannot be read for printing")
    return document


def lay_page(printer: QPrinter, points: QSizeF) -> None:
    """The printer's page as large as a page of the paper: nothing is scaled."""
    wide, high = points.width() * MM_PER_PT, points.height() * MM_PER_PT
    upright = QSizeF(min(wide, high), max(wide, high))
    size = QPageSize(upright, QPageSize.Unit.Millimeter, "", QPageSize.SizeMatchPolicy.FuzzyMatch)
    way = QPageLayout.Orientation.Landscape if wide > high else QPageLayout.Orientation.Portrait
    printer.setPageLayout(QPageLayout(size, way, ROOM))


def draw(document: QPdfDocument, printer: QPrinter) -> None:
    """Every page at its own size, from the page's corner."""
    dpi = min(printer.resolution(), MOST_DPI)
    painter = QPainter()
    for page in range(document.pageCount()):
        points = document.pagePointSize(page)
        lay_page(printer, points)
        if page and not printer.newPage():
            break
        if not page and not painter.begin(printer):
            raise Refusal("the printer takes nothing; look at it, or choose another")
        pixels = (points * dpi / 72).toSize()
        whole = QRectF(0, 0, points.width() * printer.resolution() / 72, points.height() * printer.resolution() / 72)
        painter.drawImage(whole, document.render(page, pixels))
    painter.end()


def draw_bar(printer: QPrinter) -> None:
    """A bar of 100 mm across and one up, to hold a rule to."""
    painter = QPainter()
    if not painter.begin(printer):
        raise Refusal("the printer takes nothing; look at it, or choose another")
    mm = printer.resolution() / 25.4
    painter.setPen(QPen(Qt.GlobalColor.black, 0.3 * mm))
    corner = QPointF(40 * mm, 40 * mm)
    for way in (QPointF(1, 0), QPointF(0, 1)):
        across = QPointF(way.y(), way.x())
        painter.drawLine(corner, corner + way * BAR_MM * mm)
        for k in range(11):
            long = 8.0 if k % 5 == 0 else 4.0
            at = corner + way * (k * BAR_MM / 10 * mm)
            painter.drawLine(at, at - across * long * mm)
    font = painter.font()
    font.setPointSizeF(11)
    painter.setFont(font)
    said = (
        f"Hold a steel rule to both bars: {BAR_MM:g} mm each way. Shorter or longer, and the printer scales: "
        "choose actual size, 100 %, in its own dialog, and print this again."
    )
    room = QRect(round(46 * mm), round(50 * mm), round(120 * mm), round(60 * mm))
    painter.drawText(room, int(Qt.TextFlag.TextWordWrap), said)
    painter.end()
