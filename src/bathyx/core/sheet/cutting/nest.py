"""A simple nest: blanks as rectangles on stock sheets, by the maximal-rectangles packer of `rectpack`.

Every stock size is tried with several packing rules and the cheapest sheet area is kept.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from bathyx.core.sheet.flat.blank import Blank
from bathyx.errors import Refusal, Stopped


class NestError(Refusal):
    """A blank that no stock sheet takes."""


class NestStopped(Stopped):
    """The maker stopped the search."""


@dataclass(frozen=True)
class Spot:
    """Where a blank lies: lower left corner on the sheet, turned by 90 degrees or not."""

    blank: str
    sheet: int
    x_mm: float
    y_mm: float
    width_mm: float
    height_mm: float
    turned: bool


@dataclass(frozen=True)
class Nest:
    """Blanks laid on `sheets` sheets of `stock` (mm); `used_share` is blank area over sheet area."""

    stock: tuple[float, float]
    sheets: int
    spots: tuple[Spot, ...]
    used_share: float


@dataclass(frozen=True)
class Piece:
    """What a nest needs to know of a blank: its name, width and height (mm), and its own area."""

    name: str
    size_mm: tuple[float, float]
    area_mm2: float


def by_thickness(blanks: tuple[Blank, ...]) -> dict[float, tuple[Blank, ...]]:
    """Blanks that are cut from sheet by their thickness, mm, that of most first."""
    found: dict[float, list[Blank]] = {}
    for blank in blanks:
        if blank.role != "bought":
            found.setdefault(blank.thickness_mm, []).append(blank)
    return {t: tuple(mine) for t, mine in sorted(found.items(), key=lambda pair: (-len(pair[1]), pair[0]))}


def pieces_of(blanks: tuple[Blank, ...]) -> tuple[Piece, ...]:
    """Blanks as pieces to nest."""
    return tuple(Piece(b.name, b.size_mm, b.area_mm2) for b in blanks if b.role != "bought")


def nest(
    blanks: Sequence[Piece | Blank],
    stocks: tuple[tuple[float, float], ...],
    gap_mm: float = 6.0,
    progress: Callable[[float], bool] | None = None,
) -> Nest:
    """The nest with the least sheet area. `progress(share)` returns False to stop (raises NestStopped).

    Raises NestError naming the first blank that is larger than every stock sheet.

    Args:
        blanks: the pieces, as rectangles.
        stocks: (width, length) of stock sheets, mm.
        gap_mm: between pieces.
        progress: called with the share done; False stops.
    """
    from rectpack import MaxRectsBaf, MaxRectsBssf, PackingMode, SkylineMwfl, newPacker

    best: Nest | None = None
    tries = [(stock, algo) for stock in stocks for algo in (MaxRectsBssf, MaxRectsBaf, SkylineMwfl)]
    area = sum(blank.area_mm2 for blank in blanks)
    for step, (stock, algo) in enumerate(tries):
        if progress is not None and not progress(step / len(tries)):
            raise NestStopped
        if any(not _fits(blank, stock) for blank in blanks):
            continue
        packer = newPacker(mode=PackingMode.Offline, pack_algo=algo, rotation=True)
        for i, blank in enumerate(blanks):
            width, height = blank.size_mm
            packer.add_rect(width + gap_mm, height + gap_mm, i)
        packer.add_bin(stock[0] + gap_mm, stock[1] + gap_mm, count=len(blanks))
        packer.pack()
        placed = packer.rect_list()
        if len(placed) < len(blanks):
            continue
        sheets = len({spot[0] for spot in placed})
        if best is None or sheets * stock[0] * stock[1] < best.sheets * best.stock[0] * best.stock[1]:
            spots = []
            for sheet, x, y, w, h, i in placed:
                turned = abs((w - gap_mm) - blanks[i].size_mm[0]) > 1e-6
                spots.append(
                    Spot(blanks[i].name, sheet, float(x), float(y), float(w - gap_mm), float(h - gap_mm), turned)
                )
            best = Nest(stock, sheets, tuple(spots), area / (sheets * stock[0] * stock[1]))
    if best is None:
        largest = max(blanks, key=lambda b: max(b.size_mm))
        sizes = ", ".join(f"{w:g} × {h:g}" for w, h in stocks)
        raise NestError(
            f"{largest.name} is {largest.size_mm[0]:.0f} × {largest.size_mm[1]:.0f} mm and no stock sheet takes it "
            f"({sizes} mm); choose a make-up with smaller pieces"
        )
    return best


def _fits(blank: Piece | Blank, stock: tuple[float, float]) -> bool:
    short, long = sorted(blank.size_mm)
    return short <= min(stock) + 1e-6 and long <= max(stock) + 1e-6
