"""The scene of a job: the outside of its tank at its seat, the walls with their openings, what stands inside and outside."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np
import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry import box as rectangle

from bathyx.core.evaluate import Evaluation, disc_on
from bathyx.core.geometry.skin import outside_of
from bathyx.core.material import sheet
from bathyx.core.sheet.makeup.rims import outside
from bathyx.core.space import MeasuredSpace
from bathyx.core.space.cavity import WALLS
from bathyx.core.space.obstacles import AnyObstacle
from bathyx.core.space.openings import Opening, WayIn
from bathyx.core.tank.second import SecondTank
from bathyx.core.wayin.pose import Array
from bathyx.core.wayin.scene import Part, Scene
from bathyx.errors import Refusal

FAR_MM, RIM_MM, NEAR_WALL_MM = 6000.0, 3.0, 60.0
FACET_MM, APART_MM = 0.5, 0.5
SIDE_OF = {"left side": (1, 0), "right side": (1, 1), "floor": (2, 0), "roof": (2, 1), "front": (0, 0), "rear": (0, 1)}


@dataclass(frozen=True, eq=False)
class Door:
    """An opening as a search sees it: rows u, v and outward normal (3, 3), its middle (3,), and its size (2,) along u and v."""

    opening: Opening
    frame: Array
    middle: Array
    size: Array
    wall: str

    @property
    def out(self) -> Array:
        """(3,) outward."""
        return np.asarray(self.frame[2])


def doors(space: MeasuredSpace, way: WayIn) -> tuple[Door, ...]:
    """The openings, each in one of the walls. Refusal for one that lies in none."""
    low, high = space.cavity.bounds
    found = []
    for opening in way.into:
        i = opening.index
        off = {0: abs(opening.at_mm - low[i]), 1: abs(opening.at_mm - high[i])}
        end = 0 if off[0] <= off[1] else 1
        wall = next(name for name in WALLS if SIDE_OF[name] == (i, end))
        if off[end] > NEAR_WALL_MM:
            raise Refusal(
                f"{opening.name}: at {opening.axis} {opening.at_mm:g} it lies {off[end]:.0f} mm off the nearest wall "
                f"({wall}, at {(low, high)[end][i]:.0f}); an opening is in a wall"
            )
        a, b = opening.others
        span = np.array([[low[a], low[b]], [high[a], high[b]]])
        ring = opening.border
        if not Polygon(ring).intersects(rectangle(*span[0], *span[1])):
            raise Refusal(f"{opening.name} lies outside the space: nothing of it opens on it")
        found.append(_door(opening, -1.0 if end == 0 else 1.0, wall))
    return tuple(found)


def _door(opening: Opening, sign: float, wall: str) -> Door:
    """An opening that is passed outward along its axis (`sign` 1) or against it (-1)."""
    i, (a, _) = opening.index, opening.others
    normal = sign * np.eye(3)[i]
    frame = np.stack([np.eye(3)[a], np.cross(normal, np.eye(3)[a]), normal])
    spots = opening.placed(opening.border, sign * opening.thickness_mm / 2)
    flat = spots @ frame[:2].T
    corner, size = flat.min(axis=0), np.ptp(flat, axis=0)
    middle = frame[:2].T @ (corner + size / 2) + normal * float(spots[0] @ normal)
    return Door(opening, frame, np.asarray(middle), size, wall)


def plates(space: MeasuredSpace, way: WayIn) -> tuple[Door, ...]:
    """The openings that are passed on the way, each in a plate of its own; outward is away from the middle of the space."""
    low, high = space.cavity.bounds
    found = []
    for opening in way.passed:
        middle = (low[opening.index] + high[opening.index]) / 2
        found.append(_door(opening, 1.0 if opening.at_mm >= middle else -1.0, ""))
    return tuple(found)


def outer(doors_: tuple[Door, ...], space: MeasuredSpace) -> tuple[Door, ...]:
    """Those that lie outside of the space."""
    low, high = space.cavity.bounds
    return tuple(d for d in doors_ if not low[d.opening.index] < d.opening.at_mm < high[d.opening.index])


def scene_of(e: Evaluation, *, bare: bool = False, out: bool = False) -> tuple[Scene, tuple[Door, ...]]:
    """The scene and its openings.

    Args:
        e: the evaluated job, whose space has a way in.
        bare: without rings and bosses of fittings.
        out: on the way out for repair: what was put on or put in after the tank went in is there now.

    Raises:
        Refusal: without a way in, for an opening outside the space, or a tank that stands in something where it sits.
    """
    space = e.job.space
    if space.way_in is None:
        raise Refusal("no opening is said: a hatch, a door or a hole that the tank goes in by")
    ways = doors(space, space.way_in)
    body = body_of(e, bare=bare, out=out)
    return Scene(body, parts_of(e, ways, out=out), space.way_in.tilt_deg or 180.0), ways


def parts_of(e: Evaluation, ways: tuple[Door, ...], *, out: bool = False) -> tuple[Part, ...]:
    """What is in the way: walls, plates round the openings, what stands inside and outside; a second tank, which goes in first."""
    space = e.job.space
    assert space.way_in is not None
    parts = [*_walls(space, ways), *_plates(space, ways)]
    for door in plates(space, space.way_in):
        parts += _plates(space, (door,))
    later = set() if out else set(space.way_in.later)
    names = [thing.name for thing in space.obstacles]
    twice = next((name for name in sorted(later) if names.count(name) > 1), None)
    if twice is not None:
        raise Refusal(f"two things are called {twice}, and {twice} comes in later: give each a name of its own")
    there = [thing for thing in space.things if not (thing.name in later and thing in space.obstacles)]
    parts += [Part(thing.name, _solid(thing)) for thing in (*there, *space.way_in.outside)]
    second = e.job.second
    if second is not None and second.seat is not None:
        parts.append(Part(second.name, _second(second)))
    return tuple(parts)


def _second(second: SecondTank) -> Array:
    """Triangles (k, 3, 3) of the second tank where it sits."""
    assert second.seat is not None
    skin = outside_of(second.tank.shell(), sheet(second.tank.sheet).thickness_mm)
    seat = np.array([second.seat.x_mm, second.seat.y_mm, second.seat.z_mm])
    return np.asarray(skin + (seat - skin.reshape(-1, 3).min(axis=0)))


def body_of(e: Evaluation, *, bare: bool = False, out: bool = False) -> Array:
    """Triangles (k, 3, 3) of the outside where it sits, with what is on when it goes in, or when it comes `out`."""
    r, space = e.results, e.job.space
    skin = outside(r.shell, r.skins, r.rims)
    low = skin.reshape(-1, 3).min(axis=0)
    after = set(space.way_in.after) if space.way_in is not None and not out else set()
    on = [f for f in e.job.inside.fittings if not bare and f.out_mm > 0 and f.id not in after]
    rings = [ring for f in on if (ring := disc_on(r.shell, f, r.skins)) is not None]
    return np.asarray(np.concatenate([skin, *rings]) + (space.seated() - low))


def _walls(space: MeasuredSpace, ways: tuple[Door, ...]) -> list[Part]:
    """Walls without an opening as they were measured."""
    open_walls = {door.wall for door in ways}
    mesh = space.cavity.mesh
    return [Part(name, mesh[name]) for name in WALLS if name not in open_walls and len(mesh.get(name, ()))]


def _plates(space: MeasuredSpace, ways: tuple[Door, ...]) -> list[Part]:
    """Walls with openings: plates far beyond the space, with the holes left out, in convex pieces; and their lips."""
    found: list[Part] = []
    for wall in dict.fromkeys(door.wall for door in ways):
        mine = [door for door in ways if door.wall == wall]
        holes = [Polygon(door.opening.border) for door in mine]
        first = mine[0].opening
        plane = {door.opening.at_mm for door in mine}
        if len(plane) > 1:
            raise Refusal(f"openings in the {wall} lie in one plane; {', '.join(f'{p:g}' for p in plane)} mm are said")
        low, high = space.cavity.bounds
        a, b = first.others
        plate = rectangle(low[a] - FAR_MM, low[b] - FAR_MM, high[a] + FAR_MM, high[b] + FAR_MM)
        sign = float(mine[0].out[first.index])
        name = " and ".join(door.opening.name for door in mine)
        if any(a.distance(b) < APART_MM for a, b in combinations(holes, 2)):
            # What passes both at once would pass neither: each is looked at, and proven, by itself.
            raise Refusal(f"{name} touch one another: say them as one opening with the border of both")
        for piece in _pieces(plate, holes):
            found.append(Part(f"edge of {name}", _prism(first, piece, 0.0, sign * first.thickness_mm)))
        for door in mine:
            if door.opening.lip_mm > 0:
                found += [Part(f"lip of {door.opening.name}", t) for t in _lip(door.opening, sign)]
    return found


def _pieces(plate: Polygon, holes: list[Polygon]) -> list[Array]:
    """Convex rings that cover a plate less its holes: beyond each side of a convex hole, else triangles."""
    hole = holes[0]
    if len(holes) == 1 and hole.equals(hole.convex_hull):
        ring = np.array(hole.exterior.coords)[:-1]
        ring = ring if hole.exterior.is_ccw else ring[::-1]
        found = []
        for p, q in zip(ring, np.roll(ring, -1, axis=0), strict=True):
            run = (q - p) / np.linalg.norm(q - p)
            out = np.array([run[1], -run[0]])
            far = 4 * FAR_MM
            half = Polygon([p - run * far, p + run * far, p + run * far + out * far, p - run * far + out * far])
            part = plate.intersection(half)
            if part.area > 1e-6:
                found.append(np.array(part.exterior.coords)[:-1])
        return found
    left = plate.difference(shapely.union_all(holes))
    shapes = left.geoms if isinstance(left, MultiPolygon) else [left]
    return [np.array(t.exterior.coords)[:-1] for s in shapes for t in shapely.constrained_delaunay_triangles(s).geoms]


def _lip(opening: Opening, sign: float) -> list[Array]:
    """A rim that stands out round the hole, a piece a side."""
    ring = opening.border
    found = []
    for p, q in zip(ring, np.roll(ring, -1, axis=0), strict=True):
        run = (q - p) / np.linalg.norm(q - p)
        out = np.array([run[1], -run[0]]) * RIM_MM
        strip = np.array([p, q, q + out, p + out])
        far = sign * (opening.thickness_mm + opening.lip_mm)
        found.append(_prism(opening, strip, sign * opening.thickness_mm, far))
    return found


def _prism(opening: Opening, ring: Array, near: float, far: float) -> Array:
    """Triangles of a convex ring between two planes, seen from the opening's own."""
    return _hull(np.concatenate([opening.placed(ring, near), opening.placed(ring, far)]))


def _solid(thing: AnyObstacle) -> Array:
    return _hull(thing.hull())


def _hull(corners: Array) -> Array:
    from scipy.spatial import ConvexHull  # not at the start: only spaces that are more than a box need it

    return np.asarray(corners[ConvexHull(corners).simplices])
