"""Baffles: where they stand by rule or by hand, and their plates with limber holes, air gaps and flow holes.

A baffle of axis `x` stands across the length, one of axis `y` across the width; plates fit inside with a gap.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from pydantic import Field, field_validator
from shapely.geometry import Point, Polygon, box

from bathyx.core.formula import formula
from bathyx.core.geometry.clip import Loops, chain, clip_closed
from bathyx.core.geometry.outline import (
    Outline,
    corner_taken,
    length_of,
    notched,
    offset_arcs,
    offset_polygon,
    part_between,
    polygon_area,
    spun,
)
from bathyx.core.geometry.shell import Array, CurvedFace, Shell, following
from bathyx.core.geometry.surfaces import Cylinder
from bathyx.core.memory import remembered
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

OPEN_SHARE = formula(
    "inside.open",
    "Open share of a baffle",
    "open share = 1 − plate area / section area",
    source="Upper limit 30 %: ABYC H-24 (from memory) and ADR 6.8.2.1.22, surge plates at least 70 % of the section "
    "(from memory); lower limit 3 % is Bathyx's own estimate of what fills and drains freely",
    valid="plates with holes",
    check="tests/core/test_inside.py",
    tolerance="area exact",
)
MOVING_BAY_MM = 450.0
FIXED_BAY_MM = 760.0
EASE_MM = 5.0
OFF_EDGE_MM = 15.0  # a baffle placed by rule keeps this far from where floor or roof turns
MOST_BAYS = 24  # each way, by rule; more is a size typed wrong, and the longest bay is said
OPEN_LOW, OPEN_HIGH = 0.03, 0.30
OPEN_AIM = 0.12
BAY_SOURCE = (
    "450 mm moving: one baffle in a cube of 762 mm leaves bays of 381 mm, common practice; "
    "760 mm fixed: small-craft fuel tank rules of thumb, from memory"
)
FLOW_PITCH_MM, KEPT_OFF = 180.0, 0.83  # KEPT_OFF: of its diameter from the middle of a hole to the edge
# A strip narrower than this is cut off, if it is no more than this share of the plate.
LEAST_STRIP_MM, MOST_STRIP = 20.0, 0.1
SMOOTH = math.cos(math.radians(12))
LEAST_APART_MM = 20.0
Axis = Literal["x", "y"]
AXIS_INDEX = {"x": 0, "y": 1}


class Baffle(Frozen):
    """A baffle placed by hand: its plate's middle, mm from the front (x) or the left end (y)."""

    axis: Axis
    at_mm: float = Field(gt=0, le=10_000)


class BaffleRules(Frozen):
    """How baffles are chosen and cut. `max_bay_mm` None takes the usual limit for moving or fixed tanks."""

    by_rule: bool = True
    max_bay_mm: float | None = Field(None, ge=50, le=5000)
    by_hand: tuple[Baffle, ...] = Field((), max_length=40)
    limber_mm: float = Field(25.0, ge=0, le=200)
    air_gap_mm: float = Field(20.0, ge=0, le=200)
    flow_hole_mm: float = Field(50.0, ge=0, le=400)
    fit_gap_mm: float = Field(1.0, ge=0, le=10)

    @field_validator("by_hand")
    @classmethod
    def _stand_apart(cls, by_hand: tuple[Baffle, ...]) -> tuple[Baffle, ...]:
        for axis in AXIS_INDEX:
            places = sorted(b.at_mm for b in by_hand if b.axis == axis)
            for first, second in itertools.pairwise(places):
                if second - first < LEAST_APART_MM:
                    raise Refusal(
                        f"two baffles stand {second - first:g} mm apart, at {first:g} and {second:g} mm; "
                        f"keep {LEAST_APART_MM:.0f} mm between them or leave one out"
                    )
        return by_hand


@dataclass(frozen=True)
class BaySpan:
    """A run between baffles or ends along one axis, mm."""

    axis: Axis
    start_mm: float
    end_mm: float

    @property
    def length_mm(self) -> float:
        """Length of the run."""
        return self.end_mm - self.start_mm


