"""The make-up: for each edge of the shell, bent or welded, and with which joint.

Schools: `plates` (every edge welded), `two_l` (two bent pieces and two ends), `wrap` (one piece with a seam at
the upper rear corner and two ends set in it), `perimeter` (two profile sides that cover a folded strip whose seam
lies on the flat of the top), `rolled` (a rolled body, or a bought section cut to length, and two ends), `pressed` (two
halves with a flange seam). A family says which of them suit it and where their seams run (`MakeUpPlan`). Single edges
may be chosen otherwise, those of ends too; schools weld ends.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field

from bathyx.core.geometry.shell import Edge, Shell
from bathyx.core.material import Sheet
from bathyx.core.sheet.strips import Strip, measured_k
from bathyx.core.tank.family import MakeUpPlan, TankFamily
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

School = Literal["plates", "two_l", "wrap", "perimeter", "rolled", "pressed"]
SCHOOLS: dict[str, str] = {
    "plates": "Sheared plates",
    "two_l": "Two bent pieces",
    "wrap": "One wrap",
    "perimeter": "Sides and perimeter",
    "rolled": "Rolled or bought body",
    "pressed": "Pressed halves",
}
SQUARE_DEG, MOST_TURN_DEG = 1.0, 175.0
APART = ("weld", "whole")


class MakeUpError(Refusal):
    """A make-up that cannot be built, with the edge to weld instead."""


class EdgeChoice(Frozen):
    """One edge taken out of the school's hands."""

    edge: str = Field(max_length=80)
    role: Literal["bend", "weld"]


class Brake(Frozen):
    """The shop's brake: its bending length, whether a closed section can be slid off the end of its beam, how deep a box its
    fingers bend (flanges that stand on neighbouring edges of one face), and how deep its beam is behind the bend, 0 where that is
    not looked at."""

    length_mm: float = Field(2500, gt=0, le=20_000)
    open_ended: bool = False
    pan_mm: float = Field(100, ge=0, le=2000)
    beam_mm: float = Field(0, ge=0, le=2000)


