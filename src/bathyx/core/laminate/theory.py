"""Classical laminate theory: a lay-up's stiffness, what a moment and a pull do to each ply, and which fails first.

Shapes: stiffness matrices (3, 3) in MPa, N/mm, N and N mm by mm, MPa and mm; strains and stresses (3,) as x, y, shear.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array

LAMINATE = formula(
    "laminate.theory",
    "Stiffness of a laminate",
    "[N M] = [A B; B D] [ε κ], A, B, D = Σ Q̄ (z, z²/2, z³/3); moments with N = 0",
    source="Classical laminate theory: Kaw, Mechanics of Composite Materials, chapters 2 and 4; Jones, same title",
    valid="thin laminates, plies bonded whole; foam between them by its own modulus",
    check="tests/outside/test_laminates.py: worked examples of Kaw, a sandwich beam, plates of one stuff",
    tolerance="exact for its plies; what plies are is within ±10 % (stiffness) and ±20 % (strength)",
)
PLY = formula(
    "laminate.ply",
    "A ply from its glass and resin",
    "t = m_f/ρ_f + m_r/ρ_r; E₁ = V E_f + (1−V) E_m; E₂, G by Halpin and Tsai (ξ = 2, 1); mat: 0.75 of "
    "E = 3/8 E₁ + 5/8 E₂ and of "
    "G = E₁/8 + E₂/4",
    source="Rule of mixtures, Halpin & Tsai 1969, Tsai & Pagano for strands any way; E-glass 72.4 GPa, 2,560 kg/m³: handbooks, "
    "from memory",
    valid="E-glass, 10 to 60 % by weight, no voids",
    check="tests/outside/test_laminates.py: ranges of handbooks for mat and rovings",
    tolerance="±10 %",
)
E_GLASS, NU_GLASS, RHO_GLASS = 72_400.0, 0.22, 2560.0
# Strains at which a ply begins to fail, of fibres along, across, in shear, and of mat: ISO 12215-5 and handbooks, from memory.
WAVY = 0.75  # of mat: strands are not straight; brings it to the 38 ψ − 5 GPa of ISO 12215-5, from memory
ALONG, SQUEEZED, ACROSS, SHEARED, MATTED = 0.018, 0.012, 0.0035, 0.014, 0.012


@dataclass(frozen=True)
class Lamina:
    """One layer of a laminate: thickness (mm), moduli (MPa), ν12, its angle (degrees), and strains it bears: along in tension and
    compression, across, in shear. `mat`: strands any way, alike in every direction. `core`: foam, which bears by other rules."""

    mm: float
    e1: float
    e2: float
    nu: float
    g: float
    angle: float = 0.0
    along: float = ALONG
    squeezed: float = SQUEEZED
    across: float = ACROSS
    sheared: float = SHEARED
    name: str = ""
    core: bool = False


def lamina_q(layer: Lamina) -> Array:
    """Reduced stiffness (3, 3) along its own fibres, MPa."""
    low = 1 - layer.nu**2 * layer.e2 / layer.e1
    q12 = layer.nu * layer.e2 / low
    return np.array([[layer.e1 / low, q12, 0.0], [q12, layer.e2 / low, 0.0], [0.0, 0.0, layer.g]])


def turned(q: Array, angle_deg: float) -> Array:
    """Stiffness (3, 3) of a ply that lies at an angle, in the laminate's axes."""
    c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    # σ' = T σ; ε' = R T R⁻¹ ε with engineering shear.
    t = _turn(c, s)
    back = np.linalg.inv(t)
    r = np.diag([1.0, 1.0, 2.0])
    return np.asarray(back @ q @ r @ t @ np.linalg.inv(r))


def _turn(c: float, s: float) -> Array:
    return np.array([[c * c, s * s, 2 * s * c], [s * s, c * c, -2 * s * c], [-s * c, s * c, c * c - s * s]])