@dataclass(frozen=True, eq=False)
class Plate:
    """One baffle plate. `outline` in (across, up): y and z for axis x, x and z for axis y; `holes` are (centre, d).

    `section` (n, 2) and `section_mm2` are what it stands in, `contact_mm` the length of its edge that can be welded to the walls.
    """

    name: str
    axis: Axis
    at_mm: float
    outline: Outline
    holes: tuple[tuple[float, float, float], ...]
    section: Array
    section_mm2: float
    contact_mm: float

    @cached_property
    def metal_mm2(self) -> float:
        """Area of metal."""
        return self.outline.area_mm2 - sum(math.pi / 4 * d * d for _, _, d in self.holes)

    @property
    def open_share(self) -> float:
        """Share of the section that stays open."""
        return 1.0 - self.metal_mm2 / self.section_mm2


def bay_limit_mm(rules: BaffleRules, moving: bool) -> float:
    """The longest bay in force."""
    return rules.max_bay_mm or (MOVING_BAY_MM if moving else FIXED_BAY_MM)


def placed(shell: Shell, rules: BaffleRules, moving: bool, thickness_mm: float = 3.0) -> tuple[Baffle, ...]:
    """Baffles in force, by axis and place: evenly by rule, or as put by hand (those outside the tank left out).

    By rule they keep off the edges where floor or roof turns, shifted as little as will do, with one more where the
    shift would make a bay too long.

    Args:
        shell: the inside.
        rules: by rule or by hand, and the longest bay.
        moving: whether the tank moves, for the usual longest bay.
        thickness_mm: of the plates.

    >>> from bathyx.core.tank.profile import ProfileTank
    >>> box = ProfileTank(length_mm=900, width_mm=400, height_mm=200, sheet="5083/3").shell()
    >>> [(b.axis, b.at_mm) for b in placed(box, BaffleRules(), moving=True)]
    [('x', 450.0)]
    """
    low, high = shell.bounds
    if not rules.by_rule:
        inside = [b for b in rules.by_hand if low[AXIS_INDEX[b.axis]] < b.at_mm < high[AXIS_INDEX[b.axis]]]
        return tuple(sorted(inside, key=lambda b: (b.axis, b.at_mm)))
    limit = bay_limit_mm(rules, moving)
    found = []
    for axis in ("x", "y"):
        start, end = float(low[AXIS_INDEX[axis]]), float(high[AXIS_INDEX[axis]])
        count = min(max(1, math.ceil((end - start) / limit - 1e-9)), MOST_BAYS)
        clear = OFF_EDGE_MM + thickness_mm / 2
        turns = sorted({round(float(p[AXIS_INDEX[axis]]), 3) for p in shell.corners} - {round(start, 3), round(end, 3)})
        for more in range(4):
            even = [start + (end - start) * i / (count + more) for i in range(1, count + more)]
            spots = [_off(at, turns, clear, (start, end)) for at in even]
            stops = [start, *spots, end]
            if max(b - a for a, b in itertools.pairwise(stops)) <= limit + 0.5:
                break
        found += [Baffle(axis=axis, at_mm=spot) for spot in spots]
    return tuple(found)


def _off(at: float, turns: list[float], clear: float, within: tuple[float, float]) -> float:
    """The place inside nearest to `at` that is `clear` of every turn and of the walls; `at` where there is none."""
    tries = [at, *(t + clear * side for t in turns for side in (-1, 1))]
    inside = [x for x in tries if within[0] + clear <= x <= within[1] - clear]
    free = [x for x in inside if all(abs(x - t) >= clear - 1e-6 for t in turns)]
    return min(free, key=lambda x: abs(x - at)) if free else at


def bays(shell: Shell, baffles: tuple[Baffle, ...]) -> tuple[BaySpan, ...]:
    """Runs between baffles along each axis, walls included."""
    low, high = shell.bounds
    spans = []
    for axis in ("x", "y"):
        i = AXIS_INDEX[axis]
        stops = [float(low[i]), *(b.at_mm for b in baffles if b.axis == axis), float(high[i])]
        spans += [BaySpan(axis, a, b) for a, b in itertools.pairwise(stops)]
    return tuple(spans)


