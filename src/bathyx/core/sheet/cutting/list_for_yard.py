"""What to ask the steel yard for, and lists for the bench: blanks alike together, notches, bends, holes by tool."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from bathyx.core.geometry.shell import Shell
from bathyx.core.material import Sheet
from bathyx.core.memory import remembered
from bathyx.core.sheet.bending.brake_steps import BrakeStep, brake_steps
from bathyx.core.sheet.bending.machine import Brake
from bathyx.core.sheet.bending.on_brake import Along, Made
from bathyx.core.sheet.bending.order import along_bends, bend_order, usual_order
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.core.sheet.makeup.roles import EdgeRole
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.units import Said

SAME_MM = 0.05


@dataclass(frozen=True, eq=False)
class Line:
    """One line of the order: how many, the blank, corners that are notched, and its bends in order."""

    count: int
    names: tuple[str, ...]
    blank: Blank
    notches: int
    steps: tuple[BrakeStep, ...]


@dataclass(frozen=True)
class Tool:
    """Holes of one size: `size` as it is said, and where (blank, label)."""

    size: Said
    holes: tuple[tuple[str, str], ...]


def order_lines(
    blanks: Sequence[Blank], sheet: Sheet, orders: Mapping[tuple[str, ...], Sequence[Made]] | None = None
) -> tuple[Line, ...]:
    """Flat pieces of sheet, those alike together, the largest first: the order in which a shear cuts them.

    Args:
        blanks: of the tank.
        sheet: that they are cut from.
        orders: of the bends, by the faces of a blank; outer flanges first where none is given.
    """
    orders = orders or {}
    alike: dict[tuple[object, ...], list[Blank]] = defaultdict(list)
    for blank in blanks:
        if blank.role != "bought":
            alike[form_of(blank)].append(blank)
    rows = [
        Line(
            len(same),
            tuple(b.name for b in same),
            same[0],
            notches(same[0]),
            brake_steps(same[0], sheet, orders.get(same[0].faces, ())),
        )
        for same in alike.values()
    ]
    return tuple(sorted(rows, key=lambda row: (-row.blank.thickness_mm, -row.blank.size_mm[0] * row.blank.size_mm[1])))


@remembered()
def bend_orders(
    shell: Shell, roles: tuple[EdgeRole, ...], skins: Skins, rule: BendRule, brake: Brake
) -> dict[tuple[str, ...], tuple[Made, ...]]:
    """By the faces of each piece the order of its bends that is clear of the brake's tools; pieces without one are left out.

    Args:
        shell: panelled.
        roles: what becomes of its edges.
        skins: thickness of the panels.
        rule: radius and K.
        brake: with its beam or punch.
    """
    found = {}
    for laid in laid_pieces(shell, roles, skins, rule):
        order = bend_order(laid, shell, rule, brake)
        if laid.bends and order is not None:
            found[tuple(laid.lays)] = order
    return found


@remembered()
def bends_along(
    shell: Shell, roles: tuple[EdgeRole, ...], skins: Skins, rule: BendRule, brake: Brake
) -> dict[tuple[str, ...], tuple[Along, ...]]:
    """By the faces of each bent piece its steps as they are made, seen along each bend; in the usual order where none is clear.

    Args:
        shell: panelled.
        roles: what becomes of its edges.
        skins: thickness of the panels.
        rule: radius and K.
        brake: with its beam or punch.
    """
    orders = bend_orders(shell, roles, skins, rule, brake)
    return {
        (faces := tuple(laid.lays)): along_bends(laid, shell, rule, brake, orders.get(faces) or usual_order(laid))
        for laid in laid_pieces(shell, roles, skins, rule)
        if laid.bends
    }


def hole_tools(blanks: Sequence[Blank]) -> tuple[Tool, ...]:
    """Every hole by the tool that cuts it, the smallest first, so that one set-up does all of a size."""
    found: dict[tuple[float, str], list[tuple[str, str]]] = defaultdict(list)
    said: dict[str, Said] = {}
    for blank in blanks:
        for hole in blank.holes:
            said[hole.size] = hole.size
            found[hole.diameter_mm, hole.size].append((blank.name, hole.label))
    return tuple(Tool(said[size], tuple(places)) for (_, size), places in sorted(found.items()))


def cut_after(blanks: Sequence[Blank], roles: Sequence[EdgeRole]) -> dict[str, tuple[str, ...]]:
    """By the name of a flat blank the bent or rolled ones that it meets: it is cut to them, after they have their shape.

    Bent parts come out a little long or short; parts that must match one are cut after it: common practice.
    """
    of = {face: blank for blank in blanks for face in blank.faces}
    found: dict[str, list[str]] = defaultdict(list)
    for role in roles:
        if role.kind != "weld":
            continue
        pair = (of.get(role.edge.a), of.get(role.edge.b))
        for own, other in (pair, pair[::-1]):
            if (
                own is not None
                and other is not None
                and not own.bends
                and other.bends
                and other.name not in found[own.name]
            ):
                found[own.name].append(other.name)
    return {name: tuple(bent) for name, bent in found.items() if bent}


def notches(blank: Blank) -> int:
    """Corners of the outline that turn inward, between straight sides."""
    ring, straight = blank.outline.points, np.abs(blank.outline.bulges) < 1e-9
    into, out = ring - np.roll(ring, 1, axis=0), np.roll(ring, -1, axis=0) - ring
    turns = into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0]
    inward = turns < -1e-3 * np.hypot(*into.T) * np.hypot(*out.T)
    return int((inward & straight & np.roll(straight, 1)).sum())


def form_of(blank: Blank) -> tuple[object, ...]:
    """Equal for blanks that are cut alike."""
    ring = np.round(blank.outline.faceted / SAME_MM).astype(int)
    holes = sorted((*np.round(h.centre / SAME_MM).astype(int).tolist(), round(h.diameter_mm, 2)) for h in blank.holes)
    bends = sorted(
        (*np.round((b.start + b.end) / SAME_MM).astype(int).tolist(), round(b.turn_deg, 2), b.up) for b in blank.bends
    )
    first = int(np.lexsort(ring.T)[0])
    return blank.thickness_mm, tuple(map(tuple, np.roll(ring, -first, axis=0).tolist())), tuple(holes), tuple(bends)