@dataclass(frozen=True, eq=False)
class Stiffness:
    """A (N/mm), B (N), D (N mm), each (3, 3); z of the faces between layers, mm from the middle; the layers, inside first."""

    a: Array
    b: Array
    d: Array
    z: Array
    layers: tuple[Lamina, ...]

    @property
    def thick(self) -> float:
        """Thickness, mm."""
        return float(self.z[-1] - self.z[0])

    @property
    def free_d(self) -> Array:
        """Bending stiffness (3, 3) where nothing pulls: D − B A⁻¹ B, N mm."""
        return np.asarray(self.d - self.b @ np.linalg.solve(self.a, self.b))

    @property
    def free_a(self) -> Array:
        """Stiffness to a pull (3, 3) where nothing bends: A − B D⁻¹ B, N/mm."""
        return np.asarray(self.a - self.b @ np.linalg.solve(self.d, self.b))

    @property
    def bending(self) -> tuple[float, float]:
        """Moduli (MPa) along and across of a plate of one stuff that is as stiff to bend."""
        give = np.linalg.inv(self.free_d)
        return 12 / (give[0, 0] * self.thick**3), 12 / (give[1, 1] * self.thick**3)

    @property
    def pulling(self) -> tuple[float, float]:
        """Moduli (MPa) along and across of a plate of one stuff that is as stiff to pull."""
        give = np.linalg.inv(self.free_a)
        return 1 / (give[0, 0] * self.thick), 1 / (give[1, 1] * self.thick)


def stiffness(layers: tuple[Lamina, ...]) -> Stiffness:
    """A, B and D of layers, the inside one first."""
    z = np.concatenate([[0.0], np.cumsum([layer.mm for layer in layers])])
    z -= z[-1] / 2
    a, b, d = np.zeros((3, 3)), np.zeros((3, 3)), np.zeros((3, 3))
    for layer, low, high in zip(layers, z[:-1], z[1:], strict=True):
        q = turned(lamina_q(layer), layer.angle)
        a += q * (high - low)
        b += q * (high**2 - low**2) / 2
        d += q * (high**3 - low**3) / 3
    return Stiffness(a, b, d, z, layers)


def strains(s: Stiffness, pull: Array, moment: Array) -> list[tuple[Array, Array]]:
    """Strain (3,) along each layer's own fibres at its lower and upper face.

    Args:
        s: of the laminate.
        pull: (3,) N/mm.
        moment: (3,) N.
    """
    whole = np.block([[s.a, s.b], [s.b, s.d]])
    middle = np.linalg.solve(whole, np.concatenate([pull, moment]))
    found = []
    for layer, low, high in zip(s.layers, s.z[:-1], s.z[1:], strict=True):
        c, sn = math.cos(math.radians(layer.angle)), math.sin(math.radians(layer.angle))
        r = np.diag([1.0, 1.0, 2.0])
        turn = r @ _turn(c, sn) @ np.linalg.inv(r)
        found.append((turn @ (middle[:3] + low * middle[3:]), turn @ (middle[:3] + high * middle[3:])))
    return found


def failure(s: Stiffness, pull: Array, moment: Array) -> tuple[float, str]:
    """(the largest share of a ply's strain limits, which ply and how); above 1 the first ply has begun to fail.

    Args:
        s: of the laminate.
        pull: (3,) N/mm.
        moment: (3,) N.
    """
    worst, what = 0.0, ""
    for layer, ends in zip(s.layers, strains(s, pull, moment), strict=True):
        if layer.core:
            continue
        for e in ends:
            limit = layer.along if e[0] >= 0 else layer.squeezed
            for share, how in (
                (abs(e[0]) / limit, "along"),
                (abs(e[1]) / (layer.across if e[1] >= 0 else layer.squeezed), "across"),
                (abs(e[2]) / layer.sheared, "in shear"),
            ):
                if share > worst:
                    worst, what = share, f"{layer.name} {how}".strip()
    return worst, what