def section(shell: Shell, axis: Axis, at_mm: float) -> Array:
    """The inside outline where a plane crosses the tank, (n, 2) in (across, up), counter-clockwise; (0, 2) if none.

    The largest where there are several: what stands under the floor, as a sump, is left out (`sections` has it).
    """
    flat = sections(shell, axis, at_mm)
    if not flat:
        return np.zeros((0, 2))
    biggest = max(flat, key=lambda p: abs(polygon_area(p)))
    return biggest if polygon_area(biggest) > 0 else biggest[::-1]


@remembered(64)
def sections(shell: Shell, axis: Axis, at_mm: float) -> list[Array]:
    """All outlines where a plane crosses the tank, each (n, 2) in (across, up)."""
    i = AXIS_INDEX[axis]
    normal = np.zeros(3)
    normal[i] = 1.0
    quick, rest = _near(shell, i, at_mm)
    _, cap = clip_closed(rest, normal * at_mm, normal)
    return [loop[:, [1 - i, 2]] for loop in chain(np.concatenate([*quick, cap]))]


def _near(shell: Shell, i: int, at_mm: float) -> tuple[list[Array], Loops]:
    """What reaches to a plane across axis `i`: (segments (m, 2, 3) of curved faces' facets, other loops to be cut)."""
    quick: list[Array] = []
    found: Loops = []
    for face in shell.faces:
        for loops, normals in face.blocks:
            off = loops[:, :, i] - at_mm
            near = (off.min(axis=1) <= 1e-9) & (off.max(axis=1) >= -1e-9)
            if face.kind != "plane" and not (np.abs(off[near]) < 1e-9).any():
                quick.append(_crossed(loops[near], off[near]))
            else:
                found += [(loops[k], normals[k]) for k in np.flatnonzero(near).tolist()]
    return quick, found


def _crossed(loops: Array, off: Array) -> Array:
    """Segments (m, 2, 3) where convex loops (m, k, 3) cross a plane that none of their corners lies on, directed as by a cut."""
    after, nxt = np.roll(loops, -1, axis=1), np.roll(off, -1, axis=1)
    share = (off / (off - nxt + (off == nxt)))[..., None]
    spots = loops + (after - loops) * share
    leaves, comes = (off < 0) & (nxt > 0), (off > 0) & (nxt < 0)
    rows = np.arange(len(loops))
    return np.stack([spots[rows, comes.argmax(axis=1)], spots[rows, leaves.argmax(axis=1)]], axis=1)


