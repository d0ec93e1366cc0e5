"""Reading a scan of a cavity, a mesh (STL, OBJ, PLY) or a cloud of points (XYZ, PLY), and cutting it into stations.

A scan does not say its unit: it is asked for. Its axes are kept (x along, z up), or it is placed by its flat floor, or by three
points.
"""

from __future__ import annotations

import math
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from bathyx.core.formula import formula
from bathyx.core.space.obstacles import MOST_CORNERS
from bathyx.errors import Refusal

Array = npt.NDArray[np.float64]
UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}
MESHES, CLOUDS = (".stl", ".obj", ".ply"), (".xyz", ".txt", ".asc", ".pts")
MOST_BYTES, MOST_POINTS, LEAST_POINTS = 600_000_000, 2_000_000, 200
STATIONS, HEIGHTS, MOST_FACE = 13, 15, 200
SCAN_S, SCAN_BYTES = 180, 6_000_000_000  # what reading one may cost
MOST_PARTS, MOST_SHOWN, MOST_LOOKED_AT = 24, 700, 20_000
SMALLEST_MM, LARGEST_MM = 50.0, 60_000.0
FLAT_MM, UPSIDE_DOWN = 8.0, 0.5
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
    """Points (n, 3) in mm; `faces` (m, 3) of a mesh, none for a cloud."""

    points: Array
    faces: npt.NDArray[np.int64] | None

    def turned(self, rows: Array, origin: Array) -> Scan:
        """In axes `rows` (3, 3) from `origin` (3,)."""
        return Scan((self.points - origin) @ rows.T, self.faces)