class MakeUp(Frozen):
    """How the tank is made from sheet. Radius and K default to the sheet's own; K to that of the shop's test `strips`.

    `both_sides`: corner seams are welded inside too, before the tank is closed.
    """

    school: School = "plates"
    joint: Literal["corner", "lap"] = "corner"
    bend_radius_mm: float | None = Field(None, ge=0, le=200)
    k_factor: float | None = Field(None, gt=0, le=0.5)
    edges: tuple[EdgeChoice, ...] = Field((), max_length=60)
    both_sides: bool = False
    brake: Brake = Brake()
    strips: tuple[Strip, ...] = Field((), max_length=40)

    @staticmethod
    def written(document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document as a file has it: later fields are left out where they say nothing."""
        brake = dict(document["brake"])
        for name in ("pan_mm", "beam_mm"):
            if brake.get(name) == Brake.model_fields[name].default:
                del brake[name]
        document = document | {"brake": brake}
        return {name: v for name, v in document.items() if name != "strips" or v}


@dataclass(frozen=True)
class EdgeRole:
    """What becomes of an edge: bent, welded with a joint, or rolled: the sheet runs on over it without either. `whole`: no
    edge at all, but the line where the drawing of a bought section is laid open.

    `over` is the face that laps past the other by t.
    """

    edge: Edge
    kind: Literal["bend", "weld", "roll", "whole"]
    joint: Literal["bend", "corner", "lap", "butt", "roll", "whole"]
    over: str | None = None

    def run_past_mm(self, face: str, thickness_mm: float) -> float:
        """How far `face`'s panel runs past this welded edge."""
        return thickness_mm if self.over == face else 0.0


@dataclass(frozen=True)
class BendRule:
    """Radius (mm, inside) and K in force for this tank."""

    radius_mm: float
    k_factor: float


def bend_rule(makeup: MakeUp, sheet: Sheet) -> BendRule:
    """The make-up's own radius and K, K of the shop's strips, or the sheet's. Refusal where strips show no K that a bend has."""
    radius = sheet.bend_radius_mm if makeup.bend_radius_mm is None else makeup.bend_radius_mm
    if makeup.k_factor is None and makeup.strips:
        return BendRule(radius, measured_k(makeup.strips, radius, sheet.thickness_mm).k)
    return BendRule(radius, sheet.material.k_factor if makeup.k_factor is None else makeup.k_factor)


def plan_of(makeup: MakeUp, tank: TankFamily) -> MakeUpPlan:
    """How the make-up's school makes this tank. MakeUpError that names the schools that suit it."""
    plan = tank.plan(makeup.school)
    if plan is None:
        fits = ", ".join(f"{SCHOOLS[s]} ({s})" for s in tank.schools())
        raise MakeUpError(f"a tank of the {tank.family} family is not made as {SCHOOLS[makeup.school]}; choose {fits}")
    return plan


def roles_of(shell: Shell, makeup: MakeUp, tank: TankFamily) -> tuple[EdgeRole, ...]:
    """One role per edge, in the shell's order. MakeUpError when a piece would close on itself without a seam."""
    plan = plan_of(makeup, tank)
    chosen = {choice.edge: choice.role for choice in makeup.edges}
    seams = _seams(shell, plan)
    roles = []
    for edge in shell.edges:
        a, b = shell.by_id[edge.a], shell.by_id[edge.b]
        kept_apart = "end" in (a.role, b.role) or (a.role == "sump") != (b.role == "sump")
        kind = chosen.get(edge.id)
        if kind == "bend" and not may_bend(edge, shell, bought=bool(plan.bought)):
            raise MakeUpError(
                f"{edge.id}: only a straight edge between two flat faces is bent; a sump, a rolled wall or a bought body is welded"
            )
        between_walls = not kept_apart and "sump" not in (a.role, b.role)
        if plan.bought and between_walls:
            if kind == "weld":
                raise MakeUpError(f"{edge.id}: the body is {plan.bought}, bought whole; there is no seam to weld")
            roles.append(EdgeRole(edge, "whole", "whole") if a.parent == b.parent else EdgeRole(edge, "roll", "roll"))
            continue
        if edge.smooth:
            runs_on = a.parent != b.parent and not kept_apart and kind != "weld" and edge.id not in seams
            roles.append(EdgeRole(edge, "roll", "roll") if runs_on else EdgeRole(edge, "weld", "butt"))
            continue
        if kind is None:
            kind = "weld" if edge.id in seams or kept_apart or a.role == "sump" else "bend"
        if kind == "bend":
            roles.append(EdgeRole(edge, "bend", "bend"))
        else:
            roles.append(EdgeRole(edge, "weld", *_joint(edge, makeup, shell, plan, tank)))
    _refuse_closed_piece(shell, roles)
    return tuple(roles)


def may_bend(edge: Edge, shell: Shell, *, bought: bool = False) -> bool:
    """Whether an edge can be a bend: straight, between flat faces of the same part of the tank, and it turns."""
    a, b = shell.by_id[edge.a], shell.by_id[edge.b]
    flat = a.kind == "plane" and b.kind == "plane" and len(edge.line) == 2 and not edge.smooth
    return flat and (a.role == "sump") == (b.role == "sump") and not bought and edge.turn_deg < MOST_TURN_DEG


def _seams(shell: Shell, plan: MakeUpPlan) -> set[str]:
    """Edges between ring faces that the school welds. Ring faces stand in the shell in order round the tank."""
    ring = [face.id for face in shell.faces if face.role not in ("end", "sump")]
    between: dict[frozenset[str], list[str]] = {}
    for edge in shell.edges:
        between.setdefault(frozenset((edge.a, edge.b)), []).append(edge.id)
    found = {edge for pair in plan.welded for edge in between.get(frozenset(pair), ())}
    for i, face in enumerate(ring):
        if plan.seams_after is None or face in plan.seams_after:
            shared = between.get(frozenset((face, ring[(i + 1) % len(ring)])), [])
            if shared:
                found.add(shared[i % len(shared)])
    return found


def _joint(
    edge: Edge, makeup: MakeUp, shell: Shell, plan: MakeUpPlan, tank: TankFamily
) -> tuple[Literal["corner", "lap"], str | None]:
    """Joint and lapping face. A reflex edge can only meet corner to corner: nothing can run past inside the tank.

    So can an oblique one: a square lap would stand inside its neighbour, or off it.
    """
    if edge.reflex or abs(edge.turn_deg - 90) > SQUARE_DEG:
        return "corner", None
    end = next((name for name in (edge.a, edge.b) if shell.by_id[name].role == "end"), None)
    wrap = edge.b if end == edge.a else edge.a
    if end:
        set_in = tank.set_in(end)
        if set_in is not None:
            return "lap", wrap if set_in else end
    if plan.ends_over == "always" and end:
        return "lap", end
    if makeup.joint == "corner":
        return "corner", None
    if end:
        return "lap", wrap if plan.ends_over == "ring" else end
    level = [name for name in (edge.a, edge.b) if shell.by_id[name].role in ("roof", "floor")]
    return "lap", level[0] if level else edge.a


def root_of(group: Mapping[str, str], name: str) -> str:
    """What stands for a name's group: each name points to another of its group, the last to itself."""
    while group[name] != name:
        name = group[name]
    return name


def _refuse_closed_piece(shell: Shell, roles: list[EdgeRole]) -> None:
    group = {face.id: face.id for face in shell.faces}
    for role in roles:
        if role.kind in APART:
            continue
        a, b = root_of(group, role.edge.a), root_of(group, role.edge.b)
        if a == b:
            what = "bending" if role.kind == "bend" else "rolling on over"
            raise MakeUpError(f"{what} {role.edge.id} closes the piece on itself; weld at least one edge of the ring")
        group[a] = b
