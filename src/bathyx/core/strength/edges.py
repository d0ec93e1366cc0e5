"""Edges that turn: where two panels meet, the one that presses harder turns the other's edge with it.

A panel by itself is taken as clamped. Between two of different size or thickness the edge turns until both carry one moment there;
a thin wall beside a thick floor carries more than its own pressure brings.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Edge, Shell
from bathyx.core.material import Sheet
from bathyx.core.strength.large import BOTH, respond

TURN = formula(
    "strength.turn",
    "Edge between two panels",
    "M = (M₁ k₂ + M₂ k₁)/(k₁ + k₂), k = 2 D α cosh² u/(sinh u cosh u + u), α = π/s, u = α d/2",
    source="Moment distribution (Cross, 1930) with the turning stiffness of a plate bent along two opposite edges by half a sine "
    "(Lévy's solution; Timoshenko & Woinowsky-Krieger, art. 41)",
    valid="flat panels that meet in an edge which keeps its angle; each panel's own moment by the plate table",
    check="tests/outside/test_box_fe.py and tools/box_study.py: boxes of mixed thickness by finite elements",
    tolerance="−30 / +1 % of what finite elements bear; panels of one sheet are left as clamped, −45 / +4 %",
)
BOW = formula(
    "strength.bow",
    "Edges that bow",
    "bears / (1 + 0.025 · min(w/t, 4)), w the larger bulge of the clamped panel",
    source="Fitted to boxes by finite elements: the edges of a box that bulges bow inward, which lets it bend more; "
    "the plate tables have them straight",
    valid="flat panels of boxes of 150 to 1000 mm in 1.5 to 6 mm",
    check="tests/outside/test_box_fe.py and tools/box_study.py",
    tolerance="told at most 1.02 of what finite elements bear",
)
STANDS = formula(
    "strength.stands",
    "How far a panel stands out",
    "w = w_clamped + Σ l² 4 ΔM/π · α tanh α/(cosh α · 4 π² D), α = π d/2l; ΔM what its edge bears less than if clamped, softened "
    "as it bulges; inward where its neighbours press harder",
    source="Plate bent by moments along two opposite edges (Timoshenko & Woinowsky-Krieger, art. 41, first term), "
    "half for each edge",
    valid="flat panels that meet in edges which keep their angle; the range holds both and the clamped panel",
    check="tests/outside/test_box_fe.py: middles of random boxes by finite elements lie within it",
    tolerance="a range; all 180 middles of 30 random boxes within 0.05 mm of it (the clamped panel alone: four in ten)",
)
BOWS, MOST_BOW = 0.025, 4.0
NOTICED = 1.02
SHORT_EDGE = (
    (1.0, 1.0),
    (1.2, 0.868),
    (1.5, 0.753),
    (2.0, 0.689),
    (3.0, 0.685),
)  # Timoshenko's table 35: short edge over long
STEPS, STIFFENS = 6, 1.25
SMALL_KPA = 1e-3  # at which no panel stretches
SURE = 1.25  # what is drawn tight and turns less is not reckoned; held against boxes by finite elements


@dataclass(frozen=True)
class Panel:
    """A face's weakest panel: sides and thickness, mm; stress allowed at its edge, MPa; what it bears by itself, kPa."""

    face: str
    short_mm: float
    long_mm: float
    sheet: Sheet
    edge_mpa: float
    bears_kpa: float

    def span(self, edge_mm: float) -> tuple[float, float]:
        """(from an edge of this length to the one across, what the moment there is of that at its long edge)."""
        if abs(edge_mm - self.long_mm) <= abs(edge_mm - self.short_mm):
            return self.short_mm, 1.0
        return self.long_mm, _short_edge(self.long_mm / self.short_mm)

    def stiffness(self, edge_mm: float) -> float:
        """Moment that turns its edge by one, for each mm of it, N."""
        m, t = self.sheet.material, self.sheet.thickness_mm
        across, _ = self.span(edge_mm)
        along = math.pi / max(min(edge_mm, self.long_mm), 1.0)
        u = min(along * across / 2, 20.0)
        plate = m.modulus * t**3 / 12 / (1 - m.poisson**2)
        return 2 * plate * along * math.cosh(u) ** 2 / (math.sinh(u) * math.cosh(u) + u)

    def moment(self, edge_mm: float, pressure_kpa: float) -> float:
        """Moment at that edge if it is clamped, N·mm for each mm; what it stretches at the edge is counted as bending."""
        return self.pressed(pressure_kpa)[1] * self.span(edge_mm)[1] * self.sheet.thickness_mm**2 / 6

    def pressed(self, pressure_kpa: float) -> tuple[float, float]:
        """(how far its middle stands out, mm; stress at the middle of its long edge, MPa) if it is clamped: the larger ones."""
        m, t = self.sheet.material, self.sheet.thickness_mm
        ways = [respond(self.short_mm, self.long_mm, t, pressure_kpa, m.modulus, m.poisson, edges) for edges in BOTH]
        return max(w.bulge_mm for w in ways), max(w.edge_mpa for w in ways)


