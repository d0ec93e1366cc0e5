"""A piece on the brake, bend by bend: whether it is clear of the tools, how it is put in, and how that looks."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np

from bathyx.core.geometry.shell import Array, Edge, Shell
from bathyx.core.sheet.bending.fold import Folded, folded
from bathyx.core.sheet.bending.machine import Brake
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.bending.tools import AIR_MM, Mask, SetUp, Tool, set_ups
from bathyx.core.sheet.flat.laid import Laid, outward

GRID, STEP_MM, MOST_STEPS, LOOKS, MOST_LOOKS = 7, 6.0, 100, (0.0, 0.25, 0.5, 0.75, 1.0), 60

SHARES = np.linspace(0, 1, 2 * GRID + 1)  # along a flange


@dataclass(frozen=True)
class Made:
    """A step: a bend made as far as a share of its turn, on the brake or by hand."""

    edge: str
    share: float = 1.0
    hand: bool = False


@dataclass(frozen=True, eq=False)
class ToolsAt:
    """The brake's tools at a bend: each with its section at both ends of the bend (2, n, 3); places of the piece in them (n, 3)."""

    tools: tuple[tuple[Tool, Array], ...]
    hits: Array


@dataclass(frozen=True, eq=False)
class Along:
    """A step when it is made, seen along its bend, (y, z) in mm as the tools stand: faces (n, 2) from the farthest, bends and
    flanges (n, 2), the tools; `clear` unless the piece stands in one."""

    step: Made
    faces: tuple[Array, ...]
    bends: tuple[Array, ...]
    tools: tuple[tuple[Tool, Array], ...]
    clear: bool


