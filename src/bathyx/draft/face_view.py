"""How a flat drawing looks at the tank, from above or straight on at one face; the drawing of a face; distances to its edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely import contains_xy
from shapely.geometry import LineString, Polygon
from shapely.geometry import box as rectangle

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array, Face, Shell
from bathyx.core.inside.baffles import AXIS_INDEX
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.units import Family, show
from bathyx.draft.fitting_view import fitting_on
from bathyx.draft.laid_view import laid_face
from bathyx.draft.picture import Dim, Item, Label, Picture, Poly, line
from bathyx.errors import Refusal

SIDES = ("left", "right", "below", "above")
FAR = 1e5


@dataclass(frozen=True)
class Sight:
    """From above (`face` is empty), or straight on at a face from outside. Places of the drawing are (2,) mm."""

    face: str = ""

    def held(self, shell: Shell, at: Array, *, floor: bool) -> tuple[str, float, float] | None:
        """(face, u, v) of a place of the drawing: from above on what looks up, or on the `floor` under it; None beside it."""
        if self.face:
            face = shell.by_id[self.face]
            u = float(at[0]) * self.way(face)
            return face.id, u, float(at[1])
        best: tuple[float, str, float, float] | None = None
        for face in shell.faces:
            region = face.lower if floor else face.upper
            if region is None or (face.kind == "plane" and not contains_xy(_plan(face), float(at[0]), float(at[1]))):
                continue
            try:
                u, v = face.over(float(at[0]), float(at[1]), below=floor)
            except Refusal:
                continue
            z = float(face.place(u, v)[2]) * (-1.0 if floor else 1.0)
            if best is None or z > best[0]:
                best = (z, face.id, u, v)
        return None if best is None else best[1:]

    def spot(self, shell: Shell, fitting: Fitting) -> Array | None:
        """(2,) where a fitting is in the drawing; None where it is not seen."""
        if not self.face:
            place = seat(shell, fitting)
            return None if place is None else place[:2]
        if fitting.face != self.face:
            return None
        return np.array([fitting.u_mm * self.way(shell.by_id[self.face]), fitting.v_mm])

    def border(self, shell: Shell, name: str) -> Polygon:
        """A face's area in the drawing."""
        face = shell.by_id[name]
        if self.face:
            return Polygon(face.outline * np.array([self.way(face), 1.0]))
        return _plan(face)

    def way(self, face: Face) -> float:
        """1 where u runs to the right for who looks at the face from outside, -1 where it runs to the left."""
        middle = face.place(*np.mean([face.outline.min(axis=0), face.outline.max(axis=0)], axis=0))
        u, v = face.tangents(middle)
        return 1.0 if float(np.cross(u, v) @ face.normal_at(middle)) > 0 else -1.0


def _plan(face: Face) -> Polygon:
    """A face from above; the reach of what looks up or down of a curved one."""
    if face.kind == "plane":
        return Polygon(face.points(face.outline)[:, :2]).buffer(0)
    spots = face.points(face.outline)[:, :2]
    low, high = spots.min(axis=0), spots.max(axis=0)
    return rectangle(*low, *high)


def distances(border: Polygon, at: Array) -> dict[str, float]:
    """Place of the nearest edge to the left, right, below and above of a place, as its x or y; none where there is no edge."""
    x, y = float(at[0]), float(at[1])
    found: dict[str, float] = {}
    for side, (dx, dy) in zip(SIDES, ((-1, 0), (1, 0), (0, -1), (0, 1)), strict=True):
        hit = LineString([(x, y), (x + dx * FAR, y + dy * FAR)]).intersection(border.boundary)
        if hit.is_empty:
            continue
        points = [p for part in getattr(hit, "geoms", [hit]) for p in part.coords]
        along = 0 if dx else 1
        way = dx + dy
        found[side] = min((p[along] for p in points), key=lambda v: way * v)
    return found


def place_dims(border: Polygon, at: Array, units: Family, tag: str = "", ink: str = "dim") -> list[Item]:
    """Distances from a place to the edges round it, live as `edit:<tag>.left` and so on where there is a tag.

    Args:
        border: area it lies in, mm of the drawing.
        at: (2,) the place.
        units: metric or US.
        tag: of what may be typed; empty for figures only.
        ink: colour of the lines.
    """
    found: list[Item] = []
    for side, edge in distances(border, at).items():
        across = side in ("left", "right")
        end = np.array([edge, at[1]]) if across else np.array([at[0], edge])
        long = float(np.abs(end - at).sum())
        if long > 0.5:
            live = f"edit:{tag}.{side}" if tag else ""
            found.append(Dim(at, end, show(long, "length", units), 0.0, ink, live))
    return found


