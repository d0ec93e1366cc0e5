"""Every flat piece of the tank: shell blanks with holes and baffle marks, and baffle plates."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from shapely.geometry import Polygon

from bathyx.core.geometry.outline import Outline, polygon_area
from bathyx.core.geometry.shell import Array, CurvedFace, Face, Shell, covers, cross, facets_of
from bathyx.core.geometry.surfaces import Cylinder, Revolved
from bathyx.core.inside.baffles import AXIS_INDEX, Baffle, Plate
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.memory import remembered
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.blank import SUMP, Blank, Hole, Mark, settled
from bathyx.core.sheet.flat.lay import Lay
from bathyx.core.sheet.flat.unfold import FlatPiece, unfold
from bathyx.core.sheet.makeup.doublers import Doubler, border_of, seated
from bathyx.core.sheet.makeup.lids import Lid
from bathyx.core.sheet.makeup.roles import EdgeRole
from bathyx.core.sheet.makeup.skins import Skins


@dataclass(frozen=True)
class Named:
    """What pieces are called: `whole` one that holds the ring, `main` faces that name the others; `bought`: what the ring is cut
    from; `laps`: (face, mm) that runs over past its edges."""

    whole: str = "wrap"
    main: tuple[str, ...] = ()
    bought: str = ""
    laps: tuple[tuple[str, float], ...] = ()


NAMED = Named()
PULLS_T = 2.5
BEVELS = (0.05, 0.2, 0.35, 0.65, 0.8, 0.95)


@remembered()
def pieces_of(shell: Shell, roles: tuple[EdgeRole, ...], skins: Skins, rule: BendRule) -> tuple[FlatPiece, ...]:
    """The unfolded pieces, kept while the shell and its make-up stay the same.

    Args:
        shell: panelled.
        roles: what becomes of its edges.
        skins: thickness of its panels.
        rule: radius and K of bends.
    """
    return tuple(unfold(shell, roles, skins, rule))


def shell_blanks(  # noqa: PLR0913, PLR0917 - a step of the chain: what it reads
    shell: Shell,
    roles: tuple[EdgeRole, ...],
    skins: Skins,
    rule: BendRule,
    fittings: tuple[Fitting, ...],
    baffles: tuple[Baffle, ...],
    base: Shell,
    names: Named = NAMED,
    doublers: tuple[Doubler, ...] = (),
    lids: tuple[Lid, ...] = (),
) -> tuple[Blank, ...]:
    """Blanks of a shell.

    Args:
        shell: panelled, which may have a face split for a seam.
        roles: what becomes of its edges.
        skins: thickness of its panels.
        rule: radius and K of bends.
        fittings: holes, placed on the `base` shell.
        baffles: marked where they cross.
        base: the inside without the split.
        names: what pieces are called and bought as, and which run over.
        doublers: marked where they lie.
        lids: that are bolted down, with the holes of their screws.
    """
    found = []
    placed = [(fitting, spot) for fitting in fittings if fitting.hole_mm and (spot := seat(base, fitting)) is not None]
    laid_on = seated(base, doublers)
    for piece in pieces_of(shell, roles, skins, rule):
        holes: list[Hole] = list(piece.slots)
        marks: list[Mark] = []
        for face_id, lay in piece.lays.items():
            face = shell.by_id[face_id]
            for fitting, spot in placed:
                if fitting.face == face.parent and _on(face, spot):
                    label = fitting.said
                    if isinstance(face, CurvedFace) and isinstance(face.on, Revolved):
                        marks.append(_after_forming(piece, label, len(marks)))
                        continue
                    holes.append(Hole(lay.point(spot), fitting.hole_mm, label, _developed(face, lay, spot, fitting)))
            holes += _screwed(face_id, lay, lids)
            for hole in face.holes:
                holes.append(_cut_out(lay.point(hole)))
            marks += _bevels(shell, face, lay)
            marks += _doubled(face, lay, laid_on)
            for number, baffle in enumerate(baffles, start=1):
                for start, end in _crossing(face, baffle):
                    marks.append(Mark(lay.point(start), lay.point(end), f"B{number}"))
            if not piece.rolled:
                middle = lay.point(face.centroid)
                marks.append(Mark(middle, middle, face_id))
        holes = [_waiting(hole, piece) for hole in holes]
        outline, lap = piece.outline, max((mm for face, mm in names.laps if face in piece.lays), default=0.0)
        if lap > 0:
            edge = outline.faceted
            marks += [
                Mark(a, b, "edge of the hull" if k == 0 else "")
                for k, (a, b) in enumerate(zip(edge, np.roll(edge, -1, axis=0), strict=True))
            ]
            outline = _lapped(edge, lap)
        found.append(
            settled(
                Blank(
                    _name(piece, shell, names),
                    piece.thickness_mm,
                    outline,
                    tuple(holes),
                    piece.bends,
                    (*marks, *piece.marks),
                    tuple(piece.lays),
                    "bought" if piece.bought else "shell",
                    names.bought if piece.bought else "",
                )
            )
        )
    return tuple(found)


def baffle_blanks(plates: tuple[Plate, ...], thickness_mm: float) -> tuple[Blank, ...]:
    """One blank per plate."""
    return tuple(
        settled(
            Blank(
                f"baffle {plate.name}",
                thickness_mm,
                plate.outline,
                tuple(Hole(np.array([x, z]), d, "flow") for x, z, d in plate.holes),
                (),
                (),
                (),
                "baffle",
            )
        )
        for plate in plates
    )


def _doubled(face: Face, lay: Lay, laid_on: list[tuple[Doubler, Face]]) -> list[Mark]:
    """Where doublers lie on a face."""
    found: list[Mark] = []
    for doubler, on in laid_on:
        if on.id == face.parent and _on(face, border_of(doubler, on).mean(axis=0)):
            ring = lay.point(border_of(doubler, on))
            found += [Mark(a, b, "") for a, b in zip(ring, np.roll(ring, -1, axis=0), strict=True)]
            middle = ring.mean(axis=0)
            found.append(Mark(middle, middle, f"doubler {'inside' if doubler.inside else 'outside'}"))
    return found


def _screwed(face_id: str, lay: Lay, lids: tuple[Lid, ...]) -> list[Hole]:
    """Holes of the screws of a lid."""
    return [
        Hole(lay.point(np.array(spot)), lid.hole_mm, f"M{lid.screw_mm:g} screw")
        for lid in lids
        if lid.face == face_id
        for spot in lid.spots
    ]


def _waiting(hole: Hole, piece: FlatPiece) -> Hole:
    """A round hole, told to wait where its rim lies within 2.5 t of a bend's tangent: it would pull oval."""
    if hole.border is not None:
        return hole
    for bend in piece.bends:
        along = bend.end - bend.start
        share = min(max(float((hole.centre - bend.start) @ along) / float(along @ along), 0.0), 1.0)
        off = math.dist(hole.centre, bend.start + share * along)
        if off - bend.allowance_mm / 2 - hole.diameter_mm / 2 < PULLS_T * piece.thickness_mm:
            return replace(hole, waits=True)
    return hole


