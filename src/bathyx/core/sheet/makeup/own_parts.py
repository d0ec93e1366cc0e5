"""What is cut besides the tank's own panels: closing plates, tabs, bars and angles, by size and place; bars from stock lengths."""

from __future__ import annotations

import hashlib
import math
import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from pydantic import Field, model_validator

from bathyx.core.formula import formula
from bathyx.core.inside.straps import Laid
from bathyx.core.sheet.makeup.bands import BandOn
from bathyx.core.sheet.makeup.doublers import Doubler
from bathyx.core.sheet.makeup.lids import Lid
from bathyx.core.sheet.makeup.seams import Seam
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.units import Said, mm
from bathyx.core.units.frozen import Frozen, checked
from bathyx.core.units.typed import lines_of
from bathyx.errors import Refusal

Kind = Literal["plate", "tab", "strip", "bar", "angle", "tube"]
FLAT = ("plate", "tab", "strip")
BARS = formula(
    "sheet.bars",
    "Bars from stock lengths",
    "least number of stock lengths that hold every piece and a saw cut each",
    source="One-dimensional cutting stock as a bin packing, solved by SciPy's milp (HiGHS); first fit decreasing where time ends",
    valid="up to some 60 pieces of a section; the least is proven where it equals the sum over the stock length",
    check="tests/core/test_own_parts.py: lengths cut to pieces go back into as many",
    tolerance="exact",
)
BACKING_T, BACKING_MM = 8.0, 25.0
MOST_PIECES, SECONDS = 60, 2.0


class OwnPart(Frozen):
    """A closing plate, tab or strip (`width_mm` × `length_mm` × `thickness_mm`), or a length of a bar, angle or tube (`section` in
    words); where it goes, and how many."""

    kind: Kind
    place: str = Field(min_length=1, max_length=80)
    count: int = Field(1, ge=1, le=500)
    length_mm: float = Field(gt=0, le=20_000)
    width_mm: float = Field(0, ge=0, le=5000)
    thickness_mm: float = Field(0, ge=0, le=50)
    section: str = Field("", max_length=40)

    @model_validator(mode="after")
    def _has_its_size(self) -> OwnPart:
        flat = self.kind in FLAT
        if flat and not (self.width_mm > 0 and self.thickness_mm > 0):
            raise ValueError(f"a {self.kind} has length, width and thickness, like 60 x 40 x 3")
        if not flat and not self.section:
            raise ValueError(f"a {self.kind} has a section and a length, like 30x30x3 x 420")
        return self

    @property
    def size(self) -> str:
        """Its size in words."""
        if self.kind in FLAT:
            return f"{self.length_mm:g} × {self.width_mm:g} × {Said(mm(self.thickness_mm, None))}"
        return f"{self.section}, {Said(mm(self.length_mm, None))} long"

    @property
    def id(self) -> str:
        """What its tick is kept under: it stays while kind, size and place do, and is short enough for a record's subject."""
        said = f"{self.kind} {self.length_mm:g}x{self.width_mm:g}x{self.thickness_mm:g} {self.section} {self.place}"
        return f"own:{hashlib.sha256(said.encode()).hexdigest()[:16]}"


@dataclass(frozen=True)
class BarPlan:
    """Bars of one section: the stock length (mm), the pieces (mm) on each, and whether fewer cannot do."""

    section: str
    stock_mm: float
    bars: tuple[tuple[float, ...], ...]
    proven: bool

    @property
    def left_mm(self) -> tuple[float, ...]:
        """What is left of each, without its saw cuts."""
        return tuple(self.stock_mm - sum(bar) for bar in self.bars)


def backing_strips(seams: Sequence[Seam], skins: Skins) -> tuple[OwnPart, ...]:
    """A strip for each seam that is welded on one: eight thicknesses wide, 25 mm at least, as long as the seam."""
    found = []
    for seam in seams:
        if seam.joint == "backed":
            t = skins.of(seam.edges[0].a)
            wide = max(BACKING_MM, BACKING_T * t)
            found.append(
                OwnPart(
                    kind="strip",
                    place=f"behind {seam.id}",
                    length_mm=round(seam.length_mm, 1),
                    width_mm=wide,
                    thickness_mm=t,
                )
            )
    return tuple(found)


