"""Plates that would stand in one another: joints that go well edge by edge may meet badly in a corner."""

from __future__ import annotations

from itertools import combinations

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Shell
from bathyx.core.memory import remembered
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.core.sheet.flat.solids import depth_mm, near, plate_of
from bathyx.core.sheet.makeup.roles import EdgeRole
from bathyx.core.sheet.makeup.skins import Skins

CLASH = formula(
    "sheet.clash",
    "No plate stands in another",
    "no two plates, each as thick as it is and as far as its joints let it run, share more than 0.05 mm",
    source="Separating axes of convex prisms; geometry",
    valid="flat plates cut square, without their flanges, tabs and bevels; rounded bends left out",
    check="tests/core/test_joints.py against linear programming",
    tolerance="0.05 mm",
)
TOUCH_MM = 0.05


@remembered()
def clashes(shell: Shell, roles: tuple[EdgeRole, ...], skins: Skins, rule: BendRule) -> tuple[tuple[str, str], ...]:
    """Pairs of faces whose plates would stand in one another.

    Args:
        shell: panelled.
        roles: what becomes of its edges.
        skins: thickness of its panels.
        rule: radius and K of bends.
    """
    plates = [plate_of(laid, shell, name) for laid in laid_pieces(shell, roles, skins, rule) for name in laid.cores]
    return tuple(
        (a.name, b.name)
        for a, b in combinations(plates, 2)
        if any(depth_mm(p, q) > TOUCH_MM for p, q in near(a, b, TOUCH_MM))
    )
