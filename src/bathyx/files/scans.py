"""Reading a scan of a cavity, a mesh (STL, OBJ, PLY) or a cloud of points (XYZ, PLY), and cutting it into stations.

A scan does not say its unit: it is asked for. Its axes are kept (x along, z up), or it is placed by its flat floor, or by three
points.
"""

from __future__ import annotations

import math
import warnings
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from bathyx.core.formula import formula
from bathyx.core.space.obstacles import MOST_CORNERS
from bathyx.errors import Refusal
from bathyx.files.cloud import AHEAD, Cloud, cleaned, one_a_cell, wall_mm

Array = npt.NDArray[np.float64]
UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}
MESHES, CLOUDS = (".stl", ".obj", ".ply"), (".xyz", ".txt", ".asc", ".pts")
MOST_BYTES, MOST_POINTS, LEAST_POINTS = 600_000_000, 2_000_000, 200
STATIONS, HEIGHTS, MOST_FACE = 13, 15, 200
SCAN_S, SCAN_BYTES = 180, 6_000_000_000  # what reading one may cost
MOST_PARTS, MOST_SHOWN, MOST_LOOKED_AT = 24, 700, 20_000
SMALLEST_MM, LARGEST_MM = 50.0, 60_000.0
TURNED_OVER = np.array([1.0, -1.0, -1.0])
FLAT_MM, UPSIDE_DOWN, MOST_TRIED_ON = 8.0, 0.5, 3000
CUT = formula(
    "space.scan",
    "Station cut from a scan",
    "a mesh: where the plane cuts its triangles; a cloud: y = a + b dx + c dz + d dx² + e dx dz + f dz² through the points nearby, "
    "those far off it left out",
    source="Moving least squares (Lancaster & Salkauskas 1981, from memory)",
    valid="walls that face the middle; what stands in the cavity is taken for wall: cut it away or say it as an obstacle",
    check="tests/outside/test_scans.py: clouds and meshes sampled from surfaces in closed form",
    tolerance="0.5 mm on walls curved no tighter than 300 mm, from 20 points a square decimetre",
)


@dataclass(frozen=True, eq=False)
class Scan:
    """Points (n, 3) in mm; `faces` (m, 3) of a mesh, none for a cloud; how many strays a cloud had."""

    points: Array
    faces: npt.NDArray[np.int64] | None
    strays: int = 0

    def turned(self, rows: Array, origin: Array) -> Scan:
        """In axes `rows` (3, 3) from `origin` (3,)."""
        return replace(self, points=(self.points - origin) @ rows.T)

    @property
    def without_strays(self) -> Scan:
        """A cloud whose points all have neighbours; a mesh as it is."""
        if self.faces is not None:
            return self
        points, strays = cleaned(self.points)
        return replace(self, points=points, strays=self.strays + strays)


def read_scan(path: Path, unit: str | None, *, down: bool = False) -> Scan:
    """The scan in a file, mm, z up. Refusal for what is none, is empty, or does not say its unit (`unit` mm, cm, m or in).

    `down`: its own z points down: it is turned over, about x.
    """
    if unit is None:
        raise Refusal(f"{path.name}: a scan does not say its unit; say it: one of {', '.join(UNITS)}")
    if unit not in UNITS:
        raise Refusal(f"no unit {unit!r}; there are {', '.join(UNITS)}")
    scan = _read(path)
    points = scan.points * UNITS[unit]
    size = float(np.ptp(points, axis=0).max())
    if not SMALLEST_MM <= size <= LARGEST_MM:
        better = next((u for u, s in UNITS.items() if SMALLEST_MM <= size / UNITS[unit] * s <= 6_000), None)
        guess = f"; is it in {better}?" if better and better != unit else ""
        raise Refusal(f"{path.name} would be {size:.4g} mm long in {unit}{guess}")
    return Scan(points * TURNED_OVER if down else points, scan.faces)


