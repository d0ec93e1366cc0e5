"""Whether faces joined by bends come out of one flat piece: on the brake, without covering themselves, from a stock sheet."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import replace

import numpy as np
from shapely import Geometry, MultiPoint, area, polygons, union_all

from bathyx.core.geometry.outline import OutlineError
from bathyx.core.geometry.shell import Array, Edge, Shell
from bathyx.core.making import making_of
from bathyx.core.material import Sheet
from bathyx.core.sheet.bending.bend import shortest_flange_mm
from bathyx.core.sheet.bending.brake import CLOSING_DEG, behind_mm, pan_depth_mm, turned_round
from bathyx.core.sheet.bending.flange_width import width_mm
from bathyx.core.sheet.bending.grain import ALONG, grain_way
from bathyx.core.sheet.bending.machine import Brake
from bathyx.core.sheet.bending.order import bend_order
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.laid import Laid, laid_out, roles_round
from bathyx.core.sheet.flat.unfold import COVERED_MM2
from bathyx.core.sheet.makeup.joints import PLAIN
from bathyx.core.sheet.makeup.roles import EdgeRole, may_bend, root_of
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.units import Said, mm


class Pieces:
    """Pieces of one shell, each by the edges that are bent in it. What was looked at once is known."""

    def __init__(
        self, shell: Shell, roles: tuple[EdgeRole, ...], sheet: Sheet, rule: BendRule, brake: Brake, skins: Skins
    ) -> None:
        """Pieces of a shell.

        Args:
            shell: its faces and edges.
            roles: of a make-up in which every edge that may be bent is welded: they have its joints.
            sheet: material with its stock sizes, and thickness.
            rule: radius and K of bends.
            brake: that bends them.
            skins: thickness of each panel.
        """
        self.shell, self.sheet, self.rule, self.brake, self.skins = shell, sheet, rule, brake, skins
        self.cold = making_of(sheet).on_brake
        self.order = roles_round(shell, roles)
        self.folds: tuple[Edge, ...] = tuple(
            role.edge for role in roles if role.kind == "weld" and may_bend(role.edge, shell)
        )
        self.by_id = {edge.id: edge for edge in self.folds}
        self.apart = groups(shell, [role.edge for role in roles if role.kind == "roll"])
        self._place = {face.id: k for k, face in enumerate(shell.faces)}
        self._known: dict[frozenset[str], tuple[str, bool]] = {}
        self._widths: dict[tuple[str, str], float] = {}

    def refusal(self, bent: frozenset[str]) -> str:
        """Why a piece with these bends, which join its faces as a tree, cannot be made; nothing where it can."""
        return self._looked(bent)[0]

    def hopeless(self, bent: frozenset[str]) -> bool:
        """Whether no piece that has these bends among others can be made: only this ends a search."""
        return self._looked(bent)[1]

    def _looked(self, bent: frozenset[str]) -> tuple[str, bool]:
        known = self._known.get(bent)
        if known is None:
            known = self._known[bent] = self._looked_at(bent)
        return known

    def _looked_at(self, bent: frozenset[str]) -> tuple[str, bool]:
        """(Reason, whether it stays whatever else is bent); laid out once, where the brake has nothing against it."""
        if reason := next(self._on_the_brake(bent), "") if self.cold else "":
            return reason, True
        try:
            laid = self._laid(bent)
        except OutlineError as error:
            return str(error), False  # a second bend in one line with it may mend it
        parts = [*laid.cores.values(), *laid.strips]
        shapes = [polygons(part) for part in parts]
        whole = union_all(shapes, grid_size=1e-6)
        if float(area(shapes).sum() - area(whole)) > COVERED_MM2:
            return "the flat piece would cover itself", True
        if reason := next(self._lasting(laid, parts), ""):
            return reason, True
        return next(self._passing(laid, parts, whole), ""), False

    def _on_the_brake(self, bent: frozenset[str]) -> Iterator[str]:
        """Reasons that stay whatever else is bent, seen before it is laid out."""
        edges = [self.by_id[name] for name in sorted(bent)]
        t, limit = self.skins.of(edges[0].a), self.brake.length_mm
        least = shortest_flange_mm(t, self.brake.die_mm)
        if any(self.skins.of(name) != t for edge in edges for name in (edge.a, edge.b)):
            yield "its panels are of different thickness"
        for edge in edges:
            if edge.length_mm > limit:
                yield Said(f"a bend of {mm(edge.length_mm)} is longer than the brake's {mm(limit)}")
            for name in (edge.a, edge.b):
                flange = self._width(name, edge, least) + (0.0 if edge.reflex else t)
                if flange < least:
                    yield Said(f"{name} is {mm(flange)} wide along {edge.id}; the brake's die needs {mm(least)}")
        if not self.brake.open_ended and t > self.brake.by_hand_mm and turned_round(edges) >= CLOSING_DEG - 1:
            yield "the piece closes round the brake's beam"
        depth, face = pan_depth_mm(self.shell, edges)
        if depth > self.brake.pan_mm + 1e-6:
            yield Said(f"{face} would be a box {mm(depth)} deep; the brake's fingers bend {mm(self.brake.pan_mm)}")

    def _lasting(self, laid: Laid, parts: list[Array]) -> Iterator[str]:
        """Reasons that stay whatever else is bent, of its flat."""
        if self.brake.between_mm and self.brake.throat_mm:
            for bend in laid.bends:
                deep = behind_mm(parts, bend.start, bend.end)
                if self.by_id[bend.edge].length_mm > self.brake.between_mm and deep > self.brake.throat_mm:
                    yield Said(f"{mm(deep)} of it would stand in the brake's throat of {mm(self.brake.throat_mm)}")
        narrow, across = least_width_mm(np.concatenate(parts)), widest_mm(np.concatenate(parts))
        stocks = self.sheet.material.stock
        if not any(narrow <= min(s) + 1e-6 and across <= math.hypot(*s) + 1e-6 for s in stocks):
            yield Said(f"a piece {mm(narrow)} wide and {mm(across)} across is larger than any stock sheet")

    def _width(self, name: str, edge: Edge, least_mm: float) -> float:
        known = self._widths.get((name, edge.id))
        if known is None:
            known = self._widths[name, edge.id] = width_mm(self.shell.by_id[name], edge, least_mm)
        return known

    def _laid(self, bent: frozenset[str]) -> Laid:
        """The piece laid out beside its largest face, of equal ones the first: as it is cut."""
        edges = [self.by_id[name] for name in sorted(bent)]
        names = {name for edge in edges for name in (edge.a, edge.b)}
        by_face = self.order | {
            name: [
                replace(r, kind="bend", joint="bend", over=None, ends=(PLAIN, PLAIN)) if r.edge.id in bent else r
                for r in self.order[name]
            ]
            for name in names
        }
        root = min((self.shell.by_id[name] for name in names), key=lambda f: (-f.area_mm2, self._place[f.id]))
        return laid_out(root, self.shell, by_face, self.skins.of(root), self.rule)

    def _passing(self, laid: Laid, parts: list[Array], whole: Geometry) -> Iterator[str]:
        """Reasons that more bends may take away: how it lies on the sheet turns with its first bend."""
        if self.rule.grain and self.sheet.material.group != "plastic":
            wants = ALONG * self.sheet.material.radius_at(laid.t)
            if grain_way(laid.bends)[1] and self.rule.radius_at(laid.t) < wants - 0.05:
                yield Said(f"a bend lies along the grain, where {mm(wants, 1)} inside is the least")
        spots = np.concatenate(parts)
        short, long = sorted(float(v) for v in np.ptp(spots, axis=0))
        stocks = self.sheet.material.stock
        if not any(short <= min(s) and long <= max(s) for s in stocks):
            yield Said(f"a blank of {mm(long)} × {mm(short)} is larger than any stock sheet")
        if whole.geom_type != "Polygon" or whole.interiors:
            yield "the flat piece would fall apart, or close round a hole"
        if self.cold and bend_order(laid, self.shell, self.rule, self.brake) is None:
            yield f"no order of its bends was found that is clear of the brake's {self.brake.named}"


def least_width_mm(spots: Array) -> float:
    """The least width of (n, 2) in any direction, mm: that of the slot that it just goes through. No more spots make it less."""
    hull = MultiPoint(spots).convex_hull
    ring = np.array(hull.exterior.coords)[:-1] if hull.geom_type == "Polygon" else np.zeros((0, 2))
    if not len(ring):
        return 0.0
    along = np.roll(ring, -1, axis=0) - ring
    across = np.column_stack([-along[:, 1], along[:, 0]]) / np.hypot(*along.T)[:, None]
    return float(np.ptp(ring @ across.T, axis=0).min())


def widest_mm(spots: Array) -> float:
    """The largest distance between two of (n, 2), mm."""
    hull = MultiPoint(spots).convex_hull
    ring = np.array(hull.exterior.coords) if hull.geom_type == "Polygon" else np.asarray(spots)
    return float(np.hypot(*(ring[:, None] - ring[None]).transpose(2, 0, 1)).max())


def groups(shell: Shell, edges: Iterable[Edge]) -> dict[str, str]:
    """Of each face, a face that stands for all that are joined to it by edges."""
    root = {face.id: face.id for face in shell.faces}
    for edge in edges:
        root[root_of(root, edge.a)] = root_of(root, edge.b)
    return {name: root_of(root, name) for name in root}