@dataclass(eq=False)
class OnBrake:
    """A piece on the brake, step by step."""

    laid: Laid
    shell: Shell
    rule: BendRule
    brake: Brake
    looked: int = field(default=0, init=False)

    def __post_init__(self) -> None:
        laid = self.laid
        self.edges = {edge.id: edge for edge in self.shell.edges}
        self.spots = {name: _grid(core) for name, core in laid.cores.items()}
        self.flanges = {name: [side.name for side in laid.flanges if side.face == name] for name in laid.lays}
        self.made_first = {side.name: 1.0 for side in laid.flanges}
        self.sides: dict[str, tuple[frozenset[str], frozenset[str]]] = {}
        beside: dict[str, list[tuple[str, str]]] = defaultdict(list)
        for bend in laid.bends:
            edge = self.edges[bend.edge]
            beside[edge.a].append((edge.b, edge.id))
            beside[edge.b].append((edge.a, edge.id))
        for bend in laid.bends:
            edge = self.edges[bend.edge]
            self.sides[edge.id] = _reached(beside, edge.a, edge.id), _reached(beside, edge.b, edge.id)

    def set_up(self, step: Made, made: frozenset[Made]) -> SetUp | None:
        """How a bend can be put in after others; None where it cannot, and after `MOST_LOOKS`."""
        self.looked += 1
        if self.looked > MOST_LOOKS:
            return None
        shares = [share * step.share for share in LOOKS]
        states = [self._folded(made, step.edge, share) for share in shares]
        if not self._comes_out(states[-1], step.edge):
            return None
        for tried in self._set_ups(step.edge):
            if not any(
                self._struck(state, step.edge, tried, share)[0].any()
                for state, share in zip(states, shares, strict=True)
            ):
                return tried
        return None

    def tools(self, step: Made, before: Iterable[Made], share: float) -> ToolsAt:
        """The tools at a step that is made as far as `share` of it: in the set-up in which the piece strikes them least."""
        made = frozenset(before)
        found: list[ToolsAt] = []
        state, edge, share = (
            self._folded(made, step.edge, share * step.share),
            self.edges[step.edge],
            share * step.share,
        )
        for tried in self._set_ups(step.edge):
            hit, spots = self._struck(state, step.edge, tried, share)
            a, axes, long = self._frame(state, edge, tried.face)
            turned = share * math.radians(edge.turn_deg)
            drawn = []
            for tool in tried.tools:
                ring = tried.ring(tool, turned)
                ends = [np.column_stack([np.full(len(ring), x), ring]) @ axes + a for x in (0.0, long)]
                drawn.append((tool, np.stack(ends)))
            found.append(ToolsAt(tuple(drawn), spots[hit] @ axes + a))
        return min(found, key=lambda at: len(at.hits))

    def along(self, step: Made, before: Iterable[Made]) -> Along:
        """A step when it is made, seen along its bend."""
        edge, made = self.edges[step.edge], frozenset(before)
        state, turned = self._folded(made, step.edge, step.share), step.share * math.radians(edge.turn_deg)
        on_tools = self.brake.looked_at and not step.hand
        self.looked = 0
        fits = self.set_up(step, made) if on_tools else None
        tried = fits or (self._set_ups(step.edge)[0] if on_tools else SetUp(edge.a, (), (), 0.0))
        a, axes, _ = self._frame(state, edge, tried.face)

        def seen(points: Array) -> Array:
            return tried.seen((points - a) @ axes.T, turned)

        rings = [seen(placed.points(self.laid.cores[name])) for name, placed in state.faces.items()]
        rings.sort(key=lambda ring: -float(ring[:, 0].mean()))
        quads = [quad for quads in (*state.strips.values(), *state.flanges.values()) for quad in quads]
        deep = tried.deep(turned)
        tools = tuple((tool, tool.ring + (0.0, deep if tool.under else 0.0)) for tool in tried.tools)
        return Along(
            step,
            tuple(ring[:, 1:] for ring in rings),
            tuple(seen(quad)[:, 1:] for quad in quads),
            tools,
            fits is not None or not on_tools,
        )

    def _set_ups(self, name: str) -> tuple[SetUp, ...]:
        edge = self.edges[name]
        return set_ups(
            self.brake,
            (edge.a, edge.b),
            edge.turn_deg,
            self.rule.radius_at(self.laid.t),
            self.laid.t,
            reflex=edge.reflex,
        )

    def _folded(self, made: Iterable[Made], name: str, share: float) -> Folded:
        shares = dict(self.made_first)
        for step in made:
            shares[step.edge] = max(step.share, shares.get(step.edge, 0.0))
        return folded(self.laid, self.shell, self.rule, shares | {name: share})

    def _struck(self, state: Folded, name: str, tried: SetUp, share: float) -> tuple[Mask, Array]:
        """((n,) which places of the piece stand in a tool, (n, 3) all of them in the frame of the held side)."""
        edge = self.edges[name]
        sides = self.sides[name] if tried.face == edge.a else self.sides[name][::-1]
        a, axes, long = self._frame(state, edge, tried.face)
        held, swung = ((self._places(state, names) - a) @ axes.T for names in sides)
        spots = np.concatenate([held, swung])
        marked = np.arange(len(spots)) >= len(held)
        return tried.struck(spots, marked, long, share * math.radians(edge.turn_deg)), spots

    def _places(self, state: Folded, names: frozenset[str]) -> Array:
        """(n, 3) places of faces and of the flanges on them."""
        found = [state.faces[name].points(self.spots[name]) for name in names]
        for quads in (state.flanges[side] for name in names for side in self.flanges[name]):
            found += [quads[:, 0] + s * (quads[:, 1] - quads[:, 0]) for s in SHARES]
            found += [quads[:, 3] + s * (quads[:, 2] - quads[:, 3]) for s in SHARES]
        return np.concatenate(found)

    def _comes_out(self, state: Folded, name: str) -> bool:
        """Whether one side of a made bend passes between die and punch, and what stands beyond the bend's ends under the ram."""
        brake, edge = self.brake, self.edges[name]
        if not brake.punch or not brake.open_mm or brake.open_ended:
            return True
        for face, names in zip((edge.a, edge.b), self.sides[name], strict=True):
            a, axes, long = self._frame(state, edge, face)
            spots = (self._places(state, names) - a) @ axes.T
            across = (spots[:, 0] > AIR_MM) & (spots[:, 0] < long - AIR_MM)
            between = float(np.ptp(spots[across, 2])) if across.any() else 0.0
            if between <= brake.daylight_mm and float(np.ptp(spots[:, 2])) <= brake.open_mm - brake.die_high_mm:
                return True
        return False

    def _frame(self, state: Folded, edge: Edge, face: str) -> tuple[Array, Array, float]:
        """(the bend's end (3,), rows along the bend, out from the held side and up (3, 3), length of the bend)."""
        placed = state.faces[face]
        flat = self.laid.lays[face].point(np.stack([edge.start, edge.end]))
        a, b = placed.points(flat)
        along = (b - a) / math.dist(a, b)
        up = placed.turn[2] * (-1.0 if edge.reflex else 1.0)
        off = outward(self.laid.lays[face], self.shell.by_id[face], flat[0], flat[1])
        return a, np.stack([along, np.array([*off, 0.0]) @ placed.turn, up]), math.dist(a, b)


def _reached(beside: dict[str, list[tuple[str, str]]], start: str, without: str) -> frozenset[str]:
    """Faces that hang together with one, not over an edge."""
    found, queue = {start}, [start]
    while queue:
        for other, edge in beside[queue.pop()]:
            if edge != without and other not in found:
                found.add(other)
                queue.append(other)
    return frozenset(found)


def _grid(core: Array) -> Array:
    """(n, 2) places on a flat polygon: along its sides every few millimetres, and fewer shrunk towards its middle."""
    far = np.roll(core, -1, axis=0)
    sides = [
        p
        + np.linspace(0, 1, int(min(max(math.dist(p, q) / STEP_MM, GRID), MOST_STEPS)), endpoint=False)[:, None]
        * (q - p)
        for p, q in zip(core, far, strict=True)
    ]
    few = np.concatenate([p + np.arange(GRID)[:, None] / GRID * (q - p) for p, q in zip(core, far, strict=True)])
    middle = core.mean(axis=0)
    return np.concatenate([*sides, *(middle + k * (few - middle) for k in (0.75, 0.5, 0.25))])