def _read(path: Path) -> Scan:
    """The scan in a file in its own unit. Refusal for what is none or is empty."""
    kind = path.suffix.lower()
    if kind not in (*MESHES, *CLOUDS):
        raise Refusal(f"{path.name}: scans are read from {', '.join((*MESHES, *CLOUDS))} files")
    try:
        if not path.is_file():
            raise Refusal(f"{path.name} is no file that can be read")
        if path.stat().st_size > MOST_BYTES:
            raise Refusal(
                f"{path.name} is {path.stat().st_size / 1e6:.0f} MB; up to {MOST_BYTES / 1e6:.0f} MB: thin it"
            )
        points, faces = _cloud(path) if kind in CLOUDS else _mesh(path)
    except OSError as error:
        raise Refusal(f"{path.name} cannot be read: {(error.strerror or str(error)).lower()}") from None
    points = points[np.isfinite(points).all(axis=1)] if faces is None else points
    if len(points) < (LEAST_POINTS if faces is None else 4) or not np.isfinite(points).all():
        raise Refusal(f"{path.name} holds {len(points)} points that can be used; a scan has {LEAST_POINTS} and more")
    if faces is None and len(points) > MOST_POINTS:
        points = points[np.random.default_rng(1).choice(len(points), MOST_POINTS, replace=False)]
    return Scan(points, faces)


def _cloud(path: Path) -> tuple[Array, None]:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # an empty file is told in words below
            rows = np.loadtxt(path, usecols=(0, 1, 2), comments=("#", "/"), delimiter=_delimiter(path), ndmin=2)
    except (ValueError, IndexError) as error:
        raise Refusal(f"{path.name} is no cloud of points, three numbers a line: {str(error)[:90]}") from None
    return np.asarray(rows, float), None


def _delimiter(path: Path) -> str | None:
    with path.open("r", encoding="utf-8", errors="replace") as file:
        first = next((line for line in file if line.strip() and not line.startswith(("#", "/"))), "")
    return "," if "," in first else ";" if ";" in first else None


def _mesh(path: Path) -> tuple[Array, npt.NDArray[np.int64] | None]:
    import trimesh  # not at the start: only scans need it

    obj = path.suffix.lower() == ".obj"
    if obj:
        _refuse_endless_faces(path)
    try:
        # Whatever an OBJ names beside it is not read: it may be anything.
        loaded = trimesh.load(path, process=False, skip_materials=True) if obj else trimesh.load(path, process=False)
    except OSError:
        raise
    except Exception as error:  # noqa: BLE001 - readers of many formats, each with its own errors
        raise Refusal(
            f"{path.name} is no {path.suffix[1:].upper()} that can be read ({type(error).__name__})"
        ) from None
    if isinstance(loaded, trimesh.Scene):
        parts = [part for part in loaded.dump() if hasattr(part, "vertices")]
        if not parts:
            raise Refusal(f"{path.name} holds no surface and no points")
        loaded = trimesh.util.concatenate(parts)
    points: Array = np.asarray(getattr(loaded, "vertices", np.zeros((0, 3))), np.float64)
    faces = np.asarray(getattr(loaded, "faces", np.zeros((0, 3))), np.int64)
    if points.ndim != 2 or points.shape[1] != 3 or (len(faces) and (faces.ndim != 2 or faces.shape[1] != 3)):
        raise Refusal(f"{path.name}: its points are not three numbers each, or its faces not three corners")
    if not len(faces):
        return points, None
    if int(faces.min()) < 0 or int(faces.max()) >= len(points):
        wrong = int(((faces < 0) | (faces >= len(points))).any(axis=1).sum())
        raise Refusal(f"{path.name}: {wrong} faces name points that the file does not have (it has {len(points)})")
    corners = points[faces]
    with np.errstate(all="ignore"):
        across = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    faces = faces[np.isfinite(across) & (across > 0)]
    if not len(faces):
        raise Refusal(f"{path.name}: none of its faces has an area")
    return points, faces


def _refuse_endless_faces(path: Path) -> None:
    """Refusal for a face of more corners than any scan has: what takes faces apart would take for ever."""
    with path.open("rb") as file:
        for number, line in enumerate(file, start=1):
            if line.startswith(b"f ") and len(line) > 8 * MOST_FACE and len(line.split()) > MOST_FACE:
                raise Refusal(
                    f"{path.name}: line {number} is a face of {len(line.split()) - 1} corners; a scan's faces have three or four"
                )


