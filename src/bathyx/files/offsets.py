"""Reading a table of offsets: distances along, heights, and how far the walls stand off the centre line.

Two layouts. Wide: a header `x_mm, 0, 100, 200 …` of heights, then a row a station; `100 L` and `100 R` where both sides were
measured. Long: columns `x_mm, z_mm, half_mm` or `x_mm, z_mm, left_mm, right_mm`, a row an offset. Commas, semicolons or tabs. Cells
are lengths as a tape says them; an empty one was not measured.
"""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path
from typing import Any

from bathyx.core.units.reading import parse_length
from bathyx.errors import Refusal
from bathyx.files.read import read_text

UNITS = ("mm", "cm", "m", "in")
MOST_ROWS = 5000
HEIGHT = re.compile(r"^z?\s*[=_]?\s*(?P<size>-?.*?)\s*(?P<side>left|right|l|r)?\s*$", re.IGNORECASE)
LONG = {"z", "z_mm", "z_in", "height", "height_mm"}
Rows = dict[float, dict[float, dict[str, float]]]


def read_offsets(path: Path, unit: str = "mm") -> list[dict[str, Any]]:
    """The stations of a file, as the document has them; bare numbers count in `unit`. Refusal with line and column."""
    return offsets_of(read_text(path), unit)


def offsets_of(text: str, unit: str = "mm") -> list[dict[str, Any]]:
    """The stations of a table pasted or read.

    Args:
        text: the table, a header line first.
        unit: mm, cm, m or in, for numbers that do not say theirs.

    >>> offsets_of("x_mm, 0, 100\\n0, 50, 80\\n500, 60, 90")[1]["rows"][1]
    {'z_mm': 100.0, 'left_mm': 90.0, 'right_mm': 90.0}
    """
    if unit not in UNITS:
        raise Refusal(f"no unit {unit!r}; there are {', '.join(UNITS)}")
    lines = [
        re.sub(r" {2,}", " ", line) for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")
    ]
    if len(lines) < 3:
        raise Refusal("a table of offsets has a header line and two stations or more; see docs/file-formats.md")
    if len(lines) > MOST_ROWS:
        raise Refusal(f"{len(lines)} lines are more than the {MOST_ROWS} a table of offsets may have")
    mark = next((m for m in ("\t", ";") if m in lines[0]), ",")
    table = [[cell.strip() for cell in row] for row in csv.reader(io.StringIO("\n".join(lines)), delimiter=mark)]
    if mark == "," and len(table[0]) < 2:
        table = _by_blanks(lines)
    if len(table[0]) < 2:
        raise Refusal(
            f"the header {lines[0].strip()[:60]!r} names no height; write them after x_mm, parted by commas: x_mm, 0, 100, 200"
        )
    head = [cell.lower() for cell in table[0]]
    if head[0].rstrip("_mincft ") not in ("x", "station", "along") and not head[0].startswith("x"):
        raise Refusal(f"the first column is {table[0][0]!r}; it should be x_mm, the distance of each station along")
    unit = "in" if head[0].endswith("_in") else unit
    rows: Rows = {}
    (_long if len(head) > 2 and head[1] in LONG else _wide)(table, unit, rows)
    return [
        {
            "x_mm": x,
            "rows": [
                {"z_mm": z, "left_mm": sides.get("left"), "right_mm": sides.get("right")}
                for z, sides in sorted(at.items())
            ],
        }
        for x, at in rows.items()
    ]


def _by_blanks(lines: list[str]) -> list[list[str]]:
    """A table whose cells are parted by blanks, where each is one number: `15 1/4` would be two cells. Refusal otherwise."""
    table = [line.split() for line in lines]
    for number, row in enumerate(table, start=1):
        cells = row if number > 1 else row[1:]
        odd = next((c for c in cells if not re.fullmatch(r"[-−–]|[-−]?\d+([.,]\d+)?|[a-z_]+", c, re.IGNORECASE)), None)
        if odd is not None or len(row) != len(table[0]):
            why = (
                f"{odd!r} is no plain number"
                if odd is not None
                else f"it has {len(row)} cells, the header {len(table[0])}"
            )
            raise Refusal(
                f"line {number}: cells are parted by blanks here, and {why}; part them by commas, semicolons or tabs"
            )
    return table


