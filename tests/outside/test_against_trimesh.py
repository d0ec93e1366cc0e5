"""Volumes, centres, inertia and dip curves against `trimesh` (general mesh library), on random profile tanks."""

import numpy as np
import pytest
import shapely
import trimesh

from bathyx.core.geometry.dip import dip_curve, volume_below
from bathyx.core.geometry.shell import turned
from bathyx.core.tank.attitude import attitude
from bathyx.core.tank.profile import CORNERS, Chamfer, Jog
from tests.conftest import box

SEEDS = range(12)


def random_tank(seed):
    """A box with any of four chamfers and a jog, all sizes random."""
    rng = np.random.default_rng(seed)
    length, height = rng.uniform(250, 900), rng.uniform(200, 500)
    chamfers = tuple(
        Chamfer(corner=c, along_mm=rng.uniform(10, 0.2 * length), up_mm=rng.uniform(10, 0.2 * height))
        for c in CORNERS
        if rng.random() < 0.6
    )
    jog = (
        Jog(
            end=rng.choice(["front", "rear"]),
            length_mm=rng.uniform(0.3, 0.45) * length,
            rise_mm=rng.uniform(0.1, 0.4) * height,
            run_mm=rng.uniform(0, 0.1) * length,
        )
        if rng.random() < 0.7
        else None
    )
    return box(length, rng.uniform(200, 1200), height, chamfers=chamfers, jog=jog)


def mesh_of(shell):
    """The shell as a watertight triangle mesh; end faces are triangulated by GEOS."""
    parts = []
    for face in shell.faces:
        if len(face.loop) == 4:
            parts.append(trimesh.Trimesh(face.loop, [[0, 1, 2], [0, 2, 3]], process=False))
            continue
        y = face.loop[0, 1]
        for triangle in shapely.constrained_delaunay_triangles(shapely.Polygon(face.loop[:, [0, 2]])).geoms:
            corners = np.array(triangle.exterior.coords)[:3]
            points = np.column_stack([corners[:, 0], np.full(3, y), corners[:, 1]])
            normal = np.cross(points[1] - points[0], points[2] - points[0])
            parts.append(
                trimesh.Trimesh(points if normal @ face.normal > 0 else points[::-1], [[0, 1, 2]], process=False)
            )
    mesh = trimesh.util.concatenate(parts)
    mesh.merge_vertices(digits_vertex=7)
    assert mesh.is_watertight
    return mesh


def volume_of_slice(mesh, level):
    """Volume below a level: the sliced mesh, open at the cut, with its origin in the cut plane (whose share is then nil)."""
    cut = trimesh.intersections.slice_mesh_plane(mesh, [0, 0, -1], [0, 0, level])
    corners = cut.vertices[cut.faces] - [0, 0, level]
    return np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])).sum() / 6


@pytest.mark.parametrize("seed", SEEDS)
def test_volume_centre_and_inertia(seed):
    shell = random_tank(seed).shell()
    mesh = mesh_of(shell)
    centre, inertia = shell.moments
    assert shell.volume_mm3 == pytest.approx(mesh.volume, rel=1e-9)
    assert centre == pytest.approx(mesh.center_mass, rel=1e-9, abs=1e-7)
    assert inertia == pytest.approx(mesh.moment_inertia, rel=1e-9, abs=1e-9 * np.abs(inertia).max())


@pytest.mark.parametrize("seed", SEEDS)
def test_dip_curve_at_random_levels_trims_and_heels(seed):
    rng = np.random.default_rng(100 + seed)
    shell = random_tank(seed).shell()
    for rotation in (np.eye(3), attitude(rng.uniform(-35, 35), rng.uniform(-35, 35))):
        half = turned(shell.half_edges, rotation)
        curve = dip_curve(half)
        mesh = mesh_of(shell)
        mesh.apply_transform(np.block([[rotation, np.zeros((3, 1))], [np.zeros((1, 3)), np.ones((1, 1))]]))
        for level in rng.uniform(curve.low_mm, curve.high_mm, 6):
            expected = volume_of_slice(mesh, level)
            assert float(curve.at(level)) == pytest.approx(expected, abs=1e-9 * shell.volume_mm3)
            assert volume_below(half, level) == pytest.approx(expected, abs=1e-9 * shell.volume_mm3)
            if 1e-3 < expected / shell.volume_mm3 < 0.999:
                assert float(curve.level_for(curve.at(level))) == pytest.approx(level, abs=1e-6)
