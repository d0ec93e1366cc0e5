"""The make-up: for each edge of the shell, bent or welded, and with which joint.

Four schools: `plates` (every edge welded), `two_l` (two bent pieces and two ends), `wrap` (one piece with a seam at
the upper rear corner and two ends set in it), `perimeter` (two profile sides that cover a folded strip whose seam
lies on the flat of the top). Single edges may be chosen otherwise. Ends are always welded.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from pydantic import Field

from bathyx.core.geometry.shell import Edge, Shell
from bathyx.core.material import Sheet
from bathyx.core.units.frozen import Frozen

School = Literal["plates", "two_l", "wrap", "perimeter"]
SCHOOLS: dict[str, str] = {
    "plates": "Sheared plates",
    "two_l": "Two bent pieces",
    "wrap": "One wrap",
    "perimeter": "Sides and perimeter",
}
ENDS = ("left end", "right end")
SQUARE_DEG = 1.0


class MakeUpError(ValueError):
    """A make-up that cannot be built, with the edge to weld instead."""


class EdgeChoice(Frozen):
    """One edge taken out of the school's hands."""

    edge: str
    role: Literal["bend", "weld"]


class Brake(Frozen):
    """The shop's brake: its bending length, and whether a closed section can be slid off the end of its beam."""

    length_mm: float = Field(2500, gt=0, le=20_000)
    open_ended: bool = False


class MakeUp(Frozen):
    """How the tank is made from sheet. Radius and K default to the sheet's own.

    `both_sides`: corner seams are welded inside too, before the tank is closed.
    """

    school: School = "plates"
    joint: Literal["corner", "lap"] = "corner"
    bend_radius_mm: float | None = Field(None, ge=0, le=200)
    k_factor: float | None = Field(None, gt=0, le=0.5)
    edges: tuple[EdgeChoice, ...] = ()
    both_sides: bool = False
    brake: Brake = Brake()

    def split_face(self) -> str | None:
        """The face that carries a seam on its flat, if the school has one."""
        return "top" if self.school == "perimeter" else None


@dataclass(frozen=True)
class EdgeRole:
    """What becomes of an edge: bent, or welded with a joint; `over` is the face that laps past the other by t."""

    edge: Edge
    kind: Literal["bend", "weld"]
    joint: Literal["bend", "corner", "lap", "butt"]
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
    """The make-up's own radius and K, or the sheet's."""
    radius = sheet.bend_radius_mm if makeup.bend_radius_mm is None else makeup.bend_radius_mm
    return BendRule(radius, sheet.material.k_factor if makeup.k_factor is None else makeup.k_factor)


@lru_cache(maxsize=64)
def roles_of(shell: Shell, makeup: MakeUp) -> tuple[EdgeRole, ...]:
    """One role per edge, in the shell's order. MakeUpError when a piece would close on itself without a seam."""
    chosen = {choice.edge: choice.role for choice in makeup.edges}
    known = {edge.id for edge in shell.edges}
    for name in chosen:
        if any(end in name for end in ENDS) and chosen[name] == "bend":
            raise MakeUpError(f"{name}: ends are welded in this release; bend edges between the other faces")
    seams = _seams(shell, makeup)
    roles = []
    for edge in shell.edges:
        kind = chosen.get(edge.id) if edge.id in known else None
        if kind is None:
            kind = "weld" if edge.id in seams or _at_end(edge) else "bend"
        if abs(edge.angle_deg - 180) < 1e-6:
            roles.append(EdgeRole(edge, "weld", "butt"))
        elif kind == "bend":
            roles.append(EdgeRole(edge, "bend", "bend"))
        else:
            roles.append(EdgeRole(edge, "weld", *_joint(edge, makeup)))
    _refuse_closed_piece(shell, roles)
    return tuple(roles)


def _at_end(edge: Edge) -> bool:
    return edge.a in ENDS or edge.b in ENDS


def _seams(shell: Shell, makeup: MakeUp) -> set[str]:
    """Edges between wrap faces that the school welds. Wrap faces stand in the shell in order round the profile."""
    ring = [face.id for face in shell.faces if face.id not in ENDS]
    after = {face: ring[(i + 1) % len(ring)] for i, face in enumerate(ring)}
    between = {frozenset((edge.a, edge.b)): edge.id for edge in shell.edges}

    def leaving(face: str) -> str:
        return between[frozenset((face, after[face]))]

    if makeup.school == "plates":
        return {leaving(face) for face in ring}
    if makeup.school == "two_l":
        return {leaving("rear"), leaving("front")}
    if makeup.school == "wrap":
        return {leaving("rear")}
    return set()


def _joint(edge: Edge, makeup: MakeUp) -> tuple[Literal["corner", "lap"], str | None]:
    """Joint and lapping face. A reflex edge can only meet corner to corner: nothing can run past inside the tank.

    So can an oblique one: a square lap would stand inside its neighbour, or off it.
    """
    if edge.reflex or abs(edge.turn_deg - 90) > SQUARE_DEG:
        return "corner", None
    end = edge.a if edge.a in ENDS else edge.b if edge.b in ENDS else None
    wrap = edge.b if end == edge.a else edge.a
    if makeup.school == "perimeter" and end:
        return "lap", end
    if makeup.joint == "corner":
        return "corner", None
    if end:
        return "lap", wrap if makeup.school == "wrap" else end
    level = [face for face in (edge.a, edge.b) if face.split(":")[0] in ("top", "bottom")]
    return "lap", level[0] if level else edge.a


def _refuse_closed_piece(shell: Shell, roles: list[EdgeRole]) -> None:
    group = {face.id: face.id for face in shell.faces}

    def root(face: str) -> str:
        while group[face] != face:
            face = group[face]
        return face

    for role in roles:
        if role.kind != "bend":
            continue
        a, b = root(role.edge.a), root(role.edge.b)
        if a == b:
            raise MakeUpError(f"bending {role.edge.id} closes the piece on itself; weld at least one edge of the ring")
        group[a] = b
