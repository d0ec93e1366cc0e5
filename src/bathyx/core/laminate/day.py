"""What laying up takes: panels with their glass and resin, batches that are laid before they gel, cloth off the roll."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from bathyx.core.formula import formula
from bathyx.core.laminate.layup import LayUp
from bathyx.core.laminate.stuff import Cloth, cloths
from bathyx.core.laminate.tabs import Tabs
from bathyx.core.units import Said, mm

BATCH = formula(
    "laminate.batch",
    "A batch of resin",
    "kg = 0.6 · pot life · 0.15 kg/min; at least what one ply of the piece takes is mixed in so many cups; catalyst = resin · %",
    source="Mixed and on the cloth with time to roll it out before it gels: common practice; 0.15 kg a minute by one pair of "
    "hands: "
    "an estimate",
    valid="hand lay-up by one person; cups of 0.2 to 1.5 kg",
    check="tests/core/test_laminate.py",
    tolerance="±half: weigh the first cup and watch it",
)
SPREAD_KG_MIN, SHARE_OF_POT, MOST_KG, LEAST_KG, SPARE = 0.15, 0.6, 1.5, 0.2, 1.10
TRIM_MM, PUTTY_RESIN = 25.0, 0.6
PACKERS = (
    "MaxRectsBl",
    "GuillotineBafSas",
)  # the quickest of all and the shortest, on three lay-ups of 95 to 193 pieces


@dataclass(frozen=True)
class LaidPanel:
    """A panel or a run of tapes: its size (mm) and area (m2), thickness, kg when laid, resin and glass, plies from the inside."""

    name: str
    size_mm: tuple[float, float]
    area_m2: float
    thick_mm: float
    kg: float
    resin_kg: float
    glass_kg: float
    plies: tuple[str, ...]
    laid: LayUp | None = None


@dataclass(frozen=True)
class Batch:
    """A cup: for what, g of resin and catalyst, minutes until it gels."""

    of: str
    resin_g: float
    catalyst_g: float
    pot_life_min: float


@dataclass(frozen=True)
class Piece:
    """A piece of cloth to cut: of what, w x h in mm, whether its warp may lie across."""

    name: str
    cloth: str
    w_mm: float
    h_mm: float
    any_way: bool


@dataclass(frozen=True)
class OnRoll:
    """Pieces of one cloth on its roll: (piece, x along the roll, y across, turned), and the length that goes off the roll, mm."""

    cloth: str
    roll_mm: float
    length_mm: float
    places: tuple[tuple[Piece, float, float, bool], ...]

    @property
    def used(self) -> float:
        """Share of the cloth that is pieces."""
        area = sum(p.w_mm * p.h_mm for p, *_ in self.places)
        return area / (self.roll_mm * self.length_mm) if self.length_mm else 0.0


def panel_of(name: str, size_mm: tuple[float, float], area_mm2: float, layup: LayUp) -> LaidPanel:
    """A flat panel as laid and trimmed."""
    made, area = layup.made, area_mm2 / 1e6
    return LaidPanel(
        name, size_mm, area, made.thick_mm, made.kg_m2 * area, made.resin_kg_m2 * area, made.glass_kg_m2 * area,
        tuple(cloths()[ply.cloth].name for ply in layup.plies), layup,
    )  # fmt: skip


def tapes_of(name: str, length_mm: float, sides: int, tab: Tabs) -> LaidPanel:
    """The tapes of joints, so many mm of them on so many sides."""
    metres = length_mm / 1000 * sides
    width = max(w for _, w in tab.tapes)
    resin = (tab.resin_kg_m + PUTTY_RESIN * tab.putty_kg_m) * metres
    return LaidPanel(
        name, (length_mm, width), metres * width / 1000, tab.mm, tab.kg_m * metres, resin,
        tab.glass_kg_m * metres, tuple(cloths()[key].name for key, _ in tab.tapes),
    )  # fmt: skip


def batches(panels: Sequence[LaidPanel], layup: LayUp) -> tuple[Batch, ...]:
    """Cups of resin for each panel, a tenth to spare, none larger than is laid in its pot life."""
    resin = layup.made.resin
    pot = resin.pot_life_min(layup.catalyst_pct, layup.room_c)
    most = min(MOST_KG, max(LEAST_KG, SHARE_OF_POT * pot * SPREAD_KG_MIN))
    found = []
    for panel in panels:
        whole = SPARE * panel.resin_kg
        cups = max(1, math.ceil(whole / most - 1e-9))
        for k in range(cups):
            grams = 1000 * whole / cups
            name = f"{panel.name}, cup {k + 1} of {cups}" if cups > 1 else panel.name
            found.append(Batch(name, grams, grams * layup.catalyst_pct / 100, pot))
    return tuple(found)


def pieces_of(
    panels: Sequence[LaidPanel], layup: LayUp, tapes: Sequence[tuple[float, int, Tabs]] = ()
) -> tuple[Piece, ...]:
    """Pieces of cloth: a ply of each panel, 25 mm to trim all round, in strips where a roll is too narrow; tapes by joint.

    Args:
        panels: flat ones.
        layup: plies of those that have none of their own.
        tapes: (length of a joint, its sides, its tabs).
    """
    found = []
    for panel in panels:
        for number, ply in enumerate((panel.laid or layup).plies, start=1):
            cloth = cloths()[ply.cloth]
            w, h = _turned((panel.size_mm[0] + 2 * TRIM_MM, panel.size_mm[1] + 2 * TRIM_MM), ply.angle_deg, cloth)
            name = f"{panel.name}, ply {number}" + ("" if cloth.any_way or ply.angle_deg % 90 == 0 else ", on the bias")
            short, long = min(w, h), max(w, h)
            if short <= cloth.roll_mm:
                found.append(Piece(name, ply.cloth, w, h, cloth.any_way or _square(cloth.layers)))
                continue
            strips = math.ceil(short / (cloth.roll_mm - 2 * TRIM_MM))
            for k in range(strips):
                found.append(
                    Piece(f"{name}, strip {k + 1}", ply.cloth, long, short / strips + 2 * TRIM_MM, cloth.any_way)
                )
    for length, sides, tab in tapes:
        for key, width in tab.tapes:
            roll = cloths()[key].roll_mm
            for side in range(sides):
                left, part = length + 2 * TRIM_MM, 1
                while left > 0:
                    piece = min(left, max(roll, 1000.0))
                    name = Said(f"tape {mm(width)} for a joint of {mm(length)}, side {side + 1}.{part}")
                    found.append(Piece(name, key, piece, width, True))
                    left, part = left - piece, part + 1
    return tuple(found)


def _turned(size: tuple[float, float], angle_deg: float, cloth: Cloth) -> tuple[float, float]:
    """Width and height on the roll of a piece whose warp lies at an angle on its panel: of the box round it, mm."""
    if cloth.any_way:
        return size
    c, s = abs(math.cos(math.radians(angle_deg))), abs(math.sin(math.radians(angle_deg)))
    return size[0] * c + size[1] * s, size[0] * s + size[1] * c


def _square(layers: tuple[tuple[float, float], ...]) -> bool:
    """Whether a cloth is the same with its warp across: +45 and −45, or 0 and 90, alike."""
    turned = sorted(((angle + 90 + 90) % 180 - 90, g) for angle, g in layers)
    return turned == sorted((((angle + 90) % 180) - 90, g) for angle, g in layers)


def on_rolls(pieces: Sequence[Piece]) -> tuple[OnRoll, ...]:
    """Pieces laid out on the roll of each cloth, the shortest of several packers of `rectpack`.

    Args:
        pieces: none wider than its roll.
    """
    found = []
    for key in dict.fromkeys(piece.cloth for piece in pieces):
        mine = tuple(piece for piece in pieces if piece.cloth == key)
        found.append(_laid(key, cloths()[key].roll_mm, mine))
    return tuple(found)


@lru_cache(maxsize=64)
def _laid(key: str, roll: float, pieces: tuple[Piece, ...]) -> OnRoll:
    import rectpack

    reach = sum(max(p.w_mm, p.h_mm) for p in pieces)
    best: OnRoll | None = None
    turn = all(p.any_way for p in pieces)
    for sort in (rectpack.SORT_AREA, rectpack.SORT_SSIDE, rectpack.SORT_LSIDE):
        for algo in PACKERS:
            packer = rectpack.newPacker(pack_algo=getattr(rectpack, algo), sort_algo=sort, rotation=turn)
            packer.add_bin(roll, reach)
            for k, piece in enumerate(pieces):
                w, h = (piece.h_mm, piece.w_mm) if not turn and piece.w_mm > roll else (piece.w_mm, piece.h_mm)
                packer.add_rect(w, h, k)
            packer.pack()
            laid = packer.rect_list()
            if len(laid) < len(pieces):
                continue
            length = max(y + h for _, _, y, _, h, _ in laid)
            if best is None or length < best.length_mm - 1e-9:
                places = tuple(
                    (pieces[k], float(y), float(x), abs(w - pieces[k].w_mm) > 1e-6)
                    for _, x, y, w, h, k in sorted(laid, key=lambda r: r[5])
                )
                best = OnRoll(key, roll, float(length), places)
    assert best is not None, key
    return best
