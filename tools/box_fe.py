"""A box under pressure by finite elements: an eighth of it, plates that stretch and bend (von Kármán), edges that turn together.

Written apart from the product, to hold its panels against. Rectangles of Adini, Clough and Melosh for bending (12 terms) beside
four-node rectangles for stretching; Newton's steps; the three faces of a corner meet in edges that keep their angle and turn.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from scipy.sparse.linalg import splu

GAUSS3 = ((-np.sqrt(0.6), 5 / 9), (0.0, 8 / 9), (np.sqrt(0.6), 5 / 9))
GAUSS2 = ((-1 / np.sqrt(3), 1.0), (1 / np.sqrt(3), 1.0))
CORNERS = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], float)


def _terms(x: float, y: float) -> np.ndarray:
    return np.array([1, x, y, x * x, x * y, y * y, x**3, x * x * y, x * y * y, y**3, x**3 * y, x * y**3])


def _dx(x: float, y: float) -> np.ndarray:
    return np.array([0, 1, 0, 2 * x, y, 0, 3 * x * x, 2 * x * y, y * y, 0, 3 * x * x * y, y**3])


def _dy(x: float, y: float) -> np.ndarray:
    return np.array([0, 0, 1, 0, x, 2 * y, 0, x * x, 2 * x * y, 3 * y * y, x**3, 3 * x * y * y])


def _curves(x: float, y: float) -> np.ndarray:
    xx = [0, 0, 0, 2, 0, 0, 6 * x, 2 * y, 0, 0, 6 * x * y, 0]
    yy = [0, 0, 0, 0, 0, 2, 0, 0, 2 * x, 6 * y, 0, 6 * x * y]
    xy = [0, 0, 0, 0, 1, 0, 0, 2 * x, 2 * y, 0, 3 * x * x, 3 * y * y]
    return -np.array([xx, yy, [2 * v for v in xy]])


@dataclass
class _Face:
    """A quarter of a face: element sizes, thickness, nodes of each element (n, 4) counter-clockwise, axes (e1, e2, e3)."""

    a: float
    b: float
    t: float
    nodes: np.ndarray
    axes: tuple[int, int, int]
    shape: tuple[int, int]


class Box:
    """An eighth of a box of inside `size` (mm) whose faces across x, y and z are `thick` (mm) thick; `n` elements a half edge."""

    def __init__(self, size, thick, modulus: float, poisson: float, n: int = 8) -> None:
        self.e, self.nu = modulus, poisson
        half = np.asarray(size, float) / 2
        # Elements crowd at the corner edges, where plates bend most.
        grid = [h * (np.linspace(0, 1, n + 1)) for h in half]
        index: dict[tuple[int, int, int], int] = {}
        self.faces: list[_Face] = []
        for normal, (p, q) in ((2, (0, 1)), (0, (1, 2)), (1, (2, 0))):
            nodes = np.empty((n + 1, n + 1), int)
            for i in range(n + 1):
                for j in range(n + 1):
                    key = [0, 0, 0]
                    key[p], key[q] = i, j
                    nodes[i, j] = index.setdefault(tuple(key), len(index))
            quads = np.stack([nodes[:-1, :-1], nodes[1:, :-1], nodes[1:, 1:], nodes[:-1, 1:]], axis=-1).reshape(-1, 4)
            self.faces.append(_Face(grid[p][1] / 2, grid[q][1] / 2, thick[normal], quads, (p, q, normal), (n, n)))
        self.count = 6 * len(index)
        fixed = set(range(self.count))
        for face in self.faces:
            p, q, r = face.axes
            for node in np.unique(face.nodes):
                for d in (p, q, r, 3 + p, 3 + q):
                    fixed.discard(6 * node + d)
        for key, node in index.items():
            for axis in range(3):
                if key[axis] == n:
                    # A plane of symmetry: no moving across it, no turning out of it.
                    fixed.add(6 * node + axis)
                    fixed |= {6 * node + 3 + d for d in range(3) if d != axis}
        self.free = np.array(sorted(set(range(self.count)) - fixed))
        self.pre = [self._prepared(face) for face in self.faces]

    def _prepared(self, face: _Face):
        a, b, t = face.a, face.b, face.t
        p, q, r = face.axes
        # w, dw/dx, dw/dy of each corner, from the dofs (w, turn about e1 = dw/dy, turn about e2 = -dw/dx).
        rows = []
        for cx, cy in CORNERS:
            x, y = cx * a, cy * b
            rows += [_terms(x, y), _dy(x, y), -_dx(x, y)]
        inverse = np.linalg.inv(np.array(rows))
        membrane = (
            self.e * t / (1 - self.nu**2) * np.array([[1, self.nu, 0], [self.nu, 1, 0], [0, 0, (1 - self.nu) / 2]])
        )
        bending = membrane * t * t / 12
        kb = np.zeros((12, 12))
        load = np.zeros(12)
        for gx, wx in GAUSS3:
            for gy, wy in GAUSS3:
                c = _curves(gx * a, gy * b) @ inverse
                kb += c.T @ bending @ c * wx * wy * a * b
                load += (_terms(gx * a, gy * b) @ inverse) * wx * wy * a * b
        points = []
        for gx, wx in GAUSS2:
            for gy, wy in GAUSS2:
                shape_x = CORNERS[:, 0] * (1 + gy * CORNERS[:, 1]) / 4 / a
                shape_y = CORNERS[:, 1] * (1 + gx * CORNERS[:, 0]) / 4 / b
                bm = np.zeros((3, 8))
                bm[0, 0::2], bm[1, 1::2] = shape_x, shape_y
                bm[2, 0::2], bm[2, 1::2] = shape_y, shape_x
                g = np.array([_dx(gx * a, gy * b) @ inverse, _dy(gx * a, gy * b) @ inverse])
                points.append((bm, g, wx * wy * a * b))
        in_plane = (6 * face.nodes[:, :, None] + np.array([p, q])).reshape(-1, 8)
        across = (6 * face.nodes[:, :, None] + np.array([r, 3 + p, 3 + q])).reshape(-1, 12)
        return membrane, bending, kb, load, points, in_plane, across, inverse

    def _forces(self, u: np.ndarray, pressure: float):
        """Forces inside less those of the pressure, and the tangent stiffness."""
        force = np.zeros(self.count)
        rows, cols, values = [], [], []
        for membrane, _, kb, load, points, in_plane, across, _ in self.pre:
            n = len(in_plane)
            um, ub = u[in_plane], u[across]
            fm, fb = np.zeros((n, 8)), ub @ kb + pressure * load  # outward is against e3
            kmm, kmb = np.zeros((n, 8, 8)), np.zeros((n, 8, 12))
            kbb = np.broadcast_to(kb, (n, 12, 12)).copy()
            for bm, g, weight in points:
                slope = ub @ g.T  # (n, 2)
                bulge = np.stack([slope[:, 0] ** 2 / 2, slope[:, 1] ** 2 / 2, slope[:, 0] * slope[:, 1]], axis=1)
                pull = (um @ bm.T + bulge) @ membrane
                tilt = np.zeros((n, 3, 2))
                tilt[:, 0, 0], tilt[:, 1, 1] = slope[:, 0], slope[:, 1]
                tilt[:, 2, 0], tilt[:, 2, 1] = slope[:, 1], slope[:, 0]
                bn = tilt @ g  # (n, 3, 12)
                fm += weight * pull @ bm
                fb += weight * np.einsum("nk,nki->ni", pull, bn)
                kmm += weight * (bm.T @ membrane @ bm)
                kmb += weight * np.einsum("ki,kl,nlj->nij", bm, membrane, bn)
                kbb += weight * np.einsum("nki,kl,nlj->nij", bn, membrane, bn)
                strain = np.empty((n, 2, 2))
                strain[:, 0, 0], strain[:, 1, 1] = pull[:, 0], pull[:, 1]
                strain[:, 0, 1] = strain[:, 1, 0] = pull[:, 2]
                kbb += weight * np.einsum("ai,nab,bj->nij", g, strain, g)
            np.add.at(force, in_plane, fm)
            np.add.at(force, across, fb)
            for r, c, k in ((in_plane, in_plane, kmm), (in_plane, across, kmb), (across, across, kbb)):
                rows.append(np.broadcast_to(r[:, :, None], k.shape).ravel())
                cols.append(np.broadcast_to(c[:, None, :], k.shape).ravel())
                values.append(k.ravel())
                if k is kmb:
                    rows.append(cols[-1])
                    cols.append(rows[-2])
                    values.append(values[-1])
        stiff = sp.coo_matrix(
            (np.concatenate(values), (np.concatenate(rows), np.concatenate(cols))), (self.count, self.count)
        ).tocsc()
        return force, stiff[self.free][:, self.free]

    def solve(self, pressure_mpa: float, u: np.ndarray | None = None) -> np.ndarray:
        """Displacements and turns at a pressure, MPa; `u` to begin from."""
        u = np.zeros(self.count) if u is None else u.copy()
        for _ in range(60):
            force, stiff = self._forces(u, pressure_mpa)
            step = splu(stiff.tocsc()).solve(force[self.free])
            largest = float(np.abs(step).max())
            reach = 2.0 * min(face.t for face in self.faces)
            u[self.free] -= step * min(1.0, reach / max(largest, 1e-12))
            if largest < 1e-7:
                return u
        raise RuntimeError("Newton's steps did not settle")

    @staticmethod
    def _at(face: _Face, pre, u: np.ndarray, cx: float, cy: float) -> tuple[np.ndarray, np.ndarray]:
        """(stretching, bending) stress, MPa, (n, 3), of every element of a face at a place in it."""
        membrane, bending, _, _, _, in_plane, across, inverse = pre
        a, b, t = face.a, face.b, face.t
        um, ub = u[in_plane], u[across]
        shape_x = CORNERS[:, 0] * (1 + cy * CORNERS[:, 1]) / 4 / a
        shape_y = CORNERS[:, 1] * (1 + cx * CORNERS[:, 0]) / 4 / b
        bm = np.zeros((3, 8))
        bm[0, 0::2], bm[1, 1::2] = shape_x, shape_y
        bm[2, 0::2], bm[2, 1::2] = shape_y, shape_x
        slope = ub @ np.array([_dx(cx * a, cy * b) @ inverse, _dy(cx * a, cy * b) @ inverse]).T
        bulge = np.stack([slope[:, 0] ** 2 / 2, slope[:, 1] ** 2 / 2, slope[:, 0] * slope[:, 1]], axis=1)
        pull = (um @ bm.T + bulge) @ membrane / t
        return pull, (ub @ (_curves(cx * a, cy * b) @ inverse).T) @ bending * 6 / t**2

    def stresses(self, u: np.ndarray) -> dict[int, tuple[float, float]]:
        """By normal axis: (largest surface stress across an edge, largest von Mises stress inside the panel), MPa."""
        found = {}
        for face, pre in zip(self.faces, self.pre, strict=True):
            n1, n2 = face.shape
            edge = 0.0
            pull, bend = self._at(face, pre, u, -1, 0)
            rows = np.arange(0, n2)  # elements at x = 0
            edge = max(edge, float((np.abs(pull[rows, 0]) + np.abs(bend[rows, 0])).max()))
            pull, bend = self._at(face, pre, u, 0, -1)
            rows = np.arange(0, n1 * n2, n2)
            edge = max(edge, float((np.abs(pull[rows, 1]) + np.abs(bend[rows, 1])).max()))
            pull, bend = self._at(face, pre, u, 0, 0)
            inside = 0.0
            for s in (pull + bend, pull - bend):
                mises = np.sqrt(s[:, 0] ** 2 - s[:, 0] * s[:, 1] + s[:, 1] ** 2 + 3 * s[:, 2] ** 2)
                inside = max(inside, float(mises.max()))
            found[face.axes[2]] = (edge, inside)
        return found

    def bulge(self, u: np.ndarray) -> dict[int, float]:
        """By normal axis: how far the middle of the face stands out, mm."""
        return {face.axes[2]: -float(u[6 * face.nodes[-1, 2] + face.axes[2]]) for face in self.faces}


def bears_kpa(size, thick, edge_mpa, inside_mpa, modulus: float, poisson: float, n: int = 8) -> float:
    """The pressure, kPa, at which a box reaches a stress allowed across an edge or inside a panel, each by normal axis."""
    box = Box(size, thick, modulus, poisson, n)

    def use(u: np.ndarray) -> float:
        found = box.stresses(u)
        return max(max(found[k][0] / edge_mpa[k], found[k][1] / inside_mpa[k]) for k in range(3))

    low, high, u = 0.0, 0.002, None
    for _ in range(40):
        tried = box.solve(high, u)
        if use(tried) >= 1:
            break
        low, u = high, tried
        high *= 1.25 if use(tried) > 0.5 else 1.8
    for _ in range(8):
        middle = (low + high) / 2
        tried = box.solve(middle, u)
        low, high, u = (low, middle, u) if use(tried) >= 1 else (middle, high, tried)
    return low * 1000
