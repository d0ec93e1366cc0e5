"""The tank as a solid for other programs: STL of one body, 3MF of several with their names, in millimetres.

Corners are sharp, as the inside is drawn; holes are not cut. What is folded from one blank is one body, mitred where panels meet.
"""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np
import shapely
from shapely.geometry import Polygon

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.geometry.skin import corners_moved, inside_of, outside_of
from bathyx.core.inside.baffles import AXIS_INDEX, Plate
from bathyx.errors import Refusal

if TYPE_CHECKING:
    import trimesh

Body = Literal["outside", "inside", "parts", "hole"]
BODIES: dict[Body, str] = {
    "outside": "the tank as it stands in its space, without fittings",
    "inside": "the room of the fluid, with nothing in it",
    "parts": "each blank folded, and each baffle, as metal",
    "hole": "the measured space",
}
ENDINGS = (".stl", ".3mf")
PLACES = 4  # corners within 1e-4 mm are one


def bodies(e: Evaluation, what: Body) -> dict[str, list[Array]]:
    """Bodies by their name, each of one or more closed pieces: triangles (k, 3, 3) mm, counter-clockwise from outside.

    Args:
        e: the evaluated job.
        what: which of `BODIES`.

    Raises:
        Refusal: for the hole of a tank that has no measured space.
    """
    r = e.results
    if what == "outside":
        return {"outside": [outside_of(r.shell, r.sheet.thickness_mm, r.skins.own)]}
    if what == "inside":
        return {"inside": [inside_of(r.shell)[0]]}
    if what == "hole":
        if e.job.space.free:
            raise Refusal("no space is measured: there is no hole to write")
        return {"hole": [np.concatenate([wall[:, ::-1] for wall in e.job.space.cavity.mesh.values()])]}
    return _parts(e)


def _parts(e: Evaluation) -> dict[str, list[Array]]:
    """Each panel between its inside and its mitred outside, those of one blank together; baffles as plates."""
    r = e.results
    # Of the panelled shell, where a face that a seam parts is two: each goes to the blank that has it.
    triangles, _, faces = inside_of(r.panelled)
    moved = corners_moved(r.panelled, r.sheet.thickness_mm, r.skins.own)
    outer = moved(triangles.reshape(-1, 3)).reshape(-1, 3, 3)
    of = np.array([face.id for face in faces])
    found: dict[str, list[Array]] = {}
    for blank in r.blanks:
        pieces = [_between(triangles[of == name], outer[of == name]) for name in blank.faces if (of == name).any()]
        if pieces:
            found[blank.name] = pieces
    for plate in r.plates:
        found[f"baffle {plate.name}"] = [_plate(plate, r.sheet.thickness_mm)]
    return found


def _between(inner: Array, outer: Array) -> Array:
    """A closed body between a patch (k, 3, 3) and the same patch moved out."""
    keys = [[tuple(np.round(p, PLACES)) for p in triangle] for triangle in inner]
    edges = Counter(frozenset((triangle[k], triangle[(k + 1) % 3])) for triangle in keys for k in range(3))
    sides = []
    for triangle, low, high in zip(keys, inner, outer, strict=True):
        for k in range(3):
            j = (k + 1) % 3
            if edges[frozenset((triangle[k], triangle[j]))] == 1:
                sides += [[low[k], low[j], high[j]], [low[k], high[j], high[k]]]
    return np.concatenate([inner[:, ::-1], outer, np.array(sides).reshape(-1, 3, 3)])


def _plate(plate: Plate, t: float) -> Array:
    """A baffle with its holes, half its thickness to each side of its place."""
    # An outline that follows a hull may cross itself by hundredths in a corner: what it encloses counts.
    whole = shapely.make_valid(Polygon(plate.outline.faceted))
    ring = max(shapely.get_parts(whole), key=lambda part: part.area)
    turns = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    for u, v, d in plate.holes:
        ring = ring.difference(Polygon(np.column_stack([u + d / 2 * np.cos(turns), v + d / 2 * np.sin(turns)])))
    axis = AXIS_INDEX[plate.axis]

    def into_space(flat: Array, at: float) -> Array:
        return np.insert(flat, axis, at, axis=-1)

    flats = np.array(
        [np.array(part.exterior.coords)[:3] for part in shapely.constrained_delaunay_triangles(ring).geoms]
    )
    low, high = into_space(flats, plate.at_mm - t / 2), into_space(flats, plate.at_mm + t / 2)
    normal = np.cross(high[0, 1] - high[0, 0], high[0, 2] - high[0, 0])
    return _between(low, high) if normal[axis] > 0 else _between(low[:, ::-1], high[:, ::-1])


def meshes(e: Evaluation, what: Body) -> dict[str, trimesh.Trimesh]:
    """The same as meshes whose corners are shared, ready to be written."""
    import trimesh  # not at the start: only this needs it

    def closed(triangles: Array) -> trimesh.Trimesh:
        corners = np.arange(3 * len(triangles)).reshape(-1, 3)
        mesh = trimesh.Trimesh(triangles.reshape(-1, 3), corners, process=False)
        mesh.merge_vertices(digits_vertex=PLACES)
        mesh.update_faces(mesh.nondegenerate_faces())
        mesh.remove_unreferenced_vertices()
        return mesh

    found: dict[str, trimesh.Trimesh] = {}
    for name, pieces in bodies(e, what).items():
        whole = trimesh.util.concatenate([closed(piece) for piece in pieces])
        assert isinstance(whole, trimesh.Trimesh)
        found[name] = whole
    return found


def write_solid(e: Evaluation, path: Path, what: Body = "outside") -> Path:
    """Write a body as STL or 3MF, by the ending, whole or not at all.

    Args:
        e: the evaluated job.
        path: .stl or .3mf.
        what: which of `BODIES`.

    Raises:
        Refusal: for another ending, or a body that there is none of.
    """
    import trimesh

    if path.suffix.lower() not in ENDINGS:
        raise Refusal(f"{path.name} has none of the endings a solid is written with; name it .stl or .3mf")
    found = meshes(e, what)
    part = path.with_name(path.name + ".part")
    if path.suffix.lower() == ".stl":
        trimesh.util.concatenate(list(found.values())).export(part, file_type="stl")  # type: ignore[no-untyped-call]
    else:
        scene = trimesh.Scene()
        scene.units = "millimeter"
        for name, mesh in found.items():
            scene.add_geometry(mesh, node_name=name, geom_name=name)
        scene.export(part, file_type="3mf")  # type: ignore[no-untyped-call]
    part.replace(path)
    return path
