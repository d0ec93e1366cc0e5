"""Curved walls and heads under pressure from inside: membrane stress, and from outside: when a body pulls in."""

from __future__ import annotations

import math

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import CurvedFace
from bathyx.core.geometry.surfaces import Cylinder, Revolved
from bathyx.core.strength.shapes import PanelShape

MEMBRANE = formula(
    "strength.membrane",
    "Curved wall under pressure from inside",
    "cylinder σ = p r/t; hemisphere p r/2t; 2:1 ellipse p D/2t; dished p R M/2t, M = ¼ (3 + √(R/r)); "
    "cone p D β/2t at its rim, β = ⅓ √(D/t) tan α / (1 + 1/√cos α) − 0.15, at least 1/cos α",
    source="Thin shells: e.g. Roark, ch. 13; dished: ASME VIII-1, app. 1-4 (d); rim of a cone without a knuckle: "
    "EN 13445-3, 7.6.6; all from memory",
    valid="t below a twentieth of the radius; crown radius at most the outside diameter, knuckle at least 6 % of it",
    check="tests/outside/test_rolled.py against the textbook values",
    tolerance="membrane exact; heads ±10 % (engineering estimate)",
)
ARCH = formula(
    "strength.arch",
    "Tunnel pressed from the tank's side",
    "p = E t³ / (12 (1 − ν²) R³) · ((2π/θ)² − 1), half of it allowed",
    source="Hinged arch under even pressure: Timoshenko & Gere, Theory of Elastic Stability, from memory",
    valid="tunnel crowns of any sweep up to a half round; what stands beside them is checked as panels",
    check="tests/outside/test_saddle.py: 3 E I / R³ of a half round",
    tolerance="−0 / +100 %: its feet are held, not hinged (engineering estimate)",
)
VACUUM = formula(
    "strength.vacuum",
    "Body pulled in by a vacuum",
    "p = 2.42 E (t/D)^2.5 / ((1 − ν²)^¾ (L/D − 0.45 √(t/D)))",
    source="Windenburg & Trilling, Trans. ASME 56 (1934), from memory",
    valid="round bodies of medium length, held round at both ends",
    check="tests/outside/test_rolled.py: a worked value",
    tolerance="−50 / +10 %: a body that is not round buckles earlier (engineering estimate)",
)
# Timoshenko & Woinowsky-Krieger, from memory: clamped disc w = q a^4 / 64 D, clamped square w = 0.00126 q b^4 / D.
SQUARE_OF_DISC = (1 / (64 * 0.00126)) ** 0.25


def round_panel(radius_mm: float) -> PanelShape:
    """The square that bulges as much as a clamped disc; it shows up to 1.45 times the disc's stress at the edge."""
    side = SQUARE_OF_DISC * radius_mm
    return PanelShape(side, side, False, math.pi * radius_mm**2)


def stress_factor(face: CurvedFace, thickness_mm: float) -> tuple[float, str] | None:
    """(stress in MPa for each MPa of pressure, what it is); None for a flanged end, which is a plate.

    A cylinder of inside radius 249 mm in 2 mm sheet carries 125 times the pressure as hoop stress.
    """
    surface, t = face.on, thickness_mm
    if isinstance(surface, Cylinder):
        return (surface.radius + surface.outward * t / 2) / t, f"R {surface.radius:g} mm, hoop"
    assert isinstance(surface, Revolved)
    across = 2 * surface.radius
    if surface.kind == "sphere":
        return across / (4 * t), f"hemisphere of {across:g} mm"
    if surface.kind == "ellipse":
        return across / (2 * t), f"2:1 ellipse of {across:g} mm"
    if surface.kind == "dish":
        knuckle, crown = surface.meridian.pieces[0][1][2], surface.meridian.pieces[1][1][2]
        return crown * (3 + math.sqrt(crown / knuckle)) / 4 / (2 * t), f"crown {crown:g}, knuckle {knuckle:g} mm"
    if surface.kind == "cone":
        half = math.atan2(surface.radius, surface.meridian.depth_mm)
        beta = math.sqrt(across / t) / 3 * math.tan(half) / (1 + 1 / math.sqrt(math.cos(half))) - 0.15
        return max(beta, 1 / math.cos(half)) * across / (2 * t), f"cone of {math.degrees(half):.0f}° from its axis, rim"
    return None