def _lapped(edge: Array, lap_mm: float) -> Outline:
    """(n, 2) an outline run over by `lap_mm` all round, corners kept sharp."""
    wide = Polygon(edge).buffer(lap_mm, join_style="mitre", mitre_limit=2.0)
    ring = np.array(wide.exterior.coords)[:-1]
    ring = ring if polygon_area(ring) > 0 else ring[::-1]
    return Outline(ring, np.zeros(len(ring)))


def _name(piece: FlatPiece, shell: Shell, names: Named) -> str:
    faces = list(piece.lays)
    whole, main = names.whole, names.main
    parents = {face.split(":")[0] for face in faces}
    body = piece.rolled and whole == "body" and shell.by_id[faces[0]].role in ("wall", "floor", "roof")
    ring = {f.parent for f in shell.faces if f.role not in ("end", "sump")}
    if body or (ring and parents >= ring):
        return whole
    if len(faces) == 1:
        return faces[0]
    return " + ".join([f for f in main if f in parents] or faces[:2])


def _on(face: Face, spot: Array) -> bool:
    """Whether a point of the parent face lies on this part of it (edges count on the low side)."""
    if face.id == face.parent:
        return True
    u, v = face.uv(spot[None])[0]
    return covers(face.outline, float(u), float(v))


def _bevels(shell: Shell, face: Face, lay: Lay) -> list[Mark]:
    """What a bulkhead or lid that meets a measured hull is bevelled to: the angle between both, at places along its edge."""
    found: list[Mark] = []
    if face.kind != "plane" or not any(f.kind == "hull" for f in shell.faces):
        return found
    for edge in shell.edges:
        other = shell.by_id[edge.b if edge.a == face.id else edge.a]
        if face.id not in (edge.a, edge.b) or other.kind != "hull":
            continue
        steps = np.linalg.norm(np.diff(edge.line, axis=0), axis=1)
        along = np.concatenate([[0.0], np.cumsum(steps)])
        for share in BEVELS:
            spot = np.array([np.interp(share * along[-1], along, edge.line[:, k]) for k in range(3)])
            angle = math.degrees(math.acos(min(1.0, abs(float(other.normal_at(spot) @ face.normal)))))
            place = lay.point(spot)
            found.append(Mark(place, place, f"bevel {angle:.0f}°"))
    return found


