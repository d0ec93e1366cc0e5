"""Whether faces joined by bends come out of one flat piece: on the brake, without covering themselves, from a stock sheet."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

import numpy as np
from shapely import area, polygons, union_all

from bathyx.core.geometry.outline import OutlineError
from bathyx.core.geometry.shell import Edge, Shell
from bathyx.core.material import Sheet
from bathyx.core.sheet.bend import shortest_flange_mm
from bathyx.core.sheet.bend_order import bend_order
from bathyx.core.sheet.brake import CLOSING_DEG, behind_mm, pan_depth_mm, turned_round
from bathyx.core.sheet.flange_width import width_mm
from bathyx.core.sheet.grain import ALONG, grain_way
from bathyx.core.sheet.joints import PLAIN
from bathyx.core.sheet.makeup import Brake, EdgeRole, may_bend, root_of
from bathyx.core.sheet.rule import BendRule
from bathyx.core.sheet.skins import Skins
from bathyx.core.sheet.unfold import COVERED_MM2, laid_out, roles_round
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
        self.order = roles_round(shell, roles)
        self.folds: tuple[Edge, ...] = tuple(
            role.edge for role in roles if role.kind == "weld" and may_bend(role.edge, shell)
        )
        self.by_id = {edge.id: edge for edge in self.folds}
        self.apart = groups(shell, [role.edge for role in roles if role.kind == "roll"])
        self._known: dict[frozenset[str], str] = {}
        self._widths: dict[tuple[str, str], float] = {}

    def refusal(self, bent: frozenset[str]) -> str:
        """Why a piece with these bends, which join its faces as a tree, cannot be made; nothing where it can."""
        known = self._known.get(bent)
        if known is None:
            known = self._known[bent] = next(self._reasons(bent), "")
        return known

    def _reasons(self, bent: frozenset[str]) -> Iterator[str]:
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
        if not self.brake.open_ended and turned_round(edges) >= CLOSING_DEG - 1:
            yield "the piece closes round the brake's beam"
        depth, face = pan_depth_mm(self.shell, edges)
        if depth > self.brake.pan_mm + 1e-6:
            yield Said(f"{face} would be a box {mm(depth)} deep; the brake's fingers bend {mm(self.brake.pan_mm)}")
        yield from self._flat(bent, edges)

    def _width(self, name: str, edge: Edge, least_mm: float) -> float:
        known = self._widths.get((name, edge.id))
        if known is None:
            known = self._widths[name, edge.id] = width_mm(self.shell.by_id[name], edge, least_mm)
        return known

    def _flat(self, bent: frozenset[str], edges: list[Edge]) -> Iterator[str]:
        names = {name for edge in edges for name in (edge.a, edge.b)}
        by_face = self.order | {
            name: [
                replace(r, kind="bend", joint="bend", over=None, ends=(PLAIN, PLAIN)) if r.edge.id in bent else r
                for r in self.order[name]
            ]
            for name in names
        }
        root = max((self.shell.by_id[name] for name in names), key=lambda f: f.area_mm2)
        try:
            laid = laid_out(root, self.shell, by_face, self.skins.of(root), self.rule)
        except OutlineError as error:
            yield str(error)
            return
        parts = [*laid.cores.values(), *laid.strips]
        if self.rule.grain and self.sheet.material.group != "plastic":
            wants = ALONG * self.sheet.material.radius_at(laid.t)
            if grain_way(laid.bends)[1] and self.rule.radius_at(laid.t) < wants - 0.05:
                yield Said(f"a bend lies along the grain, where {mm(wants, 1)} inside is the least")
        if self.brake.between_mm and self.brake.throat_mm:
            for bend in laid.bends:
                deep = behind_mm(parts, bend.start, bend.end)
                if self.by_id[bend.edge].length_mm > self.brake.between_mm and deep > self.brake.throat_mm:
                    yield Said(f"{mm(deep)} of it would stand in the brake's throat of {mm(self.brake.throat_mm)}")
        spots = np.concatenate(parts)
        short, long = sorted(float(v) for v in np.ptp(spots, axis=0))
        stocks = self.sheet.material.stock
        if not any(short <= min(s) and long <= max(s) for s in stocks):
            yield Said(f"a blank of {mm(long)} × {mm(short)} is larger than any stock sheet")
        shapes = [polygons(part) for part in parts]
        whole = union_all(shapes, grid_size=1e-6)
        if float(area(shapes).sum() - area(whole)) > COVERED_MM2 or whole.geom_type != "Polygon" or whole.interiors:
            yield "the flat piece would cover itself, or close round a hole"
        if bend_order(laid, self.shell, self.rule, self.brake.beam_mm) is None:
            yield "no order of its bends was found that is clear of the brake's beam"


def groups(shell: Shell, edges: Iterable[Edge]) -> dict[str, str]:
    """Of each face, a face that stands for all that are joined to it by edges."""
    root = {face.id: face.id for face in shell.faces}
    for edge in edges:
        root[root_of(root, edge.a)] = root_of(root, edge.b)
    return {name: root_of(root, name) for name in root}
