"""A lid that is bolted down: its flange, gasket, holes for screws and their pitch.

The lid lies on a flange that is welded on outside, flush with the ends of the walls; a gasket between them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array, CurvedFace, Face, Shell
from bathyx.core.sheet.makeup.roles import EdgeRole
from bathyx.core.sheet.makeup.screws import LidScrews
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.units import Said, mm

PITCH = formula(
    "lid.pitch",
    "Pitch of the screws of a lid",
    "p ≤ 2 d + 6 t / (m + 0.5), no more than 100 mm; t: the thinner of lid and flange, m = 0.5 for soft rubber; screws in the "
    "middle of a flange of 4 d at least; six or more",
    source="Bolt spacing of Taylor Forge as TEMA has it (from memory); six or more screws: common practice",
    valid="lids of flat sheet on soft gaskets, pressures of a few kPa",
    check="tests/core/test_lids.py: counted along a rectangle by hand",
    tolerance="pitch rounded down to whole spaces of each side",
)
M_SOFT, MOST_PITCH_MM, LEAST_SCREWS, WIDE_D = 0.5, 100.0, 6, 4.0
PROOF_MPA, CORE_SHARE, HELD = (
    210.0,
    0.75,
    0.5,
)  # A2-50 of ISO 3506-1, the core of a thread, what of it is counted on; from memory


def rule_mm(screw_mm: float, thick_mm: float) -> float:
    """The widest pitch by the rule, mm.

    >>> rule_mm(6.0, 8.0)
    60.0
    """
    return min(MOST_PITCH_MM, 2 * screw_mm + 6 * thick_mm / (M_SOFT + 0.5))


@dataclass(frozen=True)
class Lid:
    """A lid on its flange: the face it closes; its bolted edges, of how many; flange from the wall, gasket, and thickness of the
    strips (mm); screws in space (mm, on the lid's inside), hole (mm), their pitch as laid and the most by the rule; strips of the
    flange by edge, as long as their outside; the gasket's length along the screws (mm)."""

    face: str
    edges: tuple[str, ...]
    of: int
    flange_mm: float
    gasket_mm: float
    strip_mm: float
    wall_mm: float
    screw_mm: float
    hole_mm: float
    pitch_mm: float
    most_pitch_mm: float
    spots: tuple[tuple[float, float, float], ...]
    strips: tuple[tuple[str, float], ...]
    line_mm: float
    area_mm2: float

    @property
    def whole(self) -> bool:
        """Whether it is bolted all round: only then does it come off."""
        return len(self.edges) == self.of

    @property
    def least_flange_mm(self) -> float:
        """The narrowest flange that its screws want."""
        return WIDE_D * self.screw_mm

    def newtons(self, kpa: float) -> float:
        """What a screw carries when the lid is pressed from inside, N: the pressure out to the screws, and m of it under the
        gasket between wall and screws."""
        if not self.spots:
            return math.inf
        under = self.line_mm * self.flange_mm / 2
        return kpa * 1e-3 * (self.area_mm2 + (1 + M_SOFT) * under) / len(self.spots)

    @property
    def screw_holds_n(self) -> float:
        """What may pull at a screw, N: half the proof load of stainless A2-50 on its core."""
        return HELD * PROOF_MPA * CORE_SHARE * math.pi / 4 * self.screw_mm**2

    @property
    def said(self) -> Said:
        """In a line."""
        if not self.whole:
            return Said(f"{self.face} is bolted on {len(self.edges)} of its {self.of} edges")
        return Said(
            f"{self.face}: {len(self.spots)} screws of M{self.screw_mm:g} every {mm(self.pitch_mm)} or less, holes "
            f"ø{mm(self.hole_mm, None)}, on a flange {mm(self.flange_mm)} wide; gasket {mm(self.gasket_mm, None)} thick, "
            f"{mm(self.flange_mm + self.wall_mm)} wide"
        )


def lids(panelled: Shell, roles: tuple[EdgeRole, ...], skins: Skins, screws: LidScrews) -> tuple[Lid, ...]:
    """Every face that lies bolted on a flange.

    Args:
        panelled: the shell with its parted faces.
        roles: what becomes of its edges.
        skins: thickness of its panels.
        screws: of the make-up.
    """
    found = []
    bolted = [role for role in roles if role.joint == "bolted"]
    for name in dict.fromkeys(str(role.over) for role in bolted):
        mine = [role for role in bolted if role.over == name]
        found.append(_lid(panelled, panelled.by_id[name], mine, roles, skins, screws))
    return tuple(found)


def _lid(
    shell: Shell,
    face: Face | CurvedFace,
    mine: list[EdgeRole],
    roles: tuple[EdgeRole, ...],
    skins: Skins,
    screws: LidScrews,
) -> Lid:
    t = skins.of(face)
    others = [skins.of(role.edge.b if role.edge.a == face.id else role.edge.a) for role in mine]
    wall, strip = max(others), t
    flange = min(role.ends_of(face.id).past_mm for role in mine) - wall
    gasket = min(-role.ends_of(role.edge.b if role.edge.a == face.id else role.edge.a).past_mm for role in mine)
    around = sum(face.id in (role.edge.a, role.edge.b) for role in roles)
    rule = rule_mm(screws.screw_mm, min(t, strip))
    most = screws.pitch_mm or rule
    whole = len(mine) == around
    ring = _pushed(face, wall + flange / 2) if whole else np.empty((0, 3))
    spots, pitch = _along(ring, most) if whole else (np.empty((0, 3)), most)
    outer = _pushed(face, wall + flange) if whole else None
    strips = []
    for role in mine:
        long = role.edge.length_mm + 2 * (wall + flange)
        if outer is not None:
            long = _side_like(outer, role.edge.end - role.edge.start)
        strips.append((role.edge.id, float(long)))
    line = float(np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1).sum()) if whole else 0.0
    return Lid(
        face.id, tuple(role.edge.id for role in mine), around, float(flange), float(gasket), strip, wall, screws.screw_mm,
        screws.hole_mm, pitch, rule, tuple((float(x), float(y), float(z)) for x, y, z in spots), tuple(strips), line,
        float(face.area_mm2),
    )  # fmt: skip