def arced_section(shell: Shell, axis: Axis, at_mm: float) -> Outline | None:
    """`section` with true arcs where a plane square to its axis cuts a cylinder; None where it cuts none so."""
    i = AXIS_INDEX[axis]
    faces = [
        f for f in shell.faces if isinstance(f, CurvedFace) and isinstance(f.on, Cylinder)
        and abs(float(f.on.axis[i])) > 1 - 1e-9 and f.blocks[0][0][:, :, i].min() <= at_mm <= f.blocks[0][0][:, :, i].max()
    ]  # fmt: skip
    if not faces:
        return None
    flat = section(shell, axis, at_mm)
    middles = (flat + following(flat)) / 2
    owner = np.full(len(flat), -1)
    for number, face in enumerate(faces):
        surface = face.on
        assert isinstance(surface, Cylinder)
        centre = surface.origin[[1 - i, 2]]
        away = np.hypot(*(flat - centre).T)
        on = (np.abs(away - surface.radius) < 2e-3 * surface.radius) & (
            np.abs(np.roll(away, -1) - surface.radius) < 2e-3 * surface.radius
        )
        space = np.full((len(flat), 3), at_mm)
        space[:, [1 - i, 2]] = middles
        angle = surface.angles(space)
        owner[on & (angle > surface.low - 1e-9) & (angle < surface.high + 1e-9)] = number
    if owner.min() < 0 and owner.max() < 0:
        return None
    starts = [k for k in range(len(flat)) if owner[k] != owner[k - 1] or owner[k] < 0]
    if not starts:
        centre, radius = _centre(faces[int(owner[0])], i)
        return Outline(np.array([centre + [radius, 0.0], centre - [radius, 0.0]]), np.array([1.0, 1.0]))
    points, bulges = [], []
    for n, k in enumerate(starts):
        end = starts[(n + 1) % len(starts)]
        if owner[k] < 0:
            points.append(flat[k])
            bulges.append(0.0)
            continue
        centre, _ = _centre(faces[int(owner[k])], i)
        a, b = flat[k] - centre, flat[end] - centre
        middle = flat[(k + ((end - k) % len(flat)) // 2) % len(flat)] - centre
        turn = math.atan2(a[0] * b[1] - a[1] * b[0], float(a @ b))
        way = math.copysign(1.0, a[0] * middle[1] - a[1] * middle[0])
        sweep = turn if turn * way > 0 else turn + way * 2 * math.pi
        half = centre + math.hypot(*a) * spun(a / math.hypot(*a), sweep / 2)
        points += [flat[k], half]
        bulges += [math.tan(sweep / 8)] * 2
    return Outline(np.array(points), np.array(bulges))


def _centre(face: CurvedFace, i: int) -> tuple[Array, float]:
    surface = face.on
    assert isinstance(surface, Cylinder)
    return surface.origin[[1 - i, 2]], surface.radius


def _runs_square(shell: Shell, i: int, at_mm: float, half_mm: float) -> bool:
    """Whether every facet that reaches within `half_mm` of a plane across axis `i` runs square through it: one section for all."""
    for face in shell.faces:
        for loops, normals in face.blocks:
            place = loops[:, :, i] - at_mm
            near = (place.min(axis=1) < half_mm) & (place.max(axis=1) > -half_mm)
            inner = (np.abs(place) < half_mm).any(axis=1)
            if (near & (inner | (np.abs(normals[:, i]) > 1e-12))).any():
                return False
    return True


def narrowest(shell: Shell, axis: Axis, at_mm: float, thickness_mm: float) -> Array:
    """The outline that a plate fits, (n, 2): what the sections at both its faces and its middle share; (0, 2) if none.

    Args:
        shell: the inside.
        axis: which way the plate stands.
        at_mm: its middle.
        thickness_mm: of the plate.
    """
    half = thickness_mm / 2
    if _runs_square(shell, AXIS_INDEX[axis], at_mm, half):
        return section(shell, axis, at_mm)
    cuts = [section(shell, axis, at_mm + side) for side in (-half, 0.0, half)]
    if any(len(c) < 3 for c in cuts):
        return np.zeros((0, 2))
    first, middle, last = cuts
    if all(c.shape == middle.shape and np.allclose(c, middle, atol=1e-9) for c in (first, last)):
        return middle
    shared = Polygon(first).intersection(Polygon(middle)).intersection(Polygon(last))
    pieces = [p for p in getattr(shared, "geoms", [shared]) if p.geom_type == "Polygon"]
    if not pieces:
        return np.zeros((0, 2))
    points = np.array(max(pieces, key=lambda p: p.area).exterior.coords)[:-1]
    kept = [p for k, p in enumerate(points) if np.linalg.norm(p - points[k - 1]) > 1e-6]
    return np.array(kept) if polygon_area(np.array(kept)) > 0 else np.array(kept)[::-1]


def plates(
    shell: Shell,
    baffles: tuple[Baffle, ...],
    rules: BaffleRules,
    thickness_mm: float,
    eased: tuple[tuple[str, float], ...] = (),
) -> tuple[Plate, ...]:
    """The plates of all baffles. Where both ways are baffled, those across the width run through and the others are cut.

    Args:
        shell: the inside.
        baffles: where they stand.
        rules: how they are cut.
        thickness_mm: of the plates; on sloping floors they fit the narrowest of it.
        eased: (faces as `between` has them, mm) of edges that are bent, whose rounding a corner has to clear; other corners
            clear a weld root by 5 mm.
    """
    stops = [b.at_mm for b in baffles if b.axis == "y"]
    found = []
    for number, baffle in enumerate(baffles, start=1):
        bends = _bends_crossed(shell, baffle, dict(eased))
        arced = _arced_pieces(shell, baffle, stops if baffle.axis == "x" else [], thickness_mm)
        if arced:
            for k, (whole, flat) in enumerate(arced):
                found.append(_round_plate(_named(number, k, len(arced)), baffle, whole, flat, rules, bends))
            continue
        outline = narrowest(shell, baffle.axis, baffle.at_mm, thickness_mm)
        if len(outline) < 3:
            continue
        pieces = [outline] if baffle.axis == "y" else _between(outline, stops, thickness_mm)
        pieces = [without_slivers(piece) for piece in pieces]
        for k, piece in enumerate(pieces):
            found.append(_by_rule(_named(number, k, len(pieces)), baffle, piece, rules, bends))
    return tuple(found)


def without_slivers(ring: Array) -> Array:
    """(n, 2) the outline of a plate without strips beside it that are too narrow to cut, to weld or to stand up.

    >>> float(without_slivers(np.array([[0, 0], [3, 0], [3, 50], [90, 50], [90, 200], [0, 200]], float))[:, 1].min())
    50.0
    """
    whole = Polygon(ring)
    half = LEAST_STRIP_MM / 2
    kept = whole.buffer(-half, join_style="mitre", mitre_limit=20).buffer(half, join_style="mitre", mitre_limit=20)
    largest = max(getattr(kept, "geoms", [kept]), key=lambda part: float(part.area))
    lost = whole.area - largest.area
    if largest.is_empty or not 0.5 < lost < MOST_STRIP * whole.area:
        return ring
    found = np.array(largest.simplify(1e-6).exterior.coords)[:-1]
    return found if (polygon_area(found) > 0) == (polygon_area(ring) > 0) else found[::-1]


def _named(number: int, k: int, pieces: int) -> str:
    return f"B{number}{'abcdefghijk'[k % 11] if pieces > 1 else ''}"


def _arced_pieces(shell: Shell, baffle: Baffle, stops: list[float], thickness_mm: float) -> list[tuple[Outline, Array]]:
    """(outline with true arcs, section it stands in) of each piece between the plates that run through; none without arcs."""
    whole = arced_section(shell, baffle.axis, baffle.at_mm)
    if whole is None:
        return []
    flat = section(shell, baffle.axis, baffle.at_mm)
    if not stops:
        return [(whole, flat)]
    pieces = []
    for part in _between(flat, stops, thickness_mm):
        outline = part_between(whole, float(part[:, 0].min()), float(part[:, 0].max()))
        if outline is None or abs(abs(outline.area_mm2) - abs(polygon_area(part))) > 5e-3 * abs(polygon_area(part)):
            return []
        pieces.append((outline, part))
    return pieces


def between(a: str, b: str) -> str:
    """Two faces that meet, by the names of the whole: a face that is parted for its seam is one here."""
    return "/".join(sorted((a.split(":")[0], b.split(":")[0])))


def _bends_crossed(shell: Shell, baffle: Baffle, eased: dict[str, float]) -> list[tuple[Array, float]]:
    """((across, up), mm to clear) where bent edges cross the plate's plane."""
    i = AXIS_INDEX[baffle.axis]
    found = []
    for edge in shell.edges:
        mm = eased.get(between(edge.a, edge.b), 0.0)
        if mm <= 0:
            continue
        a, b = float(edge.start[i]), float(edge.end[i])
        if min(a, b) - 1e-6 <= baffle.at_mm <= max(a, b) + 1e-6 and abs(a - b) > 1e-9:
            spot = edge.start + (edge.end - edge.start) * (baffle.at_mm - a) / (b - a)
            found.append((spot[[1 - i, 2]], mm))
    return found


def _by_rule(name: str, baffle: Baffle, piece: Array, rules: BaffleRules, bends: list[tuple[Array, float]]) -> Plate:
    """A plate; placed by rule, its holes and corners are sized until its open share is within Bathyx's own limits."""
    plate = _plate(name, baffle, piece, rules, bends)
    if not rules.by_rule or OPEN_LOW <= plate.open_share <= OPEN_HIGH:
        return plate
    for corners in (1.0, 0.8, 0.6, 0.45, 0.3):
        sized = rules.model_copy(
            update={
                "flow_hole_mm": 0.0,
                "limber_mm": max(rules.limber_mm, 10.0) * corners,
                "air_gap_mm": max(rules.air_gap_mm, 10.0) * corners,
            }
        )
        closed = _plate(name, baffle, piece, sized, bends)
        wanted = (OPEN_AIM - closed.open_share) * closed.section_mm2
        count = max(1, round(float(np.ptp(piece[:, 0])) / FLOW_PITCH_MM))
        hole = math.sqrt(max(wanted, 0.0) / count * 4 / math.pi)
        plate = _plate(
            name, baffle, piece, sized.model_copy(update={"flow_hole_mm": float(round(min(hole, 400.0)))}), bends
        )
        if OPEN_LOW <= plate.open_share <= OPEN_HIGH:
            break
    return plate


def _round_plate(
    name: str, baffle: Baffle, whole: Outline, section_: Array, rules: BaffleRules, bends: list[tuple[Array, float]]
) -> Plate:
    """A plate with arcs: notches at its lowest and highest place for fluid and air, and a row of flow holes."""
    shape = offset_arcs(whole, -rules.fit_gap_mm)
    contact = length_of(shape)
    shape, corners = _eased(shape, bends, rules.fit_gap_mm)
    contact -= corners
    width = float(np.ptp(shape.faceted[:, 0]))
    for size_mm, lower in ((rules.limber_mm, True), (rules.air_gap_mm, False)):
        if size_mm > 0:
            shape, taken = _notched_at_ends(shape, whole.faceted, size_mm, lower)
            contact -= taken
    area = abs(whole.area_mm2)
    hole = rules.flow_hole_mm
    if rules.by_rule:
        count = max(1, round(float(width) / FLOW_PITCH_MM))
        wanted = max(OPEN_AIM * area - (area - shape.area_mm2), 0.0)
        hole = float(round(min(math.sqrt(wanted / count * 4 / math.pi), 400.0)))
    holes = _flow_holes(Polygon(shape.faceted), hole)
    return Plate(name, baffle.axis, baffle.at_mm, shape, holes, section_, area, float(contact))


def _eased(shape: Outline, bends: list[tuple[Array, float]], gap_mm: float) -> tuple[Outline, float]:
    """The outline with its sharp corners cut clear of weld roots and bends, and how much of its sides that takes, mm."""
    points: list[Array] = []
    bulges: list[float] = []
    taken, n = 0.0, len(shape.points)
    for i, here in enumerate(shape.points):
        before, after = shape.points[i - 1], shape.points[(i + 1) % n]
        straight = abs(shape.bulges[i - 1]) < 1e-12 and abs(shape.bulges[i]) < 1e-12
        a, b = math.dist(before, here), math.dist(here, after)
        if straight and min(a, b) > 0:
            into, out = (here - before) / a, (after - here) / b
            if into[0] * out[1] - into[1] * out[0] > 1e-9 and into @ out < SMOOTH:
                clear = max((mm for spot, mm in bends if math.dist(spot, here) < 4 * gap_mm + 2), default=EASE_MM)
                leg = min(max(clear, EASE_MM), 0.4 * a, 0.4 * b)
                points += [here - into * leg, here + out * leg]
                bulges += [0.0, 0.0]
                taken += 2 * leg
                continue
        points.append(here)
        bulges.append(float(shape.bulges[i]))
    return Outline(np.array(points), np.array(bulges)), taken


def _notched_at_ends(shape: Outline, whole: Array, size_mm: float, lower: bool) -> tuple[Outline, float]:
    """The outline with a notch at each lowest or highest place of the section `whole` (n, 2), and what that takes of its sides."""
    width, height = np.ptp(whole, axis=0)
    total = 0.0
    for middle, room in _ends_of(whole, lower):
        wide, deep = min(2 * size_mm, 0.3 * float(width), 0.6 * room), min(size_mm, 0.2 * float(height))
        left, right = float(shape.faceted[:, 0].min()), float(shape.faceted[:, 0].max())
        if not left + wide / 2 < middle < right - wide / 2:
            # The lowest place of a piece is its corner at the plate that runs through: the corner is taken off.
            cornered = corner_taken(shape, left if middle < (left + right) / 2 else right, wide, deep, lower=lower)
            middle = min(max(middle, left + wide), right - wide)
            shape, taken = cornered or notched(shape, middle, wide, deep, lower=lower)
        else:
            shape, taken = notched(shape, middle, wide, deep, lower=lower)
        total += taken
    return shape, total


def _ends_of(points: Array, lower: bool) -> list[tuple[float, float]]:
    """(middle, width) of each lowest or highest flat of an outline, one a lobe; the lowest or highest point of a round one."""
    z = points[:, 1] if lower else -points[:, 1]
    at_end = z < z.min() + 0.5
    found = []
    for i in np.flatnonzero(at_end & np.roll(at_end, -1)).tolist():
        a, b = float(points[i, 0]), float(points[(i + 1) % len(points), 0])
        if abs(a - b) > 4 * EASE_MM:
            found.append(((a + b) / 2, abs(a - b)))
    if found:
        return found
    return [(float(points[int(z.argmin()), 0]), float(np.ptp(points[:, 0])))]


def _between(outline: Array, stops: list[float], thickness_mm: float) -> list[Array]:
    half, edges = thickness_mm / 2, [-1e6, *stops, 1e6]
    whole, pieces = Polygon(outline), []
    for low, high in itertools.pairwise(edges):
        part = whole.intersection(box(low + half, -1e6, high - half, 1e6))
        if part.geom_type == "Polygon" and part.area > 1:
            points = np.array(part.exterior.coords)[:-1]
            pieces.append(points if polygon_area(points) > 0 else points[::-1])
    return pieces


def _plate(name: str, baffle: Baffle, piece: Array, rules: BaffleRules, bends: list[tuple[Array, float]]) -> Plate:
    shrunk = offset_polygon(piece, np.full(len(piece), -rules.fit_gap_mm))
    along = following(shrunk) - shrunk
    length = np.sqrt((along**2).sum(axis=1))
    unit = along / length[:, None]
    contact = float(length.sum())
    corners: list[Array] = []
    drains = breathes = False
    for i, here in enumerate(shrunk):
        into, out = unit[i - 1], unit[i]
        if into[0] * out[1] - into[1] * out[0] <= 1e-9:
            corners.append(here)  # a reflex corner stays in contact
            continue
        if into @ out > SMOOTH:
            corners.append(here)  # a chord of a curved wall
            continue
        # Counter-clockwise, a floor runs to the right and a roof to the left.
        floor, roof = max(into[0], out[0]) > 0.7, max(-into[0], -out[0]) > 0.7
        ease = max((mm for spot, mm in bends if math.dist(spot, here) < 4 * rules.fit_gap_mm + 2), default=EASE_MM)
        leg = max(ease, EASE_MM, rules.limber_mm if floor else rules.air_gap_mm if roof else 0.0)
        leg = min(leg, 0.4 * length[i - 1], 0.4 * length[i])
        if leg <= 0:
            corners.append(here)
            continue
        corners += [here - into * leg, here + out * leg]
        contact -= 2 * leg
        drains, breathes = drains or floor, breathes or roof
    shape = Outline(np.array(corners), np.zeros(len(corners)))
    for size_mm, lower, cut in ((rules.limber_mm, True, drains), (rules.air_gap_mm, False, breathes)):
        if size_mm > 0 and not cut:  # floor or roof runs out in a curve: there is no corner to cut off
            shape, taken = _notched_at_ends(shape, piece, size_mm, lower)
            contact -= taken
    holes = _flow_holes(Polygon(shape.points), rules.flow_hole_mm)
    return Plate(name, baffle.axis, baffle.at_mm, shape, holes, piece, abs(polygon_area(piece)), float(contact))


def _flow_holes(shape: Polygon, diameter_mm: float) -> tuple[tuple[float, float, float], ...]:
    """A row of holes at mid-height, one for each 180 mm of width, as large as leaves a third of a diameter beside them."""
    if diameter_mm <= 0:
        return ()
    low_x, low_z, high_x, high_z = shape.bounds
    count = max(1, round((high_x - low_x) / FLOW_PITCH_MM))
    widest = (high_x - low_x) / count / 2 / KEPT_OFF
    diameter = min(diameter_mm, 0.4 * (high_z - low_z), 0.4 * (high_x - low_x), math.floor(widest))
    middle = (low_z + high_z) / 2
    spots = [low_x + (high_x - low_x) * (i + 0.5) / count for i in range(count)]
    reach = diameter * KEPT_OFF
    return tuple(
        (x, middle, diameter)
        for x in spots
        if shape.contains(Point(x, middle)) and shape.exterior.distance(Point(x, middle)) >= reach
    )
