"""The rack: off-cuts with their metal, each with a number that stands on it, taken by nests and left by them."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from bathyx.core.material import SheetError, parse_sheet
from bathyx.core.sheet.cutting.nest import NestError
from bathyx.core.sheet.cutting.parts import CutPlan

SIZE = re.compile(r"\s*(\d+(?:\.\d+)?)\s*[x×]\s*(\d+(?:\.\d+)?)\s*")
WRITTEN = re.compile(
    r"(?P<size>[\d.]+\s*[x×]\s*[\d.]+)(?:\s+(?P<sheet>[^\s#]+/[\d.]+))?(?:\s+#(?P<number>\d{1,6}))?(?:\s+from\s+(?P<source>.*))?",
    re.IGNORECASE,
)
LONGEST_SOURCE = 60


@dataclass(frozen=True)
class OffCut:
    """A rectangle of sheet: long and wide, mm; its metal and thickness as `5083/3`, empty where nobody said; the number that stands
    on it, 0 for none; and what it was left of."""

    long_mm: float
    wide_mm: float
    sheet: str = ""
    number: int = 0
    source: str = ""

    @property
    def size(self) -> tuple[float, float]:
        """Long and wide."""
        return self.long_mm, self.wide_mm

    @property
    def name(self) -> str:
        """What stands on it, `R7`."""
        return f"R{self.number}" if self.number else ""

    def __str__(self) -> str:
        parts = [f"{self.long_mm:g}x{self.wide_mm:g}", self.sheet, f"#{self.number}" if self.number else ""]
        return " ".join([*filter(None, parts), *([f"from {self.source}"] if self.source else [])])


def offcut_of(text: str) -> tuple[float, float]:
    """The size of an off-cut as it is typed, `600x400`, mm. NestError for what is none."""
    match = SIZE.fullmatch(text.lower())
    sizes = tuple(float(v) for v in match.groups()) if match else ()
    if len(sizes) != 2 or not all(10 <= v <= 20_000 for v in sizes):
        raise NestError(f"{text.strip()[:40]!r} is no off-cut; write it in mm like 600x400, 10 to 20,000 each way")
    return sizes[0], sizes[1]


def written(text: str) -> OffCut:
    """An off-cut as it is kept, `600x400 5083/3 #7 from the trolley's tank`. NestError for what is none."""
    match = WRITTEN.fullmatch(text.strip())
    if match is None:
        raise NestError(f"{text.strip()[:40]!r} is no off-cut; write it in mm like 600x400 5083/3")
    long, wide = offcut_of(match["size"])
    sheet = match["sheet"] or ""
    if sheet:
        try:
            parse_sheet(sheet)
        except SheetError as error:
            raise NestError(f"{text.strip()[:40]!r}: {error}") from None
    return OffCut(long, wide, sheet, int(match["number"] or 0), plain(match["source"] or ""))


def rack_of(text: str) -> tuple[tuple[OffCut, ...], str]:
    """(off-cuts of a rack as it is kept, `600x400 5083/3; 900x300`, what is wrong with the first that is none)."""
    found: list[OffCut] = []
    wrong = ""
    for part in filter(None, map(str.strip, re.split("[;,]", text))):
        try:
            found.append(written(part))
        except NestError as error:
            wrong = wrong or str(error)
    return tuple(found), wrong


def kept(rack: Iterable[OffCut]) -> str:
    """The rack as it is kept; `rack_of` reads it."""
    return "; ".join(map(str, rack))


def plain(source: str) -> str:
    """What an off-cut was left of, without the signs that part a rack's lines."""
    return " ".join(re.sub(r"[;,]", " ", source).split())[:LONGEST_SOURCE].strip()


def of_sheet(rack: Iterable[OffCut], sheet: str) -> tuple[OffCut, ...]:
    """What is on the rack of a metal and thickness; what nobody said the metal of is not."""
    return tuple(offcut for offcut in rack if offcut.sheet == sheet)


def next_number(rack: Iterable[OffCut], given: int = 0) -> int:
    """The next number of a rack on which the last that was ever given is `given`: a number is given once."""
    return max(given, *(offcut.number for offcut in rack), 0) + 1


def rack_after(plan: CutPlan, rack: Sequence[OffCut], sheet: str, source: str, given: int = 0) -> tuple[OffCut, ...]:
    """The rack when a plan has been cut: off-cuts it took are gone, what it leaves is there under the next numbers.

    Args:
        plan: that has been cut.
        rack: as it was.
        sheet: metal and thickness that the plan is of, `5083/3`.
        source: what it was cut for.
        given: the last number that was ever given.
    """
    there, number = list(rack), next_number(rack, given)
    for used in plan.sheets:
        if used.offcut:
            size = sorted(used.size)
            taken = next((o for o in there if o.sheet == sheet and sorted(o.size) == size), None)
            if taken is not None:
                there.remove(taken)
    for used in plan.sheets:
        for _, _, w, h in used.rest:
            there.append(OffCut(_whole(max(w, h)), _whole(min(w, h)), sheet, number, plain(source)))
            number += 1
    return tuple(there)


def _whole(mm: float) -> float:
    """Whole millimetres that are surely there."""
    return float(math.floor(mm + 1e-6))