def _pushed(face: Face | CurvedFace, out_mm: float) -> Array:
    """The corners of a flat face's border, pushed out so far in its plane: corners mitred (n, 3)."""
    loop = np.asarray(face.loop, dtype=float)
    n = len(loop)
    normal = face.normal_at(loop.mean(axis=0))
    sides = np.roll(loop, -1, axis=0) - loop
    ways = sides / np.linalg.norm(sides, axis=1)[:, None]
    outs = np.cross(ways, normal)
    area = sum(float(np.cross(loop[k] - loop[0], loop[(k + 1) % n] - loop[0]) @ normal) for k in range(n))
    outs = outs if area > 0 else -outs
    found = []
    for k in range(n):
        a, b = outs[k - 1], outs[k]
        found.append(loop[k] + out_mm * (a + b) / (1 + float(a @ b)))
    return np.array(found)


def _along(ring: Array, most: float) -> tuple[Array, float]:
    """(screws at the corners of a closed line and evenly between, the widest space that comes to); six at the least."""
    sides = np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1)
    counts = [max(1, math.ceil(side / most - 1e-9)) for side in sides]
    while sum(counts) < LEAST_SCREWS:
        widest = int(np.argmax([side / count for side, count in zip(sides, counts, strict=True)]))
        counts[widest] += 1
    spots = [
        ring[k] + (ring[(k + 1) % len(ring)] - ring[k]) * j / counts[k]
        for k in range(len(ring))
        for j in range(counts[k])
    ]
    return np.array(spots), float(max(side / count for side, count in zip(sides, counts, strict=True)))


def _side_like(ring: Array, way: Array) -> float:
    """Length of the longest side of a closed line along a direction."""
    sides = np.roll(ring, -1, axis=0) - ring
    unit = way / np.linalg.norm(way)
    lengths = np.linalg.norm(sides, axis=1)
    return float(max(length for side, length in zip(sides, lengths, strict=True) if abs(side @ unit) > 0.999 * length))