def placed_by_points(scan: Scan, origin: Array, along: Array, side: Array) -> Scan:
    """The scan turned so that `origin` is 0, 0, 0, `along` lies ahead on x and `side` in the level plane, to the right.

    Args:
        scan: as read.
        origin: (3,) place that becomes 0.
        along: (3,) a place further along.
        side: (3,) a place to the right, looking to the front, level with both.

    Raises:
        Refusal: for three places in a line, and for such as would stand the scan on its head.
    """
    x = along - origin
    across = side - origin
    up = np.cross(x, across)
    if np.linalg.norm(up) < 1e-6 * np.linalg.norm(x) * max(float(np.linalg.norm(across)), 1e-9) or not x.any():
        raise Refusal("the three places lie in one line; pick one that is well off to the side")
    x, up = x / np.linalg.norm(x), up / np.linalg.norm(up)
    if up[2] < -UPSIDE_DOWN:
        raise Refusal(
            "by these three places the scan would stand on its head: pick the third one on the right, looking to the front; or say "
            "that the scan's own z points down"
        )
    return scan.turned(np.stack([x, np.cross(up, x), up]), origin)


def placed_by_floor(scan: Scan) -> Scan:
    """The scan turned so that its largest flat low surface is level at 0 and its longer way lies along x.

    The floor is the plane that most points lie on within a hundredth of the size, of those with no more than a few points below
    (RANSAC, Fischler & Bolles 1981). Refusal where there is none.
    """
    points = scan.points
    if scan.faces is not None:
        points = _spread(scan)
    rng = np.random.default_rng(1)
    few = points if len(points) < 20_000 else points[rng.choice(len(points), 20_000, replace=False)]
    near = 0.01 * float(np.ptp(few, axis=0).max())
    # Planes are tried on a part of them, and the best is laid through all.
    some = few[rng.choice(len(few), min(len(few), MOST_TRIED_ON), replace=False)]
    best: tuple[int, Array, float] | None = None
    for _ in range(400):
        a, b, c = some[rng.integers(0, len(some), 3)]
        n = np.cross(b - a, c - a)
        size = float(np.linalg.norm(n))
        if size < 1e-6:
            continue
        n = n / size * (1.0 if n[2] >= 0 else -1.0)
        if n[2] < 0.6:
            continue
        off = some @ n - a @ n
        if (off < -near).mean() > 0.02:
            continue
        count = int((np.abs(off) < near).sum())
        if best is None or count > best[0]:
            best = count, n, float(a @ n)
    if best is None or best[0] < 0.03 * len(some):
        raise Refusal("no flat floor is found in the scan; place it by three points, or turn it before")
    n, level = best[1], best[2]
    for _ in range(6):
        off = few @ n - level
        on = few[np.abs(off) < near]
        middle = np.median(on, axis=0)
        # The floor is where points are thickest: what stands on it pulls no more than its share.
        level = float(np.median(on @ n))
        on = few[np.abs(few @ n - level) < near]
        middle = on.mean(axis=0)
        n = np.linalg.svd(on - middle, full_matrices=False)[2][2]
        n = n * (1.0 if n[2] > 0 else -1.0)
        level = float(np.median(on @ n))
        middle = middle + n * (level - float(middle @ n))
        near = max(0.4 * near, 4 * float(np.median(np.abs(on @ n - level))), 0.5)
    flat = few - np.outer((few - middle) @ n, n)
    x = np.linalg.svd(flat - flat.mean(axis=0), full_matrices=False)[2][0]
    x = x - n * (x @ n)
    x = x / np.linalg.norm(x) * (1.0 if x[int(np.argmax(np.abs(x)))] > 0 else -1.0)
    turned = scan.turned(np.stack([x, np.cross(n, x), n]), middle)
    return replace(turned, points=turned.points - [float(turned.points[:, 0].min()), 0.0, 0.0])


