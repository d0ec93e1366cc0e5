"""A paper: A4 pages with Bathyx's head and foot, headings, tables and pictures, flowing from top to bottom."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from reportlab.lib.pagesizes import A4
from reportlab.pdfgen.canvas import Canvas

from bathyx.draft.picture import Picture
from bathyx.papers.lettering import BOLD, NUMBERED, REGULAR, draw, spelled, split, use_fonts
from bathyx.papers.pdf_picture import colour, paint

MARGIN = 40.0


class Paper:
    """One PDF being written. `finish()` puts it on disk, whole or not at all. `foot` stands under every page."""

    def __init__(self, path: Path, title: str, under: str, foot: str = "") -> None:
        use_fonts()
        self.path, self.title, self.under, self.foot = path, title, under, foot
        self._part = path.with_name(path.name + ".part")
        self.canvas = Canvas(str(self._part), pagesize=A4, pageCompression=1)
        self.canvas.setTitle(f"{title}: {under}")
        self.canvas.setAuthor("Bathyx")
        self.width, self.height = A4
        self.page = 0
        self._numbered = spelled(under) != under
        self._start_page()

    def _start_page(self) -> None:
        self.page += 1
        c = self.canvas
        c.setFillColor(colour("ink"))
        draw(c, MARGIN, self.height - 46, self.title, BOLD, 15)
        c.setFillColor(colour("quiet"))
        y = self.height - 48
        for line in split(self.under, REGULAR, 9, self.width - 2 * MARGIN):
            y -= 12
            draw(c, MARGIN, y, line, REGULAR, 9)
        draw(c, self.width - MARGIN, self.height - 46, f"page {self.page}", REGULAR, 9, "r")
        c.setStrokeColor(colour("accent"))
        c.setLineWidth(2)
        c.line(MARGIN, y - 7, self.width - MARGIN, y - 7)
        draw(c, MARGIN, 24, "Made with Bathyx. Local codes and licensed practice come first.", REGULAR, 7)
        if self.foot:
            draw(c, self.width - MARGIN, 24, self.foot, REGULAR, 7, "r")
        self.y = y - 24

    def room(self, height: float) -> None:
        """Begin a new page unless `height` points are left."""
        if self.y - height < 40:
            self.canvas.showPage()
            self._start_page()

    def heading(self, words: str, keep: float = 0.0) -> None:
        """A section heading, on a page that has `keep` points more for what belongs under it."""
        self.room(40 + keep)
        self.y -= 10
        self.canvas.setFillColor(colour("accent"))
        draw(self.canvas, MARGIN, self.y, words, BOLD, 11)
        self.y -= 16

    def words(self, text: str, size: float = 9, ink: str = "ink", bold: bool = False) -> None:
        """A paragraph over the full width.

        Args:
            text: the paragraph.
            size: points.
            ink: name of its colour.
            bold: or plain.
        """
        font = BOLD if bold else REGULAR
        self._numbered |= spelled(text) != text
        for part in split(text, font, size, self.width - 2 * MARGIN):
            self.room(size + 4)
            self.canvas.setFillColor(colour(ink))
            draw(self.canvas, MARGIN, self.y, part, font, size)
            self.y -= size + 4

    def table(
        self, heads: Sequence[str], rows: Sequence[Sequence[str]], shares: Sequence[float], size: float = 8.5
    ) -> None:
        """A table; `shares` are column widths as parts of the page, words wrap in their cell.

        Args:
            heads: of the columns.
            rows: of cells, each as long as `heads`.
            shares: column widths as parts of the page.
            size: points.
        """
        whole = self.width - 2 * MARGIN
        widths = [share / sum(shares) * whole for share in shares]

        def line(cells: Sequence[str], font: str, ink: str) -> None:
            self._numbered |= any(spelled(str(cell)) != str(cell) for cell in cells)
            parts = [split(str(cell), font, size, w - 6) or [""] for cell, w in zip(cells, widths, strict=True)]
            tall = max(len(part) for part in parts) * (size + 2.5) + 7
            self.room(tall)
            x = MARGIN
            for part, w in zip(parts, widths, strict=True):
                self.canvas.setFillColor(colour(ink))
                for k, text in enumerate(part):
                    draw(self.canvas, x + 2, self.y - size - 3 - k * (size + 2.5), text, font, size)
                x += w
            self.y -= tall
            self.canvas.setStrokeColor(colour("edge"))
            self.canvas.setLineWidth(0.5)
            self.canvas.line(MARGIN, self.y, self.width - MARGIN, self.y)

        line(heads, BOLD, "quiet")
        for row in rows:
            line(row, REGULAR, "ink")
        self.y -= 14

    def picture(self, picture: Picture, height: float, caption: str = "", share: float = 1.0, at: float = 0.0) -> None:
        """A picture fitted into `share` of the width, starting at `at`; moves down only when it fills the row.

        Args:
            picture: in mm.
            height: points.
            caption: under it.
            share: of the width, 0 to 1.
            at: where it begins, as a share of the width.
        """
        whole = self.width - 2 * MARGIN
        if at == 0.0:
            self.room(height)
        paint(self.canvas, picture, MARGIN + at * whole, self.y - height, share * whole, height)
        if caption:
            self.canvas.setFillColor(colour("quiet"))
            draw(self.canvas, MARGIN + (at + share / 2) * whole, self.y - height - 2, caption, REGULAR, 8, "c")
        if at + share >= 0.999:
            self.y -= height + (14 if caption else 4)

    def tick_box(self, words: str) -> None:
        """A line with a box to tick at the bench."""
        lines = split(words, REGULAR, 9, self.width - 2 * MARGIN - 15)
        self.room(4 + 12 * len(lines))
        self.canvas.setStrokeColor(colour("ink"))
        self.canvas.rect(MARGIN, self.y - 9, 9, 9)
        self.canvas.setFillColor(colour("ink"))
        for k, part in enumerate(lines):
            draw(self.canvas, MARGIN + 15, self.y - 7.5 - 12 * k, part, REGULAR, 9)
        self.y -= 4 + 12 * len(lines)

    def finish(self) -> Path:
        """Write the file and move it into place."""
        if self._numbered:
            self.words(NUMBERED, 7, "quiet")
        self.canvas.save()
        self._part.replace(self.path)
        return self.path
