"""Labels for blanks and what goes back on the rack: name, metal and size in large letters, and a QR code that says the same."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from bathyx.core.evaluate import Evaluation, cuttable
from bathyx.core.material import Sheet, materials, parse_sheet
from bathyx.core.sheet.cutting.rack import OffCut
from bathyx.core.units import Family, show
from bathyx.errors import Refusal
from bathyx.papers.page.lettering import BOLD, REGULAR, draw, split, use_fonts
from bathyx.papers.page.pdf_picture import colour
from bathyx.papers.page.stationery import MM_PT, Stationery, stamp

WIDE_MM, TALL_MM, EDGE_MM, CODE_MM = 90.0, 48.0, 10.0, 26.0
MARK = "BATHYX-PART1"
MOST, MOST_LINES = 2000, 2


@dataclass(frozen=True)
class Label:
    """What stands on one: the first line is the largest; `code` is what its QR code says."""

    lines: tuple[str, ...]
    code: str


def blank_labels(e: Evaluation, units: Family = Family.METRIC) -> tuple[Label, ...]:
    """A label for every blank.

    Args:
        e: the evaluated job.
        units: metric or US, for sizes.

    Raises:
        Refusal: for a tank that cannot be cut.
    """
    r, drawn = cuttable(e).results, stamp(e.job)
    found = []
    for blank in r.blanks:
        sheet = r.skins.piece(r.sheet, blank.role, blank.faces, blank.thickness_mm)
        size = " × ".join(show(v, "cut", units) for v in blank.size_mm)
        code = ";".join(
            [MARK, e.job.uid, drawn, blank.name, sheet.key, f"{blank.size_mm[0]:.1f}x{blank.size_mm[1]:.1f}"]
        )
        found.append(Label((blank.name, sheet.shown(units), size, e.job.brief.name, f"as drawn {drawn}"), code))
    return tuple(found)


def rack_labels(rack: Sequence[OffCut], units: Family = Family.METRIC) -> tuple[Label, ...]:
    """A label for every off-cut.

    Args:
        rack: what is on it.
        units: metric or US, for sizes.
    """
    found = []
    for offcut in rack:
        size = " × ".join(show(v, "length", units) for v in offcut.size)
        metal = "metal not known: measure it before it is used"
        if offcut.sheet:
            material, thick = parse_sheet(offcut.sheet)
            metal = Sheet(materials()[material], thick).shown(units)
        code = ";".join([MARK, "off-cut", offcut.name, offcut.sheet, f"{offcut.long_mm:.0f}x{offcut.wide_mm:.0f}"])
        lines = (f"{offcut.name or 'off-cut'}  {size}", metal, *([f"from {offcut.source}"] if offcut.source else []))
        found.append(Label(lines, code))
    return tuple(found)


def write_labels(labels: Sequence[Label], path: Path, on: Stationery | None = None) -> Path:
    """Labels in rows on pages, with lines to cut along.

    Args:
        labels: in their order.
        path: file to write.
        on: the shop's stationery.

    Raises:
        Refusal: for none, or more than anybody would print.
    """
    import segno

    if not 0 < len(labels) <= MOST:
        raise Refusal(f"{len(labels)} labels are none to print; from 1 to {MOST:,}")
    use_fonts()
    width, height = (on or Stationery()).size_pt
    across = int((width - 2 * EDGE_MM * MM_PT) // (WIDE_MM * MM_PT))
    down = int((height - 2 * EDGE_MM * MM_PT) // (TALL_MM * MM_PT))
    part = path.with_name(path.name + ".part")
    canvas = Canvas(str(part), pagesize=(width, height))
    canvas.setTitle("Labels")
    canvas.setAuthor("Bathyx")
    for k, label in enumerate(labels):
        place = k % (across * down)
        if k and not place:
            canvas.showPage()
        x = (EDGE_MM + WIDE_MM * (place % across)) * MM_PT
        y = height - (EDGE_MM + TALL_MM * (place // across + 1)) * MM_PT
        canvas.setStrokeColor(colour("edge"))
        canvas.setLineWidth(0.4)
        canvas.rect(x, y, WIDE_MM * MM_PT, TALL_MM * MM_PT)
        out = io.BytesIO()
        segno.make(label.code, error="m").save(out, kind="png", scale=6, border=2)
        out.seek(0)
        room = (WIDE_MM - CODE_MM - 8) * MM_PT
        canvas.drawImage(
            ImageReader(out),
            x + (WIDE_MM - CODE_MM - 2) * MM_PT,
            y + (TALL_MM - CODE_MM) / 2 * MM_PT,
            CODE_MM * MM_PT,
            CODE_MM * MM_PT,
        )
        canvas.setFillColor(colour("ink"))
        at = y + TALL_MM * MM_PT - 26
        for n, text in enumerate(label.lines):
            font, size = (BOLD, 15.0) if n == 0 else (REGULAR, 10.5)
            for line in split(text, font, size, room)[:MOST_LINES]:
                if at < y + 6:
                    break
                draw(canvas, x + 9, at, line, font, size)
                at -= 1.25 * size
            at -= 3
    canvas.save()
    part.replace(path)
    return path
