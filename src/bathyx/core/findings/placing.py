"""Where a fitting may sit: the place nearest to a wish that is clear of edges, bends, baffles and its neighbours."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations, permutations

import numpy as np
import numpy.typing as npt
import shapely

from bathyx.core.geometry.shell import Array
from bathyx.core.inside.baffles import AXIS_INDEX
from bathyx.core.inside.fittings import Fitting
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.bending.bend import setback_mm

TORCH_MM, NEIGHBOUR_MM, BAFFLE_MM = 12.0, 10.0, 8.0
STEPS = 36


@dataclass(frozen=True)
class Settled:
    """A fitting where it came to lie: `on` says what it lies in line with, `clear` whether everything keeps its distance."""

    fitting: Fitting
    on: tuple[str, ...]
    clear: bool


def clear_at(job: Job, r: Results, fitting: Fitting, spots: Array, apart_from: str = "") -> npt.NDArray[np.bool_]:
    """(n,) whether `fitting` may sit at places (n, 2) in (u, v) of its face, clear of edges, bends, baffles and neighbours.

    Args:
        job: for the other fittings.
        r: its results.
        fitting: what looks for a place; its own u and v do not count.
        spots: (n, 2) places, mm.
        apart_from: id of a fitting that does not count: the one that is moved.
    """
    face = r.shell.by_id[fitting.face]
    rim = fitting.rim_mm
    clear: npt.NDArray[np.bool_] = np.asarray(shapely.contains_xy(face.shape, spots[:, 0], spots[:, 1]))
    if not clear.any():
        return clear
    if fitting.hole_mm:
        wrapped = np.array([face.wrapped(u, v) for u, v in spots.tolist()])
        edge_on = shapely.distance(face.shape.boundary, shapely.points(wrapped))
        clear &= edge_on >= fitting.hole_mm / 2  # over an edge that is rolled as well
    space = face.points(spots)
    roles = {role.edge.id: role for role in r.roles}
    t = r.skins.of(fitting.face)
    for edge in r.panelled.edges_of.get(fitting.face, ()):
        if roles[edge.id].kind in ("roll", "whole"):
            continue
        distance = np.linalg.norm(space - edge.feet(space), axis=1)
        need = rim + TORCH_MM
        if roles[edge.id].kind == "bend":
            back = setback_mm(edge.turn_deg, r.rule.radius_at(t), t, edge.reflex)
            need = back + 2.5 * t + max(fitting.hole_mm / 2, fitting.ring_od_mm / 2 - 2.5 * t)
        clear &= distance >= need + 0.5
    for baffle in r.baffles:
        axis = AXIS_INDEX[baffle.axis]
        if fitting.hole_mm and (face.kind != "plane" or abs(float(face.normal[axis])) < 0.999):
            clear &= abs(space[:, axis] - baffle.at_mm) >= t / 2 + fitting.hole_mm / 2 + BAFFLE_MM + 0.2
    for other in job.inside.fittings:
        if other.face == fitting.face and other.id not in (fitting.id, apart_from):
            reach = rim + other.rim_mm + NEIGHBOUR_MM + 0.2
            there = face.place(other.u_mm, other.v_mm)
            clear &= np.linalg.norm(space - there, axis=1) >= reach
    return clear


def free_spots(job: Job, r: Results, fitting: Fitting, apart_from: str = "") -> Array:
    """Places (n, 2) in (u, v) where `fitting` may sit on its face, on a grid; (0, 2) when there is none.

    Args:
        job: for the other fittings.
        r: its results.
        fitting: what looks for a place; its own u and v do not count.
        apart_from: id of a fitting that does not count: the one that is moved.
    """
    face = r.shell.by_id.get(fitting.face)
    if face is None:
        return np.zeros((0, 2))
    low, high = face.outline.min(axis=0), face.outline.max(axis=0)
    axes = [np.unique(np.round(np.linspace(a, b, STEPS + 1))) for a, b in zip(low, high, strict=True)]
    spots = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 2).astype(np.float64)
    return np.asarray(spots[clear_at(job, r, fitting, spots, apart_from)])


def settled(job: Job, r: Results, fitting: Fitting, snap_mm: float, apart_from: str = "") -> Settled:
    """A fitting that is held somewhere, drawn to what it nearly lies in line with, then clear of what it must not touch.

    Args:
        job: for the other fittings.
        r: its results.
        fitting: with u and v where the hand holds it.
        snap_mm: how near counts as nearly; six times as far it gives way to edges and neighbours.
        apart_from: id of a fitting that does not count: the one that is moved.
    """
    face = r.shell.by_id[fitting.face]
    low, high = face.upper or face.lower or (face.outline.min(axis=0), face.outline.max(axis=0))
    middle = (low + high) / 2
    others = [f for f in job.inside.fittings if f.face == fitting.face and f.id not in (fitting.id, apart_from)]
    spot, on = np.array([fitting.u_mm, fitting.v_mm]), list[str]()
    for k in (0, 1):
        rows = [(f.u_mm, f.v_mm)[k] for f in others]
        goals = [
            (float(middle[k]), "middle"),
            *((x, f"in line with {f.id}") for x, f in zip(rows, others, strict=True)),
        ]
        goals += [(2 * float(middle[k]) - x, f"opposite {f.id}") for x, f in zip(rows, others, strict=True)]
        alike = sorted((f.u_mm, f.v_mm)[k] for f in others if f.kind == fitting.kind)
        goals += [((a + b) / 2, "halfway") for a, b in combinations(alike, 2)]
        goals += [(2 * b - a, "equal spacing") for a, b in permutations(alike, 2) if a != b]
        goal, word = min(goals, key=lambda g: abs(g[0] - spot[k]))
        if abs(goal - spot[k]) < snap_mm:
            spot[k] = goal
            on.append(word)
        else:
            spot[k] = round(float(spot[k]))
    if clear_at(job, r, fitting, spot[None], apart_from)[0]:
        return Settled(_at(fitting, spot), tuple(on), True)
    turns = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    reaches = np.arange(1.0, max(6 * snap_mm, 2.0), max(1.0, snap_mm / 8))
    ring = np.column_stack([np.cos(turns), np.sin(turns)])
    tried = spot + (reaches[:, None, None] * ring).reshape(-1, 2)
    free = tried[clear_at(job, r, fitting, tried, apart_from)]
    if not len(free):
        return Settled(_at(fitting, spot), tuple(on), False)
    return Settled(_at(fitting, free[0]), ("clear of what is near",), True)


def _at(fitting: Fitting, spot: Array) -> Fitting:
    return fitting.model_copy(update={"u_mm": round(float(spot[0]), 1), "v_mm": round(float(spot[1]), 1)})


def nearest_spot(job: Job, r: Results, fitting: Fitting, apart_from: str = "") -> tuple[float, float] | None:
    """The free place nearest to where `fitting` wishes to be; None when the face has none.

    Args:
        job: for the other fittings.
        r: its results.
        fitting: with u and v, mm, where it wishes to be.
        apart_from: id of a fitting that does not count.
    """
    spots = free_spots(job, r, fitting, apart_from)
    if not len(spots):
        return None
    best = spots[np.argmin(np.hypot(spots[:, 0] - fitting.u_mm, spots[:, 1] - fitting.v_mm))]
    return float(best[0]), float(best[1])


def roof(r: Results) -> tuple[str, Array, Array]:
    """(face, lowest, highest place (2,)) of what looks up: the roof, or the widest part of a wall or end that does."""
    return _looking(r, "roof", "upper")


def floor(r: Results) -> tuple[str, Array, Array]:
    """(face, lowest, highest place (2,)) of the lowest part that looks down."""
    return _looking(r, "", "lower")


def _looking(r: Results, role: str, way: str) -> tuple[str, Array, Array]:
    best: tuple[tuple[bool, float], str, Array, Array] | None = None
    for face in r.shell.faces:
        region = getattr(face, way)
        if region is None:
            continue
        low, high = region
        middle = float(face.points(((low + high) / 2)[None])[0, 2])
        rank = (face.role == role, float(np.prod(high - low)) if role else -middle)
        if best is None or rank > best[0]:
            best = (rank, face.id, low, high)
    if best is None:
        face = max(r.shell.faces, key=lambda f: float(f.centroid[2]))
        return face.id, face.outline.min(axis=0), face.outline.max(axis=0)
    return best[1:]


def within(low: Array, high: Array, along: float, across: float) -> tuple[float, float]:
    """The place at shares of a region, in tenths of a millimetre.

    Args:
        low: (2,) corner of the region, mm.
        high: (2,) the opposite corner, mm.
        along: share of the way along u, 0 to 1.
        across: share of the way along v, 0 to 1.

    >>> import numpy as np
    >>> within(np.zeros(2), np.array([200.0, 100.0]), 0.5, 0.25)
    (100.0, 25.0)
    """
    u, v = low + (high - low) * np.array([along, across])
    return round(float(u), 1), round(float(v), 1)


def put(job: Job, r: Results, fitting: Fitting) -> Fitting | None:
    """`fitting` moved to its nearest free place, or None."""
    spot = nearest_spot(job, r, fitting)
    return None if spot is None else fitting.model_copy(update={"u_mm": spot[0], "v_mm": spot[1]})


def free_name(job: Job, kind: str) -> str:
    """An id that no fitting has yet."""
    taken = {f.id for f in job.inside.fittings}
    return next(name for name in (kind, *(f"{kind} {k}" for k in range(2, 999))) if name not in taken)


def named(fitting: Fitting) -> str:
    """A fitting for a sentence: its kind and its own name, once when they are the same."""
    title = fitting.title.lower()
    return fitting.id if title in fitting.id.lower() or fitting.id.lower() == fitting.kind else f"{title} {fitting.id}"
