"""The order of a piece's bends in which nothing of it stands in the brake's tools, if there is one; by hand where that is done."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Shell
from bathyx.core.sheet.bending.brake import CLOSING_DEG, turned_round
from bathyx.core.sheet.bending.fold import in_order
from bathyx.core.sheet.bending.machine import Brake
from bathyx.core.sheet.bending.on_brake import Along, Made, OnBrake, ToolsAt
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.laid import Laid

BY_HAND = formula(
    "sheet.by_hand",
    "Closed by hand",
    "where no order is clear: one bend, else two, left half made on the brake, and closed by hand over a bar after all others",
    source="A box that closes on its brake, common practice",
    valid="soft sheet up to the thickness that the shop says it closes by hand",
    check="tests/core/test_press.py: a narrow channel",
    tolerance="the angle is by eye and template: a bend closed by hand is rounder and longer by up to half a thickness",
)
LEFT_OPEN, MOST_BY_HAND, SOFT_MM = 0.5, 2, 2.0


def bend_order(laid: Laid, shell: Shell, rule: BendRule, brake: Brake) -> tuple[Made, ...] | None:
    """Bends in an order that is clear of the brake's tools, outer flanges first where that does; None where none was found.

    Args:
        laid: the flat piece.
        shell: of the tank.
        rule: radius and K.
        brake: with its beam, or its punch; the usual order where neither is said.
    """
    usual = usual_order(laid)
    if not usual:
        return usual
    may_close = laid.t <= brake.by_hand_mm
    if not (may_close and _closes(laid, shell, brake, usual)):
        found = usual if not brake.looked_at else _searched(OnBrake(laid, shell, rule, brake), usual)
        if found is not None or not may_close:
            return found
    on_brake = OnBrake(laid, shell, rule, brake)
    for many in range(1, MOST_BY_HAND + 1):
        for left in combinations(reversed(usual), many):
            opened = tuple(Made(m.edge, LEFT_OPEN) if m in left else m for m in usual)
            if _closes(laid, shell, brake, opened):
                continue
            found = opened if not brake.looked_at else _searched(on_brake, opened)
            if found is not None:
                return (*found, *(Made(m.edge, 1.0, hand=True) for m in left))
    return None


def usual_order(laid: Laid) -> tuple[Made, ...]:
    """Outer flanges first, what they hang on after."""
    return tuple(Made(edge) for edge in in_order(laid))


def _closes(laid: Laid, shell: Shell, brake: Brake, steps: Sequence[Made]) -> bool:
    """Whether a piece closes round the beam, so that it does not come off."""
    if brake.open_ended:
        return False
    edges, shares = {edge.id: edge for edge in shell.edges}, {step.edge: step.share for step in steps}
    return turned_round((edges[bend.edge] for bend in laid.bends), shares) >= CLOSING_DEG - 1


def _searched(on_brake: OnBrake, steps: Sequence[Made]) -> tuple[Made, ...] | None:
    """Steps in an order in which each is clear after those before it."""
    failed: set[frozenset[Made]] = set()

    def after(made: frozenset[Made]) -> tuple[Made, ...] | None:
        if len(made) == len(steps):
            return ()
        if made in failed:
            return None
        for step in steps:
            if step in made or on_brake.set_up(step, made) is None:
                continue
            rest = after(made | {step})
            if rest is not None:
                return (step, *rest)
        failed.add(made)
        return None

    return after(frozenset())


def shares_at(laid: Laid, share: float, order: Sequence[Made] = ()) -> dict[str, float]:
    """How far each bend is made at a share of the folding, one step after another, outer flanges first without an order; flanges of
    joints before all."""
    steps = [*(Made(side.name) for side in laid.flanges), *(order or usual_order(laid))]
    found: dict[str, float] = {}
    for k, step in enumerate(steps):
        before = found.get(step.edge, 0.0)
        found[step.edge] = before + min(max(share * len(steps) - k, 0.0), 1.0) * (step.share - before)
    return found


def tools_at(
    laid: Laid, shell: Shell, rule: BendRule, brake: Brake, order: Sequence[Made], share: float
) -> ToolsAt | None:
    """Where the tools are at a share of a piece's folding; None before, after, by hand, and where they are not looked at.

    Args:
        laid: the flat piece.
        shell: of the tank.
        rule: radius and K.
        brake: with its tools.
        order: of the bends.
        share: 0 flat, 1 all steps made, one after another.
    """
    if not brake.looked_at or not order or not 0 < share < 1:
        return None
    along = share * (len(order) + len(laid.flanges)) - len(laid.flanges)
    at = min(int(along), len(order) - 1)
    if along < 0 or order[at].hand:
        return None
    return OnBrake(laid, shell, rule, brake).tools(order[at], order[:at], along - at)


def along_bends(laid: Laid, shell: Shell, rule: BendRule, brake: Brake, order: Sequence[Made]) -> tuple[Along, ...]:
    """Every step of a piece as its bend is made, seen along it.

    Args:
        laid: the flat piece.
        shell: of the tank.
        rule: radius and K.
        brake: with its tools.
        order: of the bends.
    """
    on_brake = OnBrake(laid, shell, rule, brake)
    return tuple(on_brake.along(step, order[:k]) for k, step in enumerate(order))