def _length(cell: str, unit: str, where: str) -> float:
    """A length that may be zero or below it."""
    clean = cell.strip()
    if mark := re.match(r"^[-−]\s*", clean):
        return -_length(clean[mark.end() :], unit, where)
    if re.fullmatch(r"0+([.,]0*)?", clean):
        return 0.0
    try:
        return parse_length(clean, unit)
    except Refusal as error:
        raise Refusal(f"{where}: {error}") from None


def _put(rows: Rows, x: float, z: float, sides: dict[str, float], where: str) -> None:
    at = rows.setdefault(x, {}).setdefault(z, {})
    for side, value in sides.items():
        if side in at:
            raise Refusal(f"{where}: the {side} offset at x {x:g}, z {z:g} mm stands twice; leave one out")
        if value < 0:
            raise Refusal(f"{where}: {value:g} mm is on the other side of the centre line; offsets are 0 or more")
        at[side] = value


def _wide(table: list[list[str]], unit: str, rows: Rows) -> None:
    columns: list[tuple[float, tuple[str, ...]]] = []
    for k, cell in enumerate(table[0][1:], start=2):
        found = HEIGHT.match(" ".join(cell.split()).removesuffix("_mm"))
        if not cell or found is None or not found["size"]:
            raise Refusal(f"column {k} has no height in its header; write the heights there: x_mm, 0, 100, 200")
        side = (found["side"] or "").lower()[:1]
        z = _length(found["size"], unit, f"header, column {k}")
        columns.append((z, {"l": ("left",), "r": ("right",)}.get(side, ("left", "right"))))
    spread = max(z for z, _ in columns) - min(z for z, _ in columns)
    if spread < 10:
        raise Refusal(
            f"the heights in the header span {spread:g} mm; z1, z2 … stand for the heights themselves: x_mm, 0, 100, 200"
        )
    seen: dict[float, int] = {}
    for line, row in enumerate(table[1:], start=2):
        if len(row) > len(table[0]):
            raise Refusal(f"line {line} has {len(row)} cells, the header {len(table[0])}")
        x = _length(row[0], unit, f"line {line}, first column")
        if x in seen:
            raise Refusal(f"station {x:g} mm stands on line {seen[x]} and on line {line}; leave one out")
        seen[x] = line
        for k, cell in enumerate(row[1:]):
            if cell not in ("", "-", "–"):
                where = f"line {line}, column {k + 2}"
                value = _length(cell, unit, where)
                _put(rows, x, columns[k][0], dict.fromkeys(columns[k][1], value), where)


def _long(table: list[list[str]], unit: str, rows: Rows) -> None:
    names = [re.sub(r"_(mm|in)$", "", cell.lower()) for cell in table[0]]
    sides = {k: name for k, name in enumerate(names) if name in ("half", "left", "right")}
    if not sides:
        raise Refusal(f"columns {', '.join(table[0])}: offsets are in half_mm, or in left_mm and right_mm")
    for line, row in enumerate(table[1:], start=2):
        if len(row) > len(table[0]) or len(row) < 3:
            raise Refusal(f"line {line} has {len(row)} cells, the header {len(table[0])}")
        x = _length(row[0], unit, f"line {line}, column 1")
        z = _length(row[1], unit, f"line {line}, column 2")
        for k, side in sides.items():
            if k < len(row) and row[k] not in ("", "-", "–"):
                where = f"line {line}, column {k + 1}"
                value = _length(row[k], unit, where)
                _put(rows, x, z, dict.fromkeys(("left", "right") if side == "half" else (side,), value), where)