def doubler_plates(doublers: Sequence[Doubler]) -> tuple[OwnPart, ...]:
    """A plate for each doubler."""
    return tuple(
        OwnPart(
            kind="plate",
            place=f"doubler on {d.face}, {d.u_mm:g}, {d.v_mm:g}"[:80],
            length_mm=d.width_mm,
            width_mm=d.height_mm,
            thickness_mm=d.thickness_mm,
        )
        for d in doublers
    )


def flange_strips(lids: Sequence[Lid]) -> tuple[OwnPart, ...]:
    """Strips of the flanges that lids lie on, as long as their outsides; ends mitred."""
    return tuple(
        OwnPart(
            kind="strip",
            place=f"flange at {edge}, ends mitred"[:80],
            length_mm=round(long, 1),
            width_mm=lid.flange_mm,
            thickness_mm=lid.strip_mm,
        )
        for lid in lids
        for edge, long in lid.strips
    )


def band_tubes(bands: Sequence[BandOn]) -> tuple[OwnPart, ...]:
    """Pieces of steel box for each band, as long as their outsides; ends mitred."""
    return tuple(
        OwnPart(
            kind="tube",
            place=f"band at {band.at_mm:g}, {face}"[:80],
            length_mm=round(long, 1),
            section=f"{band.box[0]:g}x{band.box[0]:g}x{band.box[1]:g} steel box",
        )
        for band in bands
        if band.box is not None
        for face, long in band.pieces
    )


def strap_bars(straps: Sequence[Laid]) -> tuple[OwnPart, ...]:
    """A length of flat bar for each strap."""
    return tuple(
        OwnPart(
            kind="bar",
            place=f"strap {s.number + 1}",
            length_mm=round(s.cut_mm, 1),
            section=f"{s.strap.width_mm:g}x{s.strap.thickness_mm:g} flat",
        )
        for s in straps
    )


def every_part(
    own: Sequence[OwnPart],
    seams: Sequence[Seam],
    skins: Skins,
    doublers: Sequence[Doubler],
    straps: Sequence[Laid] = (),
    lids: Sequence[Lid] = (),
    bands: Sequence[BandOn] = (),
) -> tuple[OwnPart, ...]:
    """All that is cut besides panels: what the job lists, strips behind backed seams, doublers, straps, flanges of lids,
    bands.

    Args:
        own: of the job.
        seams: of the tank.
        skins: thickness of its panels.
        doublers: of the make-up.
        straps: as they lie.
        lids: that are bolted down.
        bands: round it.
    """
    return (
        *own,
        *backing_strips(seams, skins),
        *doubler_plates(doublers),
        *flange_strips(lids),
        *strap_bars(straps),
        *band_tubes(bands),
    )


def bar_plans(parts: Sequence[OwnPart], stock_mm: float, kerf_mm: float) -> tuple[BarPlan, ...]:
    """Every section's pieces on the fewest stock lengths.

    Args:
        parts: of which bars, angles and tubes are looked at.
        stock_mm: length that the yard sells.
        kerf_mm: of the saw, once a piece.

    Raises:
        Refusal: a piece longer than the stock.
    """
    pieces: dict[str, list[float]] = defaultdict(list)
    for part in parts:
        if part.kind not in FLAT:
            if part.length_mm > stock_mm:
                raise Refusal(
                    f"{part.place}: {part.section} {part.length_mm:g} mm long is longer than the stock of {stock_mm:g} mm; "
                    "join two, or order a longer one"
                )
            pieces[f"{part.kind} {part.section}"] += [part.length_mm] * part.count
    return tuple(_plan(name, sorted(long, reverse=True), stock_mm, kerf_mm) for name, long in sorted(pieces.items()))