def _cut_out(border: Array) -> Hole:
    """The hole a sump needs in its floor; a circle of its area where it is round."""
    middle = border.mean(axis=0)
    away = np.hypot(*(border - middle).T)
    if len(border) > 8 and np.ptp(away) < 5e-3 * away.mean():
        return Hole(middle, 2 * math.sqrt(abs(polygon_area(border)) / math.pi), SUMP)
    return Hole(middle, float(np.ptp(border, axis=0).max()), SUMP, border if polygon_area(border) > 0 else border[::-1])


def _after_forming(piece: FlatPiece, label: str, row: int) -> Mark:
    """A hole in a formed head is cut when it has its shape; the blank says so."""
    spot = piece.outline.faceted.mean(axis=0) - np.array([0.0, 30.0 * (row + 1)])
    return Mark(spot, spot, f"{label}: cut after forming")


def _developed(face: Face, lay: Lay, spot: Array, fitting: Fitting) -> Array | None:
    """The flat border of a hole bored square into a rolled wall: r asin(x / r) round it for x across, geometry."""
    if not isinstance(face, CurvedFace) or not isinstance(face.on, Cylinder):
        return None
    r = face.on.radius
    turn = np.linspace(0, 2 * np.pi, 96, endpoint=False)
    across, along = fitting.hole_mm / 2 * np.sin(turn), fitting.hole_mm / 2 * np.cos(turn)
    centre = lay.point(spot)
    x = lay.neutral * np.arcsin(np.clip(across / r, -1, 1))
    return centre + np.column_stack([x, along]) @ lay.turn.T


def _crossing(face: Face, baffle: Baffle) -> list[tuple[Array, Array]]:
    """Segments where a baffle's middle plane crosses a face."""
    i = AXIS_INDEX[baffle.axis]
    if isinstance(face, CurvedFace):
        return _crossing_curved(face, i, baffle.at_mm)
    if abs(face.normal[i]) > 1 - 1e-9:
        return []
    points = _crossings(face.loop, i, baffle.at_mm)
    if len(points) < 2:
        return []
    along = cross(face.normal, np.eye(3)[i])
    points.sort(key=lambda p: float(p @ along))
    return list(zip(points[0::2], points[1::2], strict=False))


def _crossing_curved(face: CurvedFace, i: int, at_mm: float) -> list[tuple[Array, Array]]:
    """On a cylinder square to the plane one line round it; along it, a line a side; heads are not marked."""
    surface = face.on
    if not isinstance(surface, Cylinder):
        return []
    low, high = face.outline.min(axis=0), face.outline.max(axis=0)
    if abs(float(surface.axis[i])) > 1 - 1e-9:
        u = float((at_mm - surface.origin[i]) / surface.axis[i])
        if not low[0] < u < high[0]:
            return []
        inset = 1e-6 * float(high[1] - low[1])
        ends = face.points(np.array([[u, low[1] + inset], [u, high[1] - inset]]))
        return [(ends[0], ends[1])]
    found = []
    for loop, _ in facets_of(face):
        points = _crossings(loop, i, at_mm)
        if len(points) == 2:
            found.append((points[0], points[1]))
    return found


def _crossings(loop: Array, i: int, at_mm: float) -> list[Array]:
    """Points where a loop crosses the plane at `at_mm` along axis `i`."""
    side = loop[:, i] - at_mm
    points = []
    for k in range(len(side)):
        j = (k + 1) % len(side)
        if side[k] * side[j] < 0:
            points.append(loop[k] + (loop[j] - loop[k]) * (side[k] / (side[k] - side[j])))
    return points
