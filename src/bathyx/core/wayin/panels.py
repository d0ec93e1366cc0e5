"""Panels of a tank that is built where it stands, each through the opening and to its place; in two halves where it must be."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry import box as rectangle

from bathyx.core.evaluate import Evaluation
from bathyx.core.sheet.makeup.rims import outside
from bathyx.core.units import Said, mm
from bathyx.core.wayin.built import doors, parts_of
from bathyx.core.wayin.pose import Array
from bathyx.core.wayin.scene import Part, Scene
from bathyx.core.wayin.told import Move
from bathyx.core.wayin.whole import Heard, WayFound, searched
from bathyx.errors import Refusal

SMALLER_MM, JOIN_MM = 4.0, 2.0


@dataclass(frozen=True, eq=False)
class Panel:
    """A flat panel where it is welded in: its name, outline (n, 2) in its plane, and the plane's rows (3, 3) u, v, normal at a
    place (3,); `thickness_mm` outward."""

    name: str
    outline: Polygon
    frame: Array
    at: Array
    thickness_mm: float

    def plate(self, outline: Polygon) -> Array:
        """Triangles (k, 3, 3) of part of it."""
        low = outline.simplify(0.05)
        caps = [
            np.array(t.exterior.coords)[:3] for t in shapely.constrained_delaunay_triangles(low).geoms if t.area > 1e-9
        ]
        ring = np.array(low.exterior.coords)[:-1]
        found = [self._lifted(t, h) for t in caps for h in (0.0, self.thickness_mm)]
        for p, q in zip(ring, np.roll(ring, -1, axis=0), strict=True):
            a, b = self._lifted(np.array([p, q]), 0.0)
            c, d = self._lifted(np.array([p, q]), self.thickness_mm)
            found += [np.array([a, b, d]), np.array([a, d, c])]
        return np.array(found)

    def _lifted(self, flat: Array, high: float) -> Array:
        return np.asarray(self.at + flat @ self.frame[:2] + high * self.frame[2])


def panels_of(e: Evaluation) -> tuple[Panel, ...]:
    """The flat panels of a built-in tank, where they are in its space: bulkheads first, the lid last, as they are welded in."""
    r = e.results
    low = outside(r.shell, r.skins, r.rims).reshape(-1, 3).min(axis=0)
    shift = e.job.space.seated() - low
    found = []
    for face in r.shell.faces:
        if face.kind != "plane":
            continue
        u = face.loop[1] - face.loop[0]
        u = u / np.linalg.norm(u)
        frame = np.stack([u, np.cross(face.normal, u), face.normal])
        flat = (face.loop - face.loop[0]) @ frame[:2].T
        found.append(Panel(face.id, Polygon(flat), frame, face.loop[0] + shift, r.skins.of(face)))
    return tuple(sorted(found, key=lambda p: float(p.frame[2, 2])))


def panels_in(e: Evaluation, seconds: float = 20.0, seed: int = 1, heard: Heard = lambda share: True) -> WayFound:
    """Whether every panel gets to its place, one after the other; those before it are there.

    Args:
        e: the evaluated job of a built-in tank, whose space has a way in.
        seconds: for all of them.
        seed: of what is tried.
        heard: called with the share of the time that is gone; False stops.

    On its way a panel is 4 mm smaller all round, the room that it is fitted with. The verdict is that of the worst; a panel that
    goes in only in two halves is said so.
    """
    space = e.job.space
    if space.way_in is None:
        raise Refusal("no opening is said: a hatch, a door or a hole that the panels go in by")
    ways = doors(space, space.way_in)
    there = list(parts_of(e, ways))
    panels = panels_of(e)
    each = seconds / max(len(panels), 1)
    said, told, looked, gone = [], [], 0, 0.0
    worst: WayFound | None = None
    tight: WayFound | None = None
    for k, panel in enumerate(panels):
        small = _smaller(panel.outline)

        def heard_of(share: float, k: int = k) -> bool:
            return heard((k + share) / len(panels))

        whole = _one(e, panel, [small], there, each, seed, heard_of)
        found, cut = whole, ""
        if whole.verdict != "goes_in":
            halves = _halves(small)
            split = _one(e, panel, halves, there, each, seed, heard_of)
            if split.verdict == "goes_in":
                found, cut = split, " in two halves"
            elif split.verdict != "cannot":
                found = split  # the whole cannot; its halves may: nothing is proven of the panel
        looked, gone = looked + whole.looked, gone + whole.searched_s
        if found.verdict != "goes_in":
            why = "cannot" if found.verdict == "cannot" else "found no way"
            said.append(f"{panel.name} {why}: {found.reason}")
            worst = found if worst is None or found.verdict == "cannot" else worst
        else:
            least = found.tightest
            air = "" if least is None else f", tightest {mm(least.mm, 1)} to {least.what}"
            told.append(Move(Said(f"{panel.name}{cut} by {found.opening}{air}"), found.path[-1]))
            if cut:
                said.append(f"{panel.name} only in two halves, to be joined in its place")
            if tight is None or (least is not None and tight.tightest is not None and least.mm < tight.tightest.mm):
                tight = found
        there.append(Part(panel.name, panel.plate(small)))
    if worst is not None:
        return WayFound(worst.verdict, Said("; ".join(said)), gone, looked, moves=tuple(told), proofs=worst.proofs)
    reason = f"goes in panel by panel, {len(panels)} of them" + ("; " if said else "") + "; ".join(said)
    return WayFound(
        "goes_in",
        Said(reason),
        gone,
        looked,
        moves=tuple(told),
        tightest=None if tight is None else tight.tightest,
        opening="" if tight is None else tight.opening,
    )


def _one(
    e: Evaluation, panel: Panel, outlines: list[Polygon], there: list[Part], seconds: float, seed: int, heard: Heard
) -> WayFound:
    """The way of a panel or of its halves, the first of which stays in its place; the worst of them."""
    assert e.job.space.way_in is not None
    ways = doors(e.job.space, e.job.space.way_in)
    parts = list(there)
    found: WayFound | None = None
    for outline in outlines:
        body = panel.plate(outline)
        scene = Scene(body, tuple(parts), e.job.space.way_in.tilt_deg or 180.0)
        if scene.hits(scene.seat):
            touched = {part.name for part in parts} - {gap.name for gap in scene.gaps(scene.seat)}
            raise Refusal(
                f"in its place the {panel.name} stands in {', '.join(sorted(touched)) or 'something'}, even "
                f"{mm(SMALLER_MM)} smaller all round; move what is in the way or the tank"
            )
        convex = body.reshape(-1, 3) if outline.equals(outline.convex_hull) else np.zeros((0, 3))
        way = searched(e, scene, ways, lambda c=convex: c, seconds / len(outlines), seed, heard)  # type: ignore[misc]
        if way.verdict != "goes_in":
            return way
        if found is None or (way.tightest and found.tightest and way.tightest.mm < found.tightest.mm):
            found = way
        parts.append(Part(panel.name, body))
    assert found is not None
    return found


def _smaller(outline: Polygon) -> Polygon:
    """Room all round to fit it by."""
    small = outline.buffer(-SMALLER_MM, join_style="mitre")
    largest = max(getattr(small, "geoms", [small]), key=lambda g: float(g.area))
    if largest.is_empty:
        raise Refusal(f"a panel is less than {mm(2 * SMALLER_MM)} wide somewhere: none is cut so")
    return largest


def _halves(outline: Polygon) -> list[Polygon]:
    """Cut in two across its longer side, with room for the join."""
    x0, y0, x1, y1 = outline.bounds
    far = 10 * math.hypot(x1 - x0, y1 - y0)
    if x1 - x0 >= y1 - y0:
        at = (x0 + x1) / 2
        sides = rectangle(at - far, -far, at - JOIN_MM, far), rectangle(at + JOIN_MM, -far, at + far, far)
    else:
        at = (y0 + y1) / 2
        sides = rectangle(-far, at - far, far, at - JOIN_MM), rectangle(-far, at + JOIN_MM, far, at + far)
    parts = [outline.intersection(side) for side in sides]
    return [max(getattr(part, "geoms", [part]), key=lambda g: float(g.area)) for part in parts]
