"""Flat blanks of heads: the sector of a cone, and the disc that a pressed or spun head is made from."""

from __future__ import annotations

import math

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.outline import Outline
from bathyx.core.geometry.shell import CurvedFace
from bathyx.core.geometry.surfaces import Revolved
from bathyx.core.sheet.flat.blank import Mark

SECTOR = formula(
    "sheet.cone",
    "Development of a cone",
    "radius R = L + (t/2) d/a, angle = 360° a/L, L = √(a² + d²): inside radius a, depth d, cut square to the sheet",
    source="Development of a right cone at its neutral surface; geometry",
    valid="cones rolled from one sector",
    check="tests/outside/test_rolled.py against the closed form",
    tolerance="formula exact; the point needs a small hole or a pressed tip",
)
DISC = formula(
    "sheet.disc",
    "Blank of a head",
    "D = 2 √(A/π) + 2 × allowance, A the area of the middle of the sheet",
    source="Constant area (thickness kept), e.g. Machinery's Handbook, drawn shells, from memory; allowance to trim: "
    "Bathyx's own, the larger of 6 mm and 2 t",
    valid="dished, elliptical, hemispherical and flanged ends",
    check="tests/outside/test_rolled.py: area against the integral of the true surface",
    tolerance="area 1e-9; the sheet thins where it stretches, so the blank is up to 3 % large (engineering estimate)",
)
WORDS = {"dish": "dish", "ellipse": "press 2:1", "sphere": "press to a hemisphere", "flanged": "turn the flange in"}


def trim_mm(thickness_mm: float) -> float:
    """What is left on the rim of a head's blank to trim after forming."""
    return max(6.0, 2 * thickness_mm)


def head_blank(face: CurvedFace, thickness_mm: float) -> tuple[Outline, tuple[Mark, ...]]:
    """(outline, what is written on it) of a head's blank about (0, 0)."""
    head = face.on
    assert isinstance(head, Revolved)
    if head.kind == "cone":
        radius, angle = sector(head.radius, head.meridian.depth_mm, thickness_mm)
        first = math.pi / 2 - angle / 2
        spots = [(0.0, 0.0)] + [
            (radius * math.cos(first + angle * k / 2), radius * math.sin(first + angle * k / 2)) for k in range(3)
        ]
        bulge = math.tan(angle / 8)
        middle = np.array([0.0, radius / 2])
        return Outline(np.array(spots), np.array([0.0, bulge, bulge, 0.0])), (
            Mark(middle, middle, f"{face.id}: roll to a cone"),
        )
    if head.kind == "pressed" or head.core != (0.0, 0.0):
        return _pressed(face.id, head, thickness_mm)
    radius = disc_mm(head, thickness_mm) / 2 + trim_mm(thickness_mm)
    spot = np.zeros(2)
    outline = Outline(np.array([[radius, 0.0], [-radius, 0.0]]), np.array([1.0, 1.0]))
    return outline, (Mark(spot, spot, f"{face.id}: {WORDS[head.kind]}"),)


def _pressed(name: str, head: Revolved, thickness_mm: float) -> tuple[Outline, tuple[Mark, ...]]:
    """A rounded rectangle about the head's core with the area of its middle surface and flange, and the trim all round."""
    a, b = head.core
    area = head.area_mm2(thickness_mm / 2)
    girth = 4 * (a + b)
    r = (-girth + math.sqrt(girth**2 + 4 * math.pi * (area - 4 * a * b))) / (2 * math.pi) + trim_mm(thickness_mm)
    spots = [(a, -b - r), (a + r, -b), (a + r, b), (a, b + r), (-a, b + r), (-a - r, b), (-a - r, -b), (-a, -b - r)]
    middle = np.zeros(2)
    bulges = [math.tan(math.pi / 8), 0.0] * 4
    words = "press, then trim the flange" if head.kind == "pressed" else WORDS[head.kind]
    return Outline(np.array(spots), np.array(bulges)), (Mark(middle, middle, f"{name}: {words}"),)


def sector(radius_mm: float, depth_mm: float, thickness_mm: float) -> tuple[float, float]:
    """(radius mm, angle radians) of the flat sector of a cone of inside radius and depth.

    `sector(300, 400, 0)` is a radius of 500 mm and 0.6 of a turn.
    """
    slant = math.hypot(radius_mm, depth_mm)
    return slant + thickness_mm / 2 * depth_mm / radius_mm, 2 * math.pi * radius_mm / slant


def disc_mm(head: Revolved, thickness_mm: float) -> float:
    """Diameter of the disc with the area of the head's middle surface."""
    return 2 * math.sqrt(head.area_mm2(thickness_mm / 2) / math.pi)
