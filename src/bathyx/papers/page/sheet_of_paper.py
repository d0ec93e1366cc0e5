"""A paper: pages with Bathyx's head and foot, headings, tables and pictures, flowed by reportlab's platypus.

Nothing on it is smaller than `LEAST_PT`: capitals of 2.5 mm, the least that drawing standards give for reading on paper.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.styles import ParagraphStyle
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    CondPageBreak,
    Flowable,
    Frame,
    KeepTogether,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
    Table,
    TableStyle,
)

from bathyx.core.evaluate import Evaluation
from bathyx.draft.picture import Picture
from bathyx.papers.page.lettering import (
    BOLD,
    LEAST_READ_PT,
    NUMBERED,
    REGULAR,
    draw,
    runs,
    spelled,
    split,
    use_fonts,
    width,
)
from bathyx.papers.page.pdf_picture import colour, paint
from bathyx.papers.page.stationery import Stationery, stamp

MARGIN, FOOT, MARK_TALL, TALL_ROW = 40.0, 44.0, 34.0, 0.6
LEAST_PT = LEAST_READ_PT
PHOTOGRAPH_PT = 200.0


def open_stops(e: Evaluation) -> str:
    """What every page says of a tank with stops that stand open; nothing without."""
    count = len(e.stops)
    if not count:
        return ""
    return f"{count} stop{'s stand' if count > 1 else ' stands'} open: nothing is cut, welded or filled by this paper"


class Paper:
    """One PDF being written. `finish()` puts it on disk, whole or not at all."""

    def __init__(
        self, path: Path, title: str, under: str, on: Stationery | None = None, e: Evaluation | None = None
    ) -> None:
        use_fonts()
        self.path, self.title, self.on = path, title, on or Stationery()
        self.under, self.maker, self.stops = under, "", ""
        if e is not None:
            self.under = f"{under}; as drawn {stamp(e.job)}"
            self.maker, self.stops = e.job.maker, open_stops(e)
        self.width, self.height = self.on.size_pt
        self.room_pt = self.width - 2 * MARGIN  # between the margins
        self._numbered = spelled(self.under) != self.under
        self._story: list[Flowable] = []
        self._row: list[tuple[float, list[Flowable]]] = []

    # -- what it is put together from -----------------------------------------------------------------------------

    def add(self, *flowables: Flowable) -> None:
        """Anything that flows."""
        self._beside()
        self._story.extend(flowables)

    def room(self, height: float) -> None:
        """Begin a new page unless `height` points are left."""
        self.add(CondPageBreak(height))

    def turn(self) -> None:
        """Begin a new page."""
        self.add(PageBreak())

    def heading(self, words: str, keep: float = 0.0) -> None:
        """A section heading, on a page that has `keep` points more for what belongs under it."""
        self.room(40 + keep)
        said = self._paragraph(words, 12, "accent", bold=True)
        said.style.spaceBefore, said.style.spaceAfter, said.keepWithNext = 8, 5, 1
        self.add(said)

    def words(self, text: str, size: float = LEAST_PT, ink: str = "ink", bold: bool = False) -> None:
        """A paragraph over the full width.

        Args:
            text: the paragraph.
            size: points; never drawn below `LEAST_PT`.
            ink: name of its colour.
            bold: or plain.
        """
        self.add(self._paragraph(text, size, ink, bold=bold))

    def table(
        self, heads: Sequence[str], rows: Sequence[Sequence[str]], shares: Sequence[float], size: float = LEAST_PT
    ) -> None:
        """A table; `shares` are column widths as parts of the page, words wrap in their cell, the head stands on every page.

        Args:
            heads: of the columns.
            rows: of cells, each as long as `heads`.
            shares: column widths as parts of the page.
            size: points; never drawn below `LEAST_PT`.
        """
        self.add(self.grid(heads, rows, [share / sum(shares) * self.room_pt for share in shares], size), Spacer(0, 10))

    def grid(
        self, heads: Sequence[str], rows: Sequence[Sequence[str]], widths: Sequence[float], size: float = LEAST_PT
    ) -> Table:
        """A table of given column widths, points, to be added or put beside another.

        Args:
            heads: of the columns; none for a table without.
            rows: of cells, each as long as `heads`.
            widths: points.
            size: points; never drawn below `LEAST_PT`.
        """
        cells = [[self._paragraph(text, size, "quiet", bold=True) for text in heads]] if heads else []
        cells += [[self._paragraph(str(text), size) for text in row] for row in rows]
        tallest = max((p.wrap(w - 6, 1e6)[1] for row in cells for p, w in zip(row, widths, strict=True)), default=0.0)
        within = int(tallest > TALL_ROW * self.height)  # a row is parted only where a page would not have it
        made = Table(cells, colWidths=list(widths), repeatRows=int(bool(heads)), splitInRow=within, hAlign="LEFT")
        edges = [("LEFTPADDING", 2), ("RIGHTPADDING", 4), ("TOPPADDING", 2), ("BOTTOMPADDING", 3)]
        made.setStyle(
            TableStyle(
                [(name, (0, 0), (-1, -1), value) for name, value in edges]
                + [("LINEBELOW", (0, 0), (-1, -1), 0.5, colour("edge")), ("VALIGN", (0, 0), (-1, -1), "TOP")]
            )
        )
        return made

    def picture(self, picture: Picture, height: float, caption: str = "", share: float = 1.0, at: float = 0.0) -> None:
        """A picture fitted into `share` of the width, starting at `at`; those of one row stand beside each other.

        Args:
            picture: in mm.
            height: points.
            caption: under it.
            share: of the width, 0 to 1.
            at: where it begins, as a share of the width.
        """
        if at == 0.0:
            self._beside()
        beside = 0.0 if share >= 0.999 else 7.0
        cell: list[Flowable] = [Painted(height, lambda c, w: paint(c, picture, beside, 0.0, w - 2 * beside, height))]
        if caption:
            cell.append(self._paragraph(caption, LEAST_PT, "quiet", middle=True))
        self._row.append((share, cell))
        if at + share >= 0.999:
            self._beside()

    def photograph(self, path: Path | None, words: str) -> None:
        """A picture that was taken, half as wide as the page, with what is seen on it; words alone where it is not here."""
        said = self._paragraph(words, LEAST_PT)
        if path is None:
            self.add(said)
            return
        from reportlab.lib.utils import ImageReader
        from reportlab.platypus import Image, KeepTogether

        wide, tall = ImageReader(str(path)).getSize()
        scale = min(self.room_pt / 2 / wide, PHOTOGRAPH_PT / tall)
        self.add(KeepTogether([Image(str(path), wide * scale, tall * scale, hAlign="LEFT"), said, Spacer(0, 6)]))

    def beside(self, *parts: tuple[Flowable, float]) -> None:
        """Parts in a row, each with its share of the width."""
        self.add(self._rowed([part for part, _ in parts], [share for _, share in parts]), Spacer(0, 6))

    def _rowed(self, parts: Sequence[Flowable | list[Flowable]], shares: Sequence[float]) -> Table:
        made = Table([list(parts)], colWidths=[share * self.room_pt for share in shares], hAlign="LEFT")
        none = [(f"{side}PADDING", (0, 0), (-1, -1), 0) for side in ("LEFT", "RIGHT", "TOP", "BOTTOM")]
        made.setStyle(TableStyle([*none, ("VALIGN", (0, 0), (-1, -1), "TOP")]))
        return made

    def tick_box(self, words: str) -> None:
        """A line with a box to tick at the bench."""
        self.add(_Tick(self._paragraph(words, LEAST_PT)))

    def signatures(self, *words: str) -> None:
        """Lines to sign on, beside each other, each with what it is for."""
        each = self.room_pt / len(words)

        def lines(canvas: Canvas, _width: float) -> None:
            canvas.setStrokeColor(colour("ink"))
            canvas.setFillColor(colour("ink"))
            for k, text in enumerate(words):
                canvas.line(k * each, 14, (k + 1) * each - 30, 14)
                draw(canvas, k * each, 2, text, REGULAR, LEAST_PT)

        self.add(Painted(60.0, lines))

    # -- how it is printed ----------------------------------------------------------------------------------------

    def finish(self) -> Path:
        """Write the file and move it into place."""
        self._beside()
        if self._numbered:
            self.words(NUMBERED, LEAST_PT, "quiet")
        part = self.path.with_name(self.path.name + ".part")
        under = split(self.under, REGULAR, LEAST_PT, self.room_pt - (70 if self.on.mark else 0))
        stops = split(self.stops, BOLD, LEAST_PT, self.room_pt) if self.stops else []
        top = self.height - 52 - 13 * (len(under) + len(stops)) - 8
        document = BaseDocTemplate(
            str(part), pagesize=(self.width, self.height), title=f"{self.title}: {self.under}", author="Bathyx"
        )
        frame = Frame(
            MARGIN, FOOT, self.room_pt, top - FOOT, leftPadding=0, rightPadding=0, topPadding=0, bottomPadding=0
        )
        page = PageTemplate(frames=[frame], onPage=lambda canvas, _doc: self._page(canvas, under, stops))
        document.addPageTemplates([page])
        document.build(self._story or [Spacer(0, 1)], canvasmaker=_Counted)
        part.replace(self.path)
        return self.path

    def _page(self, canvas: Canvas, under: Sequence[str], stops: Sequence[str]) -> None:
        canvas.saveState()
        right, y = self.width - MARGIN, self.height - 46
        canvas.setFillColor(colour("ink"))
        draw(canvas, MARGIN, y, self.title, BOLD, 15)
        if self.on.mark is not None:
            canvas.drawImage(
                str(self.on.mark), right - 2 * MARK_TALL, y - 18, 2 * MARK_TALL, MARK_TALL, "auto", True, anchor="e"
            )
        elif self.maker:
            room = self.room_pt - width(self.title, BOLD, 15) - 20
            if room > width(self.maker, REGULAR, LEAST_PT):
                draw(canvas, right, y, self.maker, REGULAR, LEAST_PT, "r")
        canvas.setFillColor(colour("quiet"))
        for text in under:
            y -= 13
            draw(canvas, MARGIN, y - 2, text, REGULAR, LEAST_PT)
        canvas.setStrokeColor(colour("accent"))
        canvas.setLineWidth(2)
        canvas.line(MARGIN, y - 8, right, y - 8)
        canvas.setFillColor(colour("stop"))
        for text in stops:
            y -= 13
            draw(canvas, MARGIN, y - 8, text, BOLD, LEAST_PT)
        canvas.setFillColor(colour("quiet"))
        said = [part for part in (self.maker, self.on.address) if part]
        head = split(", ".join(said), REGULAR, LEAST_PT, self.room_pt - 70)[0] if said else ""
        draw(canvas, MARGIN, 30, head, REGULAR, LEAST_PT)
        draw(canvas, MARGIN, 18, "Local codes and licensed practice come first.", REGULAR, LEAST_PT)
        if self.on.foot:
            draw(canvas, right, 18, self.on.foot, REGULAR, LEAST_PT, "r")
        canvas.restoreState()

    def _paragraph(
        self, text: str, size: float, ink: str = "ink", *, bold: bool = False, middle: bool = False
    ) -> Paragraph:
        self._numbered |= spelled(text) != text
        size, font = max(size, LEAST_PT), BOLD if bold else REGULAR
        style = ParagraphStyle(
            "words",
            fontName=font,
            fontSize=size,
            leading=1.27 * size,
            textColor=colour(ink),
            alignment=1 if middle else 0,
            spaceAfter=2,
            splitLongWords=1,
        )
        return Paragraph(_marked(text, font), style)

    def _beside(self) -> None:
        """Put the row of pictures that was begun on the page."""
        row, self._row = self._row, []
        if not row:
            return
        if len(row) == 1 and row[0][0] >= 0.999:
            self._story.append(KeepTogether([*row[0][1], Spacer(0, 4)]))
            return
        made = self._rowed([cell for _, cell in row], [share for share, _ in row])
        self._story += [made, Spacer(0, 4)]


def _marked(text: str, font: str) -> str:
    """`text` for a Paragraph: runs that another font draws are marked, what would count as markup is not."""
    found = []
    for by, part in runs(text, font):
        safe = escape(part)
        found.append(safe if by == font else f'<font name="{by}">{safe}</font>')
    return "".join(found)


class Painted(Flowable):  # type: ignore[misc]
    """A strip of the page, as wide as there is room, that `paint` draws on: of the canvas and the width, its corner at (0, 0)."""

    def __init__(self, height: float, paint: Callable[[Canvas, float], object]) -> None:
        super().__init__()
        self.height, self._paint = height, paint

    def wrap(self, wide: float, _tall: float) -> tuple[float, float]:
        """All the width there is."""
        self.width = wide
        return wide, self.height

    def draw(self) -> None:
        """Paint it."""
        self._paint(self.canv, self.width)


class _Tick(Flowable):  # type: ignore[misc]
    """Words with a box before them."""

    def __init__(self, words: Paragraph) -> None:
        super().__init__()
        self._words = words

    def wrap(self, wide: float, tall: float) -> tuple[float, float]:
        """The words beside the box."""
        _, self.height = self._words.wrap(wide - 16, tall)
        self.width, self.height = wide, self.height + 4
        return self.width, self.height

    def draw(self) -> None:
        """Box and words."""
        self.canv.setStrokeColor(colour("ink"))
        self.canv.rect(0.5, self.height - 12, 9, 9)
        self._words.drawOn(self.canv, 16, 4)


class _Counted(Canvas):  # type: ignore[misc]
    """Pages that say how many there are."""

    def __init__(self, *args: Any, **kept: Any) -> None:
        super().__init__(*args, **kept)
        self._pages: list[dict[str, Any]] = []

    def showPage(self) -> None:
        """Keep the page until all are known."""
        self._pages.append(dict(self.__dict__))
        self._startPage()

    def save(self) -> None:
        """Write the number on each, then the file."""
        for page in self._pages:
            self.__dict__.update(page)
            self.setFillColor(colour("quiet"))
            words = f"page {self._pageNumber} of {len(self._pages)}"
            draw(self, self._pagesize[0] - MARGIN, 30, words, REGULAR, LEAST_PT, "r")
            super().showPage()
        super().save()