KNUCKLE = formula(
    "strength.knuckle",
    "Knuckle of a dished or elliptical head",
    "yield p = f e / (β (0.75 R + 0.2 D)); buckling p = 111 f (e / (0.75 R + 0.2 D))^1.5 (r/D)^0.825; an ellipse as r = 0.17 D, "
    "R = 0.9 D",
    source="EN 13445-3, 7.5.3.2 with β of 7.5.3.5, and 7.5.4 for ellipses, from memory",
    valid="e from 0.001 to 0.08 of D, r from 0.06 to 0.2 of D: below that no figure is given",
    check="tests/outside/test_rolled.py: heads of 1000 mm in 1 mm sheet",
    tolerance="as the standard: on the safe side of tests",
)
LEAST_HEAD_SHARE = 0.001


def knuckle_kpa(surface: Revolved, thickness_mm: float, stress_mpa: float) -> tuple[float, str] | None:
    """(pressure inside, kPa, at which a head's knuckle yields or buckles at a stress, which); None for heads without one.

    0 where the head is thinner than the rule reaches.

    Args:
        surface: of the head.
        thickness_mm: of its sheet.
        stress_mpa: that is allowed.
    """
    across, e = 2 * surface.radius, thickness_mm
    if surface.kind == "dish":
        knuckle, crown = surface.meridian.pieces[0][1][2], surface.meridian.pieces[1][1][2]
    elif surface.kind == "ellipse":
        knuckle, crown = 0.17 * across, 0.9 * across
    else:
        return None
    if e < LEAST_HEAD_SHARE * across * (1 - 1e-9):
        return 0.0, "a head thinner than a thousandth of its diameter, which no rule reaches"
    reach = 0.75 * crown + 0.2 * across
    yields = 1000 * stress_mpa * e / (knuckle_factor(e / crown, knuckle / across) * reach)
    buckles = 1000 * 111 * stress_mpa * (e / reach) ** 1.5 * (knuckle / across) ** 0.825
    if buckles < yields:
        return float(buckles), "its knuckle, which would buckle"
    return float(yields), "its knuckle"


def knuckle_factor(slim: float, knuckle: float) -> float:
    """β of EN 13445-3, 7.5.3.5, from memory, for e/R and r/D; r/D outside 0.06 to 0.2 as at the nearer end.

    >>> round(knuckle_factor(0.001, 0.1), 2)
    1.14
    """
    y = min(slim, 0.04)
    z = math.log10(1 / y)
    n = 1.006 - 1 / (6.2 + (90 * y) ** 4)
    low = n * (-0.3635 * z**3 + 2.2124 * z**2 - 3.2937 * z + 1.8873)
    middle = n * (-0.1833 * z**3 + 1.0383 * z**2 - 1.2943 * z + 0.837)
    high = max(0.95 * (0.56 - 1.94 * y - 82.5 * y**2), 0.5)
    x = min(max(knuckle, 0.06), 0.2)
    return 25 * ((0.1 - x) * low + (x - 0.06) * middle) if x <= 0.1 else 10 * ((0.2 - x) * middle + (x - 0.1) * high)


def arch_kpa(radius_mm: float, sweep: float, thickness_mm: float, modulus: float, poisson: float) -> float:
    """Pressure (kPa) on the outside of an arched strip, hinged at its feet, at which it buckles.

    Args:
        radius_mm: of the arch.
        sweep: from foot to foot, radians.
        thickness_mm: of the sheet.
        modulus: MPa.
        poisson: ratio; the strip is held along its length.

    >>> round(arch_kpa(100.0, math.pi, 2.0, 200_000.0, 0.3), 1)  # a half round: 3 E I / R³ a mm of length
    439.6
    """
    stiff = modulus * thickness_mm**3 / 12 / (1 - poisson**2)
    return float(stiff / radius_mm**3 * ((2 * math.pi / sweep) ** 2 - 1) * 1000)


def pulls_in_kpa(diameter_mm: float, length_mm: float, thickness_mm: float, modulus: float, poisson: float) -> float:
    """Pressure below the air outside (kPa) at which a round body buckles.

    Args:
        diameter_mm: of the body.
        length_mm: between its ends.
        thickness_mm: of the sheet.
        modulus: MPa.
        poisson: ratio.

    >>> 1.9 < pulls_in_kpa(500.0, 1000.0, 2.0, 200_000.0, 0.3) / pulls_in_kpa(500.0, 2000.0, 2.0, 200_000.0, 0.3) < 2.1
    True
    """
    slim = thickness_mm / diameter_mm
    short = max(length_mm / diameter_mm - 0.45 * math.sqrt(slim), 0.05)
    return float(2.42 * modulus * slim**2.5 / ((1 - poisson**2) ** 0.75 * short) * 1000)