def _short_edge(aspect: float) -> float:
    for (a, x), (b, y) in itertools.pairwise(SHORT_EDGE):
        if aspect <= b:
            return x + (y - x) * (max(aspect, 1.0) - a) / (b - a)
    return SHORT_EDGE[-1][1]


def bows(short_mm: float, long_mm: float, sheet: Sheet, pressure_kpa: float) -> float:
    """What is left of a panel's strength where its edges bow, as a share.

    Args:
        short_mm: one side.
        long_mm: the other.
        sheet: it is of.
        pressure_kpa: that it bears between straight edges.
    """
    m, t = sheet.material, sheet.thickness_mm
    bulge = max(respond(short_mm, long_mm, t, pressure_kpa, m.modulus, m.poisson, edges).bulge_mm for edges in BOTH)
    return 1 / (1 + BOWS * min(bulge / t, MOST_BOW))


def _meeting(shell: Shell, panels: Mapping[str, Panel], alike: bool = False) -> Iterator[tuple[Edge, Panel, Panel]]:
    for edge in shell.edges:
        a, b = panels.get(edge.a), panels.get(edge.b)
        if a is None or b is None or edge.smooth or edge.a == edge.b:
            continue
        if not alike and a.sheet.thickness_mm == b.sheet.thickness_mm:
            continue  # held against the same boxes, panels of one sheet are told less than they bear
        yield edge, a, b
        yield edge, b, a


def turned_kpa(shell: Shell, panels: Mapping[str, Panel]) -> dict[str, tuple[float, str]]:
    """What each face bears where a neighbour turns its edge, kPa, and which; faces that none harms are left out.

    Args:
        shell: the inside.
        panels: of the flat faces, by face.
    """
    found: dict[str, tuple[float, str]] = {}
    for edge, own, other in _meeting(shell, panels):
        length, pressure = edge.length_mm, own.bears_kpa
        share = other.stiffness(length) / (own.stiffness(length) + other.stiffness(length))
        for _ in range(STEPS):
            mine, its = own.moment(length, pressure), other.moment(length, pressure)
            shared = mine * share + its * (1 - share)
            stress = max(SURE * shared, mine) * 6 / own.sheet.thickness_mm**2
            if shared <= NOTICED * mine or stress <= own.edge_mpa * 1.001:
                break
            pressure *= (own.edge_mpa / stress) ** STIFFENS
        if pressure < min(own.bears_kpa, found.get(own.face, (math.inf, ""))[0]):
            found[own.face] = (pressure, other.face)
    return found


def stood_mm(
    shell: Shell, panels: Mapping[str, Panel], pressure_kpa: float, pressed: Mapping[str, tuple[float, float]]
) -> dict[str, tuple[float, float]]:
    """By how much the middle of each face may stand further in, and further out, than if it were clamped, mm.

    Args:
        shell: the inside.
        panels: of the flat faces, by face.
        pressure_kpa: gauge.
        pressed: of each panel, what `Panel.pressed` says at that pressure.
    """
    found: dict[str, tuple[float, float]] = {}
    soft: dict[str, float] = {}

    def moment(panel: Panel, edge_mm: float) -> float:
        return pressed[panel.face][1] * panel.span(edge_mm)[1] * panel.sheet.thickness_mm**2 / 6

    for edge, own, other in _meeting(shell, panels, alike=True):
        length, (across, _) = edge.length_mm, own.span(edge.length_mm)
        share = other.stiffness(length) / (own.stiffness(length) + other.stiffness(length))
        turning = (moment(other, length) - moment(own, length)) * (1 - share)
        along = own.short_mm + own.long_mm - across
        wide = min(math.pi * across / 2 / along, 20.0)
        m, t = own.sheet.material, own.sheet.thickness_mm
        plate = m.modulus * t**3 / 12 / (1 - m.poisson**2)
        moved = along**2 * turning / (math.pi**3 * plate) * wide * math.tanh(wide) / math.cosh(wide)
        inward, outward = found.get(own.face, (0.0, 0.0))
        if moved < 0 and own.face not in soft:
            soft[own.face] = _softened(own, pressed[own.face][0], pressure_kpa)
        found[own.face] = (inward + max(moved, 0.0), outward - min(moved, 0.0) * soft.get(own.face, 1.0))
    return found


def _softened(panel: Panel, bulge_mm: float, pressure_kpa: float) -> float:
    """What a panel bulges at a pressure over what it would without stretching."""
    least, _ = panel.pressed(SMALL_KPA)
    return min(1.0, bulge_mm / (least * pressure_kpa / SMALL_KPA)) if least > 0 and pressure_kpa > 0 else 1.0
