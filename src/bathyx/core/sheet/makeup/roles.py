"""The make-up: for each edge of the shell, bent or welded, and with which joint.

Schools: `plates` (every edge welded), `two_l` (two bent pieces and two ends), `wrap` (one piece with a seam at
the upper rear corner and two ends set in it), `perimeter` (two profile sides that cover a folded strip whose seam
lies on the flat of the top), `rolled` (a rolled body, or a bought section cut to length, and two ends), `pressed` (two
halves with a flange seam). A family says which of them suit it and where their seams run (`MakeUpPlan`). Single edges
may be chosen otherwise, those of ends too; schools weld ends.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, Literal

from pydantic import Field, field_validator, model_validator

from bathyx.core.geometry.shell import Edge, Shell, edge_id
from bathyx.core.material import Sheet
from bathyx.core.sheet.bending.machine import Brake
from bathyx.core.sheet.bending.rule import BendEntry, BendRule, KRule, rule_of
from bathyx.core.sheet.bending.strips import Strip, measured_k
from bathyx.core.sheet.makeup.doublers import Doubler
from bathyx.core.sheet.makeup.joints import (
    LEAST_TURN_DEG,
    OVER,
    PLAIN,
    SQUARE_DEG,
    Ends,
    JointError,
    JointName,
    Wish,
    ends_at,
)
from bathyx.core.sheet.makeup.screws import LidScrews
from bathyx.core.sheet.makeup.skins import PanelSheet, Skins
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
MOST_TURN_DEG, TOUCH_MM = 175.0, 1e-6
APART = ("weld", "whole")
FIRST_FIELDS = ("school", "joint", "bend_radius_mm", "k_factor", "edges", "both_sides", "brake")
BANDS_APART_MM = 50.0
NO_SKIN, NO_BEND = Skins(0.0), BendRule(0.0, 0.4)


class MakeUpError(Refusal):
    """A make-up that cannot be built, with the edge to weld instead."""


class EdgeChoice(Frozen):
    """One edge taken out of the school's hands: bent, or welded, with a joint of its own where one is said.

    `over`: the face that runs over (tee, set in: the one that runs past; flanged: the one that has the flange). Lengths in mm.
    """

    edge: str = Field(max_length=80)
    role: Literal["bend", "weld"]
    joint: JointName | None = None
    over: str = Field("", max_length=80)
    past_mm: float = Field(0, ge=0, le=300)
    flange_mm: float = Field(0, ge=0, le=300)
    gap_mm: float = Field(0, ge=0, le=10)
    bevel: bool = False

    @model_validator(mode="after")
    def _bent_has_no_joint(self) -> EdgeChoice:
        if self.role == "bend" and self.joint is not None:
            raise ValueError(f"{self.edge} is bent: a joint belongs to a welded edge")
        return self

    @staticmethod
    def written(document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document: what is not said is left out."""
        plain = {name: field.default for name, field in EdgeChoice.model_fields.items()}
        return {name: v for name, v in document.items() if name in ("edge", "role") or v != plain[name]}


class MovedSeam(Frozen):
    """A seam brought from a corner round onto a flat: `edge` is bent, and `onto`, a face it meets, is parted `by_mm` from it."""

    edge: str = Field(max_length=80)
    onto: str = Field(max_length=80)
    by_mm: float = Field(gt=0, le=5000)