def _spread(scan: Scan) -> Array:
    """Points all over a mesh, by area."""
    assert scan.faces is not None
    a, b, c = (scan.points[scan.faces[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    rng = np.random.default_rng(1)
    pick = rng.choice(len(area), 40_000, p=area / area.sum())
    r, s = np.sqrt(rng.random((2, len(pick), 1)))
    return np.asarray(a[pick] * (1 - r) + b[pick] * (r * (1 - s)) + c[pick] * (r * s))


@dataclass(frozen=True)
class CutScan:
    """Stations as the document has them, and what came of a cloud: its points, the strays among them, two standard deviations of
    the others off their surface (mm), places without points; y of the scan that is the centre line."""

    stations: list[dict[str, Any]]
    points: int = 0
    strays: int = 0
    noise_mm: float = 0.0
    unseen: int = 0
    middle_mm: float = 0.0

    @property
    def words(self) -> str:
        """What a person ought to know of it; nothing of a mesh."""
        if not self.points:
            return ""
        stray = f"{self.strays:,} of {self.points:,} points are strays and were left out. " if self.strays else ""
        blind = (
            f" At {self.unseen} place{'s' * (self.unseen > 1)} no wall was seen: it is drawn from what lies beside; measure there."
            if self.unseen
            else ""
        )
        return f"{stray}The points lie within ±{self.noise_mm:.1f} mm of the walls.{blind}"


def stations_of(scan: Scan, stations: int = STATIONS, heights: int = HEIGHTS) -> CutScan:
    """Stations about the middle of the scan.

    Args:
        scan: placed, x along and z up.
        stations: how many, evenly spread, a hundredth of the length off both ends.
        heights: how many in each.

    Raises:
        Refusal: where fewer than two stations can be cut.
    """
    cloud = Cloud(scan.points) if scan.faces is None else None
    low, high = scan.points.min(axis=0), scan.points.max(axis=0)
    begin, end = (float(low[0]), float(high[0])) if cloud is None else _reach_along(cloud)
    long = end - begin
    middle = float(low[1] + high[1]) / 2
    found, unseen = [], 0
    for x in np.linspace(begin + 0.01 * long, end - 0.01 * long, stations):
        rows = (
            _mesh_rows(scan, float(x), middle, heights)
            if cloud is None
            else _cloud_rows(cloud, float(x), middle, heights, long)
        )
        told = [r for r in rows if r["left_mm"] is not None or r["right_mm"] is not None]
        unseen += sum(r[side] is None for r in rows for side in ("left_mm", "right_mm"))
        if len(told) >= 2:
            found.append({"x_mm": round(float(x), 2), "rows": told})
    if len(found) < 2:
        raise Refusal(
            "the scan has no walls on both sides to cut; is z up, and x along? Place it by its floor or by three points"
        )
    if cloud is None:
        return CutScan(found, middle_mm=middle)
    return CutScan(found, len(scan.points) + scan.strays, scan.strays, 2 * cloud.noise_mm, unseen, middle)


def _mesh_rows(scan: Scan, x: float, middle: float, heights: int) -> list[dict[str, Any]]:
    """Offsets where the plane at `x` cuts the mesh: at each height the walls nearest to the middle."""
    assert scan.faces is not None
    triangles = scan.points[scan.faces]
    over = triangles[..., 0] - x
    cut = (over.min(axis=1) < 0) & (over.max(axis=1) >= 0)
    ends = []
    for t, o in zip(triangles[cut], over[cut], strict=True):
        spots = [
            t[i] + (t[j] - t[i]) * (o[i] / (o[i] - o[j]))
            for i, j in ((0, 1), (1, 2), (2, 0))
            if (o[i] < 0) != (o[j] < 0)
        ]
        ends.append((spots[0][1:], spots[1][1:]))
    if not ends:
        return []
    p, q = np.array([e[0] for e in ends]), np.array([e[1] for e in ends])
    z0, z1 = float(min(p[:, 1].min(), q[:, 1].min())), float(max(p[:, 1].max(), q[:, 1].max()))
    rows = []
    for z in _levels(z0, z1, heights):
        crosses = (p[:, 1] < z) != (q[:, 1] < z)
        a, b = p[crosses], q[crosses]
        y = a[:, 0] + (b[:, 0] - a[:, 0]) * (z - a[:, 1]) / (b[:, 1] - a[:, 1]) - middle
        rows.append(_row(z, y))
    return rows


def _levels(low: float, high: float, count: int) -> Array:
    """Heights, closer together near the floor where hulls turn."""
    share = np.linspace(0, 1, count)
    return np.asarray(low + (high - low) * (0.004 + 0.992 * share**1.4))


def _row(z: float, y: Array) -> dict[str, Any]:
    left, right = -y[y < 0], y[y > 0]
    return {
        "z_mm": round(float(z), 2),
        "left_mm": round(float(left.min()), 2) if len(left) else None,
        "right_mm": round(float(right.min()), 2) if len(right) else None,
    }


def _cloud_rows(cloud: Cloud, x: float, middle: float, heights: int, long: float) -> list[dict[str, Any]]:
    """Offsets of the walls near each height."""
    reach = 0.02 * long
    points, (facing, noise) = cloud.points, cloud.facing
    here = (np.abs(points[:, 0] - x) < reach) & (np.abs(facing[:, 0]) < AHEAD)
    slab, faced = points[here], facing[here]
    if len(slab) < 30:
        return []
    z0, z1 = (float(v) for v in np.quantile(slab[:, 2], (0.002, 0.998)))
    tall = 0.6 * (z1 - z0) / heights
    z0, low_wall = _flat_end(slab[:, 2], z0, 1.0, noise)
    z1, high_wall = _flat_end(slab[:, 2], z1, -1.0, noise)
    between = (slab[:, 2] > low_wall) & (slab[:, 2] < high_wall)
    slab, faced = slab[between], faced[between]
    rows = []
    for z in _levels(z0, z1, heights):
        row: dict[str, Any] = {"z_mm": round(float(z), 2)}
        for side, way in (("left", -1.0), ("right", 1.0)):
            found = None
            for wide in (1.0, 2.0):
                mine = (np.abs(slab[:, 2] - z) < wide * tall) & (way * (slab[:, 1] - middle) > 0)
                found = wall_mm(slab[mine] - [x, middle, z], faced[mine], way, (reach, wide * tall), noise)
                if found is not None:
                    break
            row[f"{side}_mm"] = None if found is None else round(found, 2)
        rows.append(row)
    return rows


def _flat_end(z: Array, end: float, way: float, noise: float) -> tuple[float, float]:
    """(height of a flat floor or roof, where walls begin clear of it); the end itself twice where it is not flat."""
    band = max(FLAT_MM, 6 * noise)
    off = way * (z - end)
    near = off[off < band]
    above = int(((off > 2 * band) & (off < 6 * band)).sum())
    if len(near) < 30 or len(near) < above:
        return end, end - way
    flat = end + way * float(np.median(near))
    clear = 3 * float(np.median(np.abs(near - np.median(near)))) + 1.0
    return flat, flat + way * max(clear, 2.0)


def _reach_along(cloud: Cloud) -> tuple[float, float]:
    """Where a cloud begins and ends along x: at the middle of what faces along there, or else at its outermost points but few."""
    x, facing = cloud.points[:, 0], cloud.facing[0]
    low, high = (float(v) for v in np.quantile(x, (0.001, 0.999)))
    near = 0.03 * (high - low)
    found = []
    for end in (low, high):
        wall = (np.abs(x - end) < near) & (np.abs(facing[:, 0]) > AHEAD)
        found.append(float(np.median(x[wall])) if wall.sum() >= 30 else end)
    return found[0], found[1]


Place = Literal["as it is", "floor"]


def told(points: Array) -> str:
    """Points (n, 3) mm as the document keeps them: whole millimetres, `x y z` with semicolons between."""
    return ";".join(f"{x:.0f} {y:.0f} {z:.0f}" for x, y, z in points + 0.0)


def thinned(scan: Scan, most: int) -> Array:
    """(n, 3) of its points, spread evenly: one from each cell of a grid that is made coarser until no more than `most` are left."""
    points = scan.points if scan.faces is None else _spread(scan)
    if len(points) > MOST_LOOKED_AT:
        points = points[np.sort(np.random.default_rng(1).choice(len(points), MOST_LOOKED_AT, replace=False))]
    low, size = points.min(axis=0), float(np.ptp(points, axis=0).max())
    cell = size / 60
    while True:
        first = one_a_cell(points, low, cell)
        if len(first) <= most:
            return np.asarray(points[np.sort(first)])
        cell *= 1.06


def looked_at(path: Path) -> Array:
    """(n, 3) points of a scan to be looked at and picked from, in its own unit and axes."""
    return thinned(_read(path), MOST_SHOWN)


def cut_scan(
    path: Path,
    unit: str | None,
    place: Place | tuple[Array, Array, Array] = "as it is",
    stations: int = STATIONS,
    *,
    down: bool = False,
) -> tuple[CutScan, str]:
    """(the scan in a file cut, its points as the document keeps them).

    Args:
        path: STL, OBJ, PLY or XYZ.
        unit: mm, cm, m or in; without one it is asked for.
        place: with its own axes, by its flat floor, or by three places (3,) in its unit: the origin, one along, one to the right.
        stations: how many.
        down: its own z points down.
    """
    scan = placed_scan(path, unit, place, down=down)
    cut = stations_of(scan, stations)
    return cut, told(thinned(scan, MOST_SHOWN) - [0.0, cut.middle_mm, 0.0])


def placed_scan(path: Path, unit: str | None, place: Place | tuple[Array, Array, Array], *, down: bool = False) -> Scan:
    """The scan in a file, in its place, mm; arguments as of `cut_scan`. A cloud without its strays."""
    scan = read_scan(path, unit, down=down).without_strays
    if isinstance(place, tuple):
        over = TURNED_OVER if down else 1.0
        a, b, c = (np.asarray(spot, float) * UNITS[unit or "mm"] * over for spot in place)
        return placed_by_points(scan, a, b, c)
    return placed_by_floor(scan) if place == "floor" else scan


def solids_of(path: Path, unit: str | None) -> list[dict[str, Any]]:
    """What stands in a space, from a mesh in the space's own axes: each part of it that hangs together, as its convex hull.

    Args:
        path: STL, OBJ or PLY with faces.
        unit: mm, cm, m or in; without one it is asked for.

    Raises:
        Refusal: for clouds, flat parts, or more parts than a space holds.

    What is hollow in a part counts as full; a hull of many corners is told by fewer, drawn out until it holds them all.
    """
    import trimesh  # not at the start: only scans need it
    from scipy.spatial import ConvexHull, QhullError

    scan = read_scan(path, unit)
    if scan.faces is None:
        raise Refusal(f"{path.name} is a cloud of points; what stands in the space is read from a mesh with faces")
    mesh = trimesh.Trimesh(scan.points, scan.faces, process=False)
    mesh.merge_vertices()
    groups = trimesh.graph.connected_components(mesh.edges_unique, nodes=np.arange(len(mesh.vertices)), min_len=4)
    if not 1 <= len(groups) <= MOST_PARTS:
        raise Refusal(
            f"{path.name} has {len(groups)} parts; a space takes 1 to {MOST_PARTS}: leave out what does not matter"
        )
    found = []
    for number, group in enumerate(groups, start=1):
        spots = np.asarray(mesh.vertices)[group]
        try:
            hull = ConvexHull(spots)
        except QhullError:
            raise Refusal(f"{path.name}: part {number} is flat; what stands in a space has volume") from None
        corners = _fewer(spots[hull.vertices])
        name = path.stem[:40] if len(groups) == 1 else f"{path.stem[:40]} {number}"
        found.append({"kind": "solid", "name": name, "corners": np.round(corners, 2).tolist()})
    return found


def _fewer(corners: Array) -> Array:
    """(m, 3) at most `MOST_CORNERS` corners whose hull holds all of (n, 3)."""
    from scipy.spatial import ConvexHull

    if len(corners) <= MOST_CORNERS:
        return corners
    # Ways spread evenly over a ball (a golden spiral).
    up = 1 - (2 * np.arange(MOST_CORNERS) + 1) / MOST_CORNERS
    turn = np.arange(MOST_CORNERS) * math.pi * (3 - math.sqrt(5))
    flat = np.sqrt(1 - up**2)
    ways = np.column_stack([flat * np.cos(turn), flat * np.sin(turn), up])
    few = corners[np.unique(np.argmax(corners @ ways.T, axis=0))]
    hull = ConvexHull(few)
    few, middle = few[hull.vertices], few[hull.vertices].mean(axis=0)
    depth = -(hull.equations[:, 3] + hull.equations[:, :3] @ middle)
    reach = ((corners - middle) @ hull.equations[:, :3].T / depth).max()
    return np.asarray(middle + (few - middle) * max(float(reach), 1.0) * (1 + 1e-6))


def is_scan(path: Path) -> bool:
    """Whether a file is read as a scan: by its name, and a `.txt` by its first line."""
    kind = path.suffix.lower()
    if kind in (".txt", ".asc"):
        try:
            with path.open("r", encoding="utf-8", errors="replace") as file:
                first = next((line for line in file if line.strip() and not line.startswith("#")), "")
            values = [float(v) for v in first.replace(",", " ").replace(";", " ").split()]
        except (OSError, ValueError):
            return False
        return len(values) >= 3 and all(map(math.isfinite, values))
    return kind in (*MESHES, *CLOUDS)