def read_scan(path: Path, unit: str | None) -> Scan:
    """The scan in a file, mm. Refusal for what is none, is empty, or does not say its unit (`unit` mm, cm, m or in)."""
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
    return Scan(points, scan.faces)


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
        side: (3,) a place to the right, level with both; to the left of a scan whose own z is up it serves as well.

    Raises:
        Refusal: for three places in a line.
    """
    x = along - origin
    across = side - origin
    up = np.cross(x, across)
    if np.linalg.norm(up) < 1e-6 * np.linalg.norm(x) * max(float(np.linalg.norm(across)), 1e-9) or not x.any():
        raise Refusal("the three places lie in one line; pick one that is well off to the side")
    x, up = x / np.linalg.norm(x), up / np.linalg.norm(up)
    if up[2] < -UPSIDE_DOWN:  # the place to the side was on the left of a scan whose z is up
        up = -up
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
    best: tuple[int, Array, float] | None = None
    for _ in range(400):
        a, b, c = few[rng.choice(len(few), 3, replace=False)]
        n = np.cross(b - a, c - a)
        size = float(np.linalg.norm(n))
        if size < 1e-6:
            continue
        n = n / size * (1.0 if n[2] >= 0 else -1.0)
        if n[2] < 0.6:
            continue
        off = few @ n - a @ n
        if (off < -near).mean() > 0.02:
            continue
        count = int((np.abs(off) < near).sum())
        if best is None or count > best[0]:
            best = count, n, float(a @ n)
    if best is None or best[0] < 0.03 * len(few):
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
    return Scan(turned.points - [float(turned.points[:, 0].min()), 0.0, 0.0], scan.faces)


def _spread(scan: Scan) -> Array:
    """Points all over a mesh, by area."""
    assert scan.faces is not None
    a, b, c = (scan.points[scan.faces[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    rng = np.random.default_rng(1)
    pick = rng.choice(len(area), 40_000, p=area / area.sum())
    r, s = np.sqrt(rng.random((2, len(pick), 1)))
    return np.asarray(a[pick] * (1 - r) + b[pick] * (r * (1 - s)) + c[pick] * (r * s))


def stations_of(scan: Scan, stations: int = STATIONS, heights: int = HEIGHTS) -> list[dict[str, Any]]:
    """Stations as the document has them, about the middle of the scan.

    Args:
        scan: placed, x along and z up.
        stations: how many, evenly spread, a hundredth of the length off both ends.
        heights: how many in each.

    Raises:
        Refusal: where fewer than two stations can be cut.
    """
    low, high = scan.points.min(axis=0), scan.points.max(axis=0)
    long = float(high[0] - low[0])
    middle = float(low[1] + high[1]) / 2
    found = []
    for x in np.linspace(low[0] + 0.01 * long, high[0] - 0.01 * long, stations):
        rows = (
            _mesh_rows(scan, float(x), middle, heights)
            if scan.faces is not None
            else _cloud_rows(scan, float(x), middle, heights, long)
        )
        told = [r for r in rows if r["left_mm"] is not None or r["right_mm"] is not None]
        if len(told) >= 2:
            found.append({"x_mm": round(float(x), 2), "rows": told})
    if len(found) < 2:
        raise Refusal(
            "the scan has no walls on both sides to cut; is z up, and x along? Place it by its floor or by three points"
        )
    return found


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


def _cloud_rows(scan: Scan, x: float, middle: float, heights: int, long: float) -> list[dict[str, Any]]:
    """Offsets of a smooth patch through the points near each height."""
    reach = 0.02 * long
    slab = scan.points[np.abs(scan.points[:, 0] - x) < reach]
    if len(slab) < 30:
        return []
    z0, z1 = (float(v) for v in np.quantile(slab[:, 2], (0.002, 0.998)))
    tall = 0.6 * (z1 - z0) / heights
    z0, low_wall = _flat_end(slab[:, 2], z0, 1.0)
    z1, high_wall = _flat_end(slab[:, 2], z1, -1.0)
    slab = slab[(slab[:, 2] > low_wall) & (slab[:, 2] < high_wall)]
    rows = []
    for z in _levels(z0, z1, heights):
        near = slab[np.abs(slab[:, 2] - z) < tall]
        row: dict[str, Any] = {"z_mm": round(float(z), 2)}
        for side, way in (("left", -1.0), ("right", 1.0)):
            mine = near[way * (near[:, 1] - middle) > 0]
            row[f"{side}_mm"] = _patch(mine - [x, middle, z], way, reach, tall)
        rows.append(row)
    return rows


def _flat_end(z: Array, end: float, way: float) -> tuple[float, float]:
    """(height of a flat floor or roof, where walls begin clear of it); the end itself twice where it is not flat."""
    off = way * (z - end)
    near = off[off < FLAT_MM]
    above = int(((off > 2 * FLAT_MM) & (off < 6 * FLAT_MM)).sum())
    if len(near) < 30 or len(near) < 4 * above / 4:
        return end, end - way
    flat = end + way * float(np.median(near))
    noise = 3 * float(np.median(np.abs(near - np.median(near)))) + 1.0
    return flat, flat + way * max(noise, 2.0)


def _patch(points: Array, way: float, reach: float, tall: float) -> float | None:
    """The offset at (0, 0) of a smooth patch y(x, z) through points (n, 3); None where there are too few."""
    if len(points) < 8:
        return None
    dx, dz, y = points[:, 0] / reach, points[:, 2] / tall, way * points[:, 1]
    # The wall is the nearest sheet to the middle that many points lie on; what is behind it was seen past an edge.
    near = y < np.quantile(y, 0.5) + max(3 * float(np.quantile(y, 0.5) - np.quantile(y, 0.05)), 2.0)
    weight = np.where(near, np.exp(-(dx**2) - dz**2), 0.0)
    basis = np.column_stack([np.ones_like(y), dx, dz, dx * dx, dx * dz, dz * dz])
    fit: Array = np.zeros(6)
    for _ in range(5):
        root = np.sqrt(weight)[:, None]
        fit = np.asarray(np.linalg.lstsq(basis * root, y * root[:, 0], rcond=1e-6)[0], np.float64)
        off = np.abs(y - basis @ fit)
        scale = max(1.5 * float(np.median(off[near])), 0.05)
        weight = np.where(near, np.exp(-(dx**2) - dz**2) / (1 + (off / (2 * scale)) ** 4), 0.0)
    return round(float(fit[0]), 2) if fit[0] >= 0 else None


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
        _, first = np.unique(np.floor((points - low) / cell).astype(np.int64), axis=0, return_index=True)
        if len(first) <= most:
            return np.asarray(points[np.sort(first)])
        cell *= 1.06


def looked_at(path: Path) -> Array:
    """(n, 3) points of a scan to be looked at and picked from, in its own unit and axes."""
    return thinned(_read(path), MOST_SHOWN)


def cut_scan(
    path: Path, unit: str | None, place: Place | tuple[Array, Array, Array] = "as it is", stations: int = STATIONS
) -> tuple[list[dict[str, Any]], str]:
    """(stations, the scan's points as the document keeps them) of the scan in a file; arguments as of `space_of_scan`."""
    scan = placed_scan(path, unit, place)
    points = thinned(scan, MOST_SHOWN)
    middle = float(scan.points[:, 1].min() + scan.points[:, 1].max()) / 2
    return stations_of(scan, stations), told(points - [0.0, middle, 0.0])


def space_of_scan(
    path: Path, unit: str | None, place: Place | tuple[Array, Array, Array] = "as it is", stations: int = STATIONS
) -> list[dict[str, Any]]:
    """Stations of the scan in a file.

    Args:
        path: STL, OBJ, PLY or XYZ.
        unit: mm, cm, m or in; without one it is asked for.
        place: with its own axes, by its flat floor, or by three places (3,) in its unit: the origin, one along, one to the right.
        stations: how many.
    """
    return stations_of(placed_scan(path, unit, place), stations)


def placed_scan(path: Path, unit: str | None, place: Place | tuple[Array, Array, Array]) -> Scan:
    """The scan in a file, in its place, mm; arguments as of `space_of_scan`."""
    scan = read_scan(path, unit)
    if isinstance(place, tuple):
        a, b, c = (np.asarray(spot, float) * UNITS[unit or "mm"] for spot in place)
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