class MakeUp(Frozen):
    """How the tank is made from sheet. Radius and K default to the sheet's own; K to that of the shop's test `strips`.

    `both_sides`: corner seams are welded inside too, before the tank is closed. `weld_process`: of plastics, hot gas
    unless said; of halves an arc, or a roller seam. `bands`: of steel box round the tank, mm over its lowest.
    """

    school: School = "plates"
    joint: Literal["corner", "lap"] = "corner"
    bend_radius_mm: float | None = Field(None, ge=0, le=200)
    k_factor: float | None = Field(None, gt=0, le=0.5)
    edges: tuple[EdgeChoice, ...] = Field((), max_length=60)
    both_sides: bool = False
    brake: Brake = Brake()
    strips: tuple[Strip, ...] = Field((), max_length=40)
    k_rule: KRule = "sheet"
    table: tuple[BendEntry, ...] = Field((), max_length=200)
    panels: tuple[PanelSheet, ...] = Field((), max_length=60)
    moved: tuple[MovedSeam, ...] = Field((), max_length=20)
    doublers: tuple[Doubler, ...] = Field((), max_length=60)
    grain: bool = False
    relief_mm: float = Field(0, ge=0, le=30)
    trim_mm: float = Field(0, ge=0, le=50)
    shrink_mm: float = Field(0, ge=0, le=5)
    weld_process: Literal["", "hot_gas", "extrusion", "fusion", "roller"] = ""
    lid: LidScrews = LidScrews()
    bands: tuple[float, ...] = Field((), max_length=8)

    @field_validator("bands")
    @classmethod
    def _bands_stand_apart(cls, bands: tuple[float, ...]) -> tuple[float, ...]:
        heights = sorted(bands)
        for at in heights:
            if not 20 <= at <= 5000:
                raise Refusal(f"a band at {at:g} mm; it should be from 20 to 5000 mm over the floor")
        for low, high in pairwise(heights):
            if high - low < BANDS_APART_MM:
                raise Refusal(
                    f"bands at {low:g} and {high:g} mm; they should stand {BANDS_APART_MM:g} mm apart at least"
                )
        return tuple(heights)

    @staticmethod
    def written(document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document as a file has it: later fields are left out where they say nothing."""
        document = document | {
            "brake": Brake.written(document["brake"]),
            "edges": [EdgeChoice.written(e) for e in document["edges"]],
        }
        document["panels"] = [PanelSheet.written(p) for p in document["panels"]]
        if document["lid"] == LidScrews().model_dump():
            document = {name: v for name, v in document.items() if name != "lid"}
        said = {name: v for name, v in document.items() if name in FIRST_FIELDS}
        return said | {
            name: v
            for name, v in document.items()
            if name not in FIRST_FIELDS and v and v != MakeUp.model_fields[name].default
        }

    def plainly(self) -> MakeUp:
        """The make-up with nothing but which edges bend: as card is folded."""
        edges = tuple(EdgeChoice(edge=e.edge, role=e.role) for e in self.edges)
        return self.model_copy(update={"edges": edges, "panels": (), "doublers": ()})


@dataclass(frozen=True)
class EdgeRole:
    """What becomes of an edge: bent, welded with a joint, or rolled: the sheet runs on over it without either. `whole`: no
    edge at all, but the line where the drawing of a bought section is laid open.

    `over` is the face that runs over the other's edge; `ends` is where the plates of the edge's faces `a` and `b` end.
    """

    edge: Edge
    kind: Literal["bend", "weld", "roll", "whole"]
    joint: Literal["bend", "roll", "whole"] | JointName
    over: str | None = None
    ends: tuple[Ends, Ends] = (PLAIN, PLAIN)

    def ends_of(self, face: str) -> Ends:
        """Where `face`'s plate ends at this edge."""
        return self.ends[0 if self.edge.a == face else 1]


def bend_rule(makeup: MakeUp, sheet: Sheet) -> BendRule:
    """The make-up's own radius and K; else K of the shop's bend table where it has the bend, its strips, a published rule, or the
    sheet.

    Refusal where strips or table show a K that no bend has.
    """
    own = tuple(p.thickness_mm for p in makeup.panels)
    radius, k, table, published = makeup.bend_radius_mm, makeup.k_factor, makeup.table, makeup.k_rule
    if k is not None:
        table, published = (), "sheet"
    elif makeup.strips:
        r = sheet.bend_radius_mm if radius is None else radius
        k, published = measured_k(makeup.strips, r, sheet.thickness_mm).k, "sheet"
    rule = rule_of(sheet, radius, sheet.material.k_factor if k is None else k, own, table, published)
    return replace(rule, relief_mm=makeup.relief_mm, trim_mm=makeup.trim_mm, grain=makeup.grain)


def plan_of(makeup: MakeUp, tank: TankFamily) -> MakeUpPlan:
    """How the make-up's school makes this tank. MakeUpError that names the schools that suit it."""
    plan = tank.plan(makeup.school)
    if plan is None:
        fits = ", ".join(f"{SCHOOLS[s]} ({s})" for s in tank.schools())
        raise MakeUpError(f"a tank of the {tank.family} family is not made as {SCHOOLS[makeup.school]}; choose {fits}")
    return plan


def roles_of(
    shell: Shell, makeup: MakeUp, tank: TankFamily, skins: Skins = NO_SKIN, rule: BendRule = NO_BEND
) -> tuple[EdgeRole, ...]:
    """One role per edge, in the shell's order.

    Args:
        shell: with faces parted where a seam lies on a flat.
        makeup: of it.
        tank: its family.
        skins: thickness of its panels; none at all where only what is bent and what is welded counts.
        rule: radius of bends, for flanges.

    Raises:
        MakeUpError: when a piece would close on itself without a seam, panels bent out of one piece differ in thickness, or an
            edge cannot have its joint.
    """
    plan = plan_of(makeup, tank)
    chosen = {choice.edge: choice for choice in makeup.edges}
    seams, rounds = _seams(shell, plan), _moved_off(shell, makeup.moved)
    roles = []
    for edge in shell.edges:
        a, b = shell.by_id[edge.a], shell.by_id[edge.b]
        kept_apart = "end" in (a.role, b.role) or (a.role == "sump") != (b.role == "sump")
        choice = chosen.get(edge.id)
        kind = None if choice is None else choice.role
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
            if runs_on:
                roles.append(EdgeRole(edge, "roll", "roll"))
            else:
                wish = _wish(choice, makeup, "butt", None)
                roles.append(_welded(shell, edge, wish, skins, rule))
            continue
        if kind is None and edge.id in rounds:
            if not may_bend(edge, shell, bought=bool(plan.bought)):
                raise MakeUpError(f"{edge.id} cannot be bent, so its seam stays in the corner")
            kind = "bend"
        if kind is None:
            kind = "weld" if edge.id in seams or kept_apart or a.role == "sump" else "bend"
        if kind == "bend":
            roles.append(EdgeRole(edge, "bend", "bend"))
        else:
            wish = _wish(choice, makeup, *_joint(edge, makeup, shell, plan, tank))
            roles.append(_welded(shell, edge, wish, skins, rule))
    _refuse_closed_piece(shell, roles)
    _refuse_two_thicknesses(roles, skins)
    return tuple(roles)


def _wish(choice: EdgeChoice | None, makeup: MakeUp, joint: JointName, over: str | None) -> Wish:
    """What is asked of a welded edge: its own choice, else what the school says. What a butt weld draws in is left on."""
    drawn_in = makeup.shrink_mm if joint == "butt" else 0.0
    if choice is None or choice.joint is None:
        return Wish(joint, over or "", gap_mm=-drawn_in)
    runs = choice.over or (over or "" if choice.joint in OVER else "")
    gap = choice.gap_mm - drawn_in
    return Wish(choice.joint, runs, choice.past_mm, choice.flange_mm, gap, choice.bevel)


def _welded(shell: Shell, edge: Edge, wish: Wish, skins: Skins, rule: BendRule) -> EdgeRole:
    """The role of a welded edge. Curved ones meet as the school has them: corner, butt, or one plate over the other's edge."""
    a, b = shell.by_id[edge.a], shell.by_id[edge.b]
    thick = skins.of(a), skins.of(b)
    over = (wish.over or edge.a) if wish.joint in OVER else None
    if a.kind == "plane" and b.kind == "plane" and len(edge.line) == 2:
        try:
            return EdgeRole(
                edge,
                "weld",
                wish.joint,
                over,
                ends_at(edge, wish, thick, (rule.radius_at(thick[0]), rule.radius_at(thick[1]))),
            )
        except JointError as error:
            raise MakeUpError(str(error)) from None
    if wish.joint not in ("corner", "lap", "butt"):
        raise MakeUpError(f"{edge.id} is curved: it meets corner to corner or laps; {wish.joint} is for straight edges")
    ends = tuple(
        Ends(other, other) if over == name else PLAIN for name, other in ((edge.a, thick[1]), (edge.b, thick[0]))
    )
    return EdgeRole(edge, "weld", wish.joint, over, (ends[0], ends[1]))


def _refuse_two_thicknesses(roles: list[EdgeRole], skins: Skins) -> None:
    for role in roles:
        a, b = skins.of(role.edge.a), skins.of(role.edge.b)
        if role.kind in ("bend", "roll") and a != b:
            raise MakeUpError(
                f"{role.edge.id} is {'bent' if role.kind == 'bend' else 'rolled on over'}, but {role.edge.a} is {a:g} mm and "
                f"{role.edge.b} {b:g} mm thick; weld that edge, or make both alike"
            )


def may_bend(edge: Edge, shell: Shell, *, bought: bool = False) -> bool:
    """Whether an edge can be a bend: straight, between flat faces of the same part of the tank, and it turns."""
    a, b = shell.by_id[edge.a], shell.by_id[edge.b]
    flat = a.kind == "plane" and b.kind == "plane" and len(edge.line) == 2 and not edge.smooth
    return flat and (a.role == "sump") == (b.role == "sump") and not bought and edge.turn_deg < MOST_TURN_DEG


def _seams(shell: Shell, plan: MakeUpPlan) -> set[str]:
    """Edges between ring faces that the school welds. Ring faces stand in the shell in order round the tank; one that was parted
    counts as a whole, and so do the parts of its edges."""
    ring = list(dict.fromkeys(face.parent for face in shell.faces if face.role not in ("end", "sump")))
    between: dict[frozenset[str], list[list[Edge]]] = {}
    for edge in shell.edges:
        pair = frozenset((shell.by_id[edge.a].parent, shell.by_id[edge.b].parent))
        if len(pair) == 2:
            lines = between.setdefault(pair, [])
            mine = next((line for line in lines if _in_line(line[0], edge)), None)
            if mine is None:
                lines.append([edge])
            else:
                mine.append(edge)
    found = {edge.id for pair in plan.welded for line in between.get(frozenset(pair), ()) for edge in line}
    for i, face in enumerate(ring):
        if plan.seams_after is None or face in plan.seams_after:
            shared = between.get(frozenset((face, ring[(i + 1) % len(ring)])), [])
            if shared:
                found |= {edge.id for edge in shared[i % len(shared)]}
    return found


def _in_line(one: Edge, other: Edge) -> bool:
    """Whether two straight edges lie on one line and meet: parts of what was one edge."""
    if len(one.line) > 2 or len(other.line) > 2:
        return False
    ends = [math.dist(p, q) for p in one.line for q in other.line]
    reach = max(*ends, one.length_mm, other.length_mm)
    return min(ends) < TOUCH_MM and abs(reach - one.length_mm - other.length_mm) < TOUCH_MM


def _moved_off(shell: Shell, moved: tuple[MovedSeam, ...]) -> set[str]:
    """Edges that are bent because their seam was moved onto a flat."""
    beside = {frozenset((m.edge.split("#")[0], f"{m.onto}:1")) for m in moved}
    return {
        edge.id
        for edge in shell.edges
        for near, other in ((edge.a, edge.b), (edge.b, edge.a))
        if frozenset((edge_id(near.split(":")[0], other), near)) in beside
    }


def _joint(
    edge: Edge, makeup: MakeUp, shell: Shell, plan: MakeUpPlan, tank: TankFamily
) -> tuple[Literal["corner", "lap"], str | None]:
    """Joint and the face that runs over. At an inward corner one plate runs through to it and the other stops at its outside:
    corner to corner they would stand in one another."""
    straight = len(edge.line) == 2 and shell.by_id[edge.a].kind == shell.by_id[edge.b].kind == "plane"
    if straight and edge.turn_deg < LEAST_TURN_DEG:
        return "corner", None
    if edge.reflex and straight:
        meet = (shell.by_id[edge.a], shell.by_id[edge.b])
        return "lap", max(meet, key=lambda f: (f.role == "end", round(abs(float(f.normal[2])), 6))).id
    if edge.reflex or (not straight and abs(edge.turn_deg - 90) > SQUARE_DEG):
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