def face_view(e: Evaluation, units: Family, name: str, lit: str = "") -> Picture:
    """One face straight on from outside: its border, the fluid behind it, baffles, what sits on it.

    Args:
        e: the evaluated job.
        units: metric or US.
        name: of the face.
        lit: tag of what is selected; a fitting shows its distances.
    """
    shell, sight = e.results.shell, Sight(name)
    face = shell.by_id[name]
    border = sight.border(shell, name)
    ring, way = np.array(border.exterior.coords)[:-1], sight.way(face)
    low, high = ring.min(axis=0), ring.max(axis=0)
    items: list[Item] = [Poly(ring, "ink", "paper", 1.6, tag=f"face:{name}")]
    items += _wet(e, face, border, way)
    items += _baffles(e, face, border, way)
    items += laid_face(e, name, way)
    for edge in shell.edges_of.get(name, ()):
        other = edge.b if edge.a == name else edge.a
        spot = face.uv(edge.middle[None])[0] * np.array([way, 1.0])
        if np.abs(spot - (low + high) / 2).max() < FAR and len(edge.line) == 2:
            inward = (low + high) / 2 - spot
            step = inward / max(float(np.abs(inward).max()), 1e-9) * 14
            items.append(Label(spot, other, 8.5, "quiet", shift=(float(step[0]) * 1.8, float(step[1]))))
    for fitting in e.job.inside.fittings:
        at = sight.spot(shell, fitting)
        if at is None:
            continue
        tag = f"fitting:{fitting.id}"
        items += fitting_on(fitting, at, tag)
        items.append(Label(at - [0.0, fitting.rim_mm], fitting.id, 10, "ink", shift=(0, -9), tag=tag))
        if tag == lit:
            items += place_dims(border, at, units, f"place.{fitting.id}")
    items.append(
        Dim(
            np.array([low[0], low[1]]), np.array([high[0], low[1]]), show(float(high[0] - low[0]), "length", units), -24
        )
    )
    items.append(
        Dim(np.array([low[0], low[1]]), np.array([low[0], high[1]]), show(float(high[1] - low[1]), "length", units), 24)
    )
    items.append(
        Label(np.array([(low[0] + high[0]) / 2, low[1]]), f"{name}, seen from outside", 9, "quiet", shift=(0, -48))
    )
    return Picture(tuple(items))


def _wet(e: Evaluation, face: Face, border: Polygon, way: float) -> list[Item]:
    """Where the fluid stands behind an upright flat face."""
    if face.kind != "plane" or abs(float(face.normal[2])) > 0.7:
        return []
    origin, u, v = face.frame
    if abs(float(v[2])) < 0.2:
        return []
    level = (e.results.capacity.fill_level_mm - float(origin[2])) / float(v[2])  # where u runs level
    low, bottom, high, _ = border.bounds
    if abs(float(u[2])) > 1e-3 or level <= bottom:
        return []
    wet = border.intersection(rectangle(low, bottom, high, level))
    parts = [p for p in getattr(wet, "geoms", [wet]) if p.geom_type == "Polygon"]
    return [Poly(np.array(p.exterior.coords)[:-1], None, "fluid", 0.0, tag=f"face:{face.id}") for p in parts]


def _baffles(e: Evaluation, face: Face, border: Polygon, way: float) -> list[Item]:
    """Where baffles meet a face."""
    found: list[Item] = []
    middle = face.place(*np.mean([face.outline.min(axis=0), face.outline.max(axis=0)], axis=0))
    u, v = face.tangents(middle)
    centre = face.uv(middle[None])[0]
    for number, baffle in enumerate(e.results.baffles, start=1):
        axis = AXIS_INDEX[baffle.axis]
        slope = np.array([u[axis] * way, v[axis]])
        if np.hypot(*slope) < 0.3:
            continue
        off = baffle.at_mm - float(middle[axis])
        foot = centre * np.array([way, 1.0]) + slope * off / float(slope @ slope)
        along = np.array([-slope[1], slope[0]]) * FAR
        cut = LineString([foot - along, foot + along]).intersection(border)
        for part in getattr(cut, "geoms", [cut]):
            if part.geom_type == "LineString" and part.length > 1:
                ends = np.array(part.coords)
                found.append(line(ends[0], ends[-1], "baffle", 2.0, dashed=True))
                found.append(Label(ends[-1], f"B{number}", 9, "paper", bold=True, badge="baffle"))
    return found