def _plan(section: str, pieces: list[float], stock_mm: float, kerf_mm: float) -> BarPlan:
    """One section's."""
    bars = _first_fit(pieces, stock_mm, kerf_mm)
    least = math.ceil(sum(piece + kerf_mm for piece in pieces) / (stock_mm + kerf_mm) - 1e-9)
    if len(bars) > least and len(pieces) <= MOST_PIECES:
        better = _packed(pieces, stock_mm + kerf_mm, kerf_mm, len(bars))
        if better is not None:
            return BarPlan(section, stock_mm, better[0], better[1] or len(better[0]) == least)
    return BarPlan(section, stock_mm, tuple(map(tuple, bars)), len(bars) == least)


def _first_fit(pieces: list[float], stock_mm: float, kerf_mm: float) -> list[list[float]]:
    bars: list[list[float]] = []
    for piece in pieces:
        for bar in bars:
            if sum(bar) + kerf_mm * len(bar) + piece <= stock_mm + 1e-9:
                bar.append(piece)
                break
        else:
            bars.append([piece])
    return bars


def _packed(
    pieces: list[float], room: float, kerf_mm: float, most: int
) -> tuple[tuple[tuple[float, ...], ...], bool] | None:
    """(bars, whether fewer cannot do) by a mixed-integer program: which bar each piece is on; None where none was found in time."""
    import numpy as np
    from scipy.optimize import Bounds, LinearConstraint, milp  # not at the start: only bars need it

    n = len(pieces)
    size = n * most + most
    goal = np.concatenate([np.zeros(n * most), 1 + 1e-3 * np.arange(most)])
    once = np.zeros((n, size))
    fits = np.zeros((most, size))
    for i in range(n):
        for k in range(most):
            once[i, i * most + k] = 1
            fits[k, i * most + k] = pieces[i] + kerf_mm
    for k in range(most):
        fits[k, n * most + k] = -room
    found = milp(
        goal,
        constraints=[LinearConstraint(once, 1, 1), LinearConstraint(fits, -np.inf, 0)],
        integrality=np.ones(size),
        bounds=Bounds(0, 1),
        options={"time_limit": SECONDS},
    )
    if found.x is None:
        return None
    on = found.x[: n * most].reshape(n, most).argmax(axis=1)
    bars = tuple(tuple(pieces[i] for i in range(n) if on[i] == k) for k in range(most))
    return tuple(bar for bar in bars if bar), found.status == 0


def own_parts_of(text: str) -> list[dict[str, object]]:
    """Parts of typed lines `kind, size, place, count`. Refusal that names the line.

    >>> own_parts_of("angle, 30x30x3 x 420, under the floor, 2")[0]["section"]
    '30x30x3'
    """
    found: list[dict[str, object]] = []
    for number, line in lines_of(text):
        if not line.strip():
            continue
        cells = [cell.strip() for cell in line.split(",")]
        if len(cells) not in (3, 4):
            raise _unread(number, line)
        kind, size, place = cells[:3]
        sides = [side.strip().removesuffix("mm").strip() for side in re.split(r"\s*[x×]\s*", size.lower())]
        try:
            count = int(cells[3]) if len(cells) == 4 else 1
            numbers = [float(side) for side in sides]
        except ValueError:
            raise _unread(number, line) from None
        given: dict[str, object] = {"kind": kind.lower(), "place": place, "count": count}
        if kind.lower() in FLAT and len(numbers) == 3:
            given |= {"length_mm": numbers[0], "width_mm": numbers[1], "thickness_mm": numbers[2]}
        elif kind.lower() not in FLAT and len(numbers) >= 2:
            given |= {"length_mm": numbers[-1], "section": "x".join(f"{v:g}" for v in numbers[:-1])}
        else:
            raise _unread(number, line)
        try:
            checked(OwnPart, given)
        except Refusal as error:
            raise Refusal(f"line {number}, {line.strip()[:40]!r}: {error}") from None
        found.append(given)
    return found


def _unread(number: int, line: str) -> Refusal:
    return Refusal(
        f"line {number}, {line.strip()[:40]!r}: write kind, size, place and how many, like plate, 60 x 40 x 3, left frame, 2 "
        "or angle, 30x30x3 x 420, under the floor, 2"
    )
