"""Joints with their true geometry: how far each of two plates runs at a welded edge, inside and outside, at any angle.

Looked at along the edge: plate a lies along +x under its inside (y = 0), plate b along (cos, sin) of the tank's inside angle,
its metal on the far side. A plate that is cut square ends alike inside and outside; a bevelled one does not.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Edge
from bathyx.core.sheet.bending.bend import setback_mm
from bathyx.errors import Refusal

JointName = Literal["corner", "lap", "tee", "flanged", "set in", "edge flange", "tabs", "bolted", "butt", "backed"]
JOINTS: dict[str, str] = {
    "corner": "corner to corner",
    "lap": "lap over",
    "tee": "runs past",
    "flanged": "flange over the outside",
    "set in": "flange set inside",
    "edge flange": "two flanges face to face",
    "tabs": "tabs through slots",
    "bolted": "bolted down on a flange",
    "butt": "butt",
    "backed": "butt on a backing strip",
}
OVER = ("lap", "tee", "flanged", "set in", "tabs", "bolted")
SQUARE_DEG, SHARP_DEG, LEAST_TURN_DEG = 1.0, 20.0, 15.0
SLOT_SPARE_MM, TAB_PITCH_MM, LONGEST_TAB_MM = 0.2, 200.0, 40.0
PAST = formula(
    "sheet.past",
    "How far plates run at an oblique joint",
    "over the edge of a neighbour t thick at the inside angle α: t / sin α bevelled, t sin α square and acute; the covered plate "
    "stops t / tan(180° − α) short where it is obtuse; inward corners stop at the other's outside",
    source="Plane geometry of two plates at an angle",
    valid="straight edges between flat faces, 20° to 340° inside",
    check="tests/core/test_joints.py: plates as solids at random angles and thicknesses never stand in one another",
    tolerance="exact; saw and grinder decide",
)


class JointError(Refusal):
    """A joint that this edge cannot have, with what would do."""


@dataclass(frozen=True)
class Flange:
    """A flange bent at a welded edge: its length from the sharp corner to the rim (mm), how far it turns, whether the tank's
    inside lies on the outer side of that bend, and how far the sharp corner lies past the edge (mm)."""

    length_mm: float
    turn_deg: float
    reflex: bool
    sharp_mm: float


@dataclass(frozen=True)
class Ends:
    """Where a plate ends at a welded edge: mm that its inside and its outside run past the edge, negative where they stop short.

    `tab_mm`: how far tabs stand out from there; `slot_mm`: width of the slots in it for the other's tabs, whose middle lies
    `slot_at_mm` past the edge. `stands_mm`: thickness of the plate that stands on it, to be marked; 0 for none.
    """

    inside_mm: float = 0.0
    outside_mm: float = 0.0
    flange: Flange | None = None
    tab_mm: float = 0.0
    slot_mm: float = 0.0
    slot_at_mm: float = 0.0
    stands_mm: float = 0.0

    @property
    def past_mm(self) -> float:
        """How far the blank runs past the edge: a bevel is taken off what is cut square."""
        return max(self.inside_mm, self.outside_mm)

    def bevel_deg(self, thickness_mm: float) -> float:
        """By how much its edge leans off square, positive where the inside is the longer."""
        return math.degrees(math.atan2(self.inside_mm - self.outside_mm, thickness_mm)) if thickness_mm else 0.0


PLAIN = Ends()


@dataclass(frozen=True)
class Wish:
    """What is asked of a joint: its kind, the face that runs over, how far it runs past, a flange's length, the root gap (all
    mm), and whether oblique plates are bevelled to lie on one another."""

    joint: JointName
    over: str = ""
    past_mm: float = 0.0
    flange_mm: float = 0.0
    gap_mm: float = 0.0
    bevel: bool = False


def ends_at(edge: Edge, wish: Wish, thick: tuple[float, float], radius: tuple[float, float]) -> tuple[Ends, Ends]:
    """How the plates of faces `a` and `b` of an edge end.

    Args:
        edge: straight, between flat faces.
        wish: the joint.
        thick: thickness of both plates, mm.
        radius: inside bend radius of both, mm, for flanges.

    Raises:
        JointError: a joint that this edge cannot have.
    """
    _refuse(edge, wish)
    first = wish.over != edge.b
    (over_t, under_t), (over_r, under_r) = (thick, radius) if first else (thick[::-1], radius[::-1])
    alpha = math.radians(edge.angle_deg)
    if wish.joint in ("butt", "backed"):
        both = (Ends(-wish.gap_mm / 2, -wish.gap_mm / 2),) * 2
    elif wish.joint == "corner":
        both = _corner(alpha, over_t, under_t, wish)
    elif wish.joint == "edge flange":
        turn = edge.angle_deg / 2
        both = (
            Ends(flange=_flange(wish, turn, True, 0.0, over_r, over_t)),
            Ends(flange=_flange(wish, turn, True, 0.0, under_r, under_t)),
        )
    elif wish.joint == "flanged":
        sharp = under_t / math.sin(alpha)
        over = Ends(sharp, sharp, _flange(wish, edge.turn_deg, False, sharp, over_r, over_t))
        clear = -under_t / math.tan(alpha) + setback_mm(edge.turn_deg, over_r, over_t, False)
        stop = -max(0.0, clear)
        both = (over, Ends(stop, stop))
    elif wish.joint == "set in":
        flange = _flange(wish, edge.angle_deg, True, 0.0, under_r, under_t)
        run = max(wish.past_mm, wish.flange_mm)
        both = (Ends(run, run, stands_mm=under_t), Ends(flange=flange))
    elif wish.joint == "bolted":
        run = under_t + wish.past_mm
        both = (Ends(run, run, stands_mm=under_t), Ends(-wish.gap_mm, -wish.gap_mm))
    else:
        both = _lap(alpha, over_t, under_t, wish)
    return both if first else both[::-1]


def _corner(alpha: float, a_t: float, b_t: float, wish: Wish) -> tuple[Ends, Ends]:
    """Corner to corner: insides touch where the corner turns out, outsides where it turns in; bevelled: both to the bisector."""
    if alpha <= math.pi and not wish.bevel:
        return Ends(-wish.gap_mm / 2, -wish.gap_mm / 2), Ends(-wish.gap_mm / 2, -wish.gap_mm / 2)
    sine, cosine = math.sin(alpha), math.cos(alpha)
    x = -(b_t + a_t * cosine) / sine  # where both outsides meet
    a, b = -x, -(x * cosine - a_t * sine)
    if wish.bevel:
        return Ends(0.0, a), Ends(0.0, b)
    return Ends(a, a), Ends(b, b)


def _lap(alpha: float, over_t: float, under_t: float, wish: Wish) -> tuple[Ends, Ends]:
    """The first plate runs over the edge of the second, on past it for a tee or with slots for tabs."""
    sine, cosine = math.sin(alpha), math.cos(alpha)
    past = wish.past_mm if wish.joint != "lap" else 0.0
    if alpha > math.pi:
        return _inward(alpha, over_t, under_t, wish.bevel)
    lean = under_t * cosine / sine  # how much longer the second one's outside is when it lies flat on the first
    under = Ends(0.0, lean) if wish.bevel else Ends(min(0.0, lean), min(0.0, lean))
    cover = under_t / sine if wish.bevel or cosine < 0 else under_t * sine
    stands = under_t if past else 0.0
    if wish.joint != "tabs":
        return Ends(cover + past, cover + past, stands_mm=stands), under
    past = max(past, 2.0 * over_t)
    slot = under_t + SLOT_SPARE_MM
    return (
        Ends(cover + past, cover + past, slot_mm=slot, slot_at_mm=under_t / 2, stands_mm=under_t),
        Ends(0.0, 0.0, tab_mm=over_t),
    )


def _inward(alpha: float, over_t: float, under_t: float, bevel: bool) -> tuple[Ends, Ends]:
    """At an inward corner the first plate runs through to it, its own end never in the tank, and the second stops clear of it.

    It is parted from the first by that one's outside, or where the corner is a wide one by that one's end, or by its own end:
    whichever leaves it the longest.
    """
    sine, cosine = -math.sin(alpha), math.cos(alpha)
    reach = -max(0.0, over_t / math.tan(2 * math.pi - alpha))
    ways = [(-over_t / sine, -(over_t + under_t * cosine) / sine)]
    if cosine < -1e-9:
        ways.append((0.0, under_t * sine / cosine))
        if not bevel:
            ways.append((-over_t * sine, -over_t * sine))
    stop_in, stop_out = max(ways, key=min)
    square = min(stop_in, stop_out)
    return Ends(reach, reach), Ends(stop_in, stop_out) if bevel else Ends(square, square)


def _flange(wish: Wish, turn_deg: float, reflex: bool, sharp_mm: float, radius_mm: float, t: float) -> Flange:
    """The flange asked for. JointError where it is no longer than its own bend."""
    least = setback_mm(turn_deg, radius_mm, t, reflex)
    if wish.flange_mm <= least + t:
        raise JointError(
            f"a flange of {wish.flange_mm:g} mm is no longer than its own bend; make it {math.ceil(least + 3 * t):d} mm or more"
        )
    return Flange(wish.flange_mm, turn_deg, reflex, sharp_mm)


def _refuse(edge: Edge, wish: Wish) -> None:
    """JointError that says why this edge cannot have this joint and what would do."""
    words = JOINTS[wish.joint]
    if wish.over and wish.over not in (edge.a, edge.b):
        raise JointError(f"{edge.id}: {wish.over!r} does not meet this edge; {edge.a} or {edge.b} runs over")
    if edge.smooth != (wish.joint in ("butt", "backed")):
        does = "butt or backed" if edge.smooth else "corner, lap, tee, flanged, set in, edge flange, tabs or bolted"
        raise JointError(f"{edge.id}: no joint {words!r} at {edge.angle_deg:.0f}°; {does} would do")
    if not SHARP_DEG <= edge.angle_deg <= 360 - SHARP_DEG:
        raise JointError(f"{edge.id} is too sharp for a joint of two plates; from {SHARP_DEG:g}° on it has one")
    if wish.joint in OVER and edge.turn_deg < LEAST_TURN_DEG:
        raise JointError(f"{edge.id} turns by {edge.turn_deg:.0f}° only: plates meet corner to corner there")
    if edge.reflex and wish.joint in ("tee", "flanged", "set in", "edge flange", "tabs", "bolted"):
        raise JointError(f"{edge.id} turns into the tank: nothing runs past it there; corner or lap would do")
    if wish.joint == "bolted" and abs(edge.turn_deg - 90) > SQUARE_DEG:
        raise JointError(
            f"{edge.id}: a lid is bolted square on its walls; at {edge.angle_deg:.0f}° choose lap or corner"
        )
    if wish.joint == "bolted" and wish.past_mm <= 0:
        raise JointError(
            f"{edge.id}: a bolted lid runs past its wall as far as the flange is wide, 24 mm for screws of M6"
        )
    if wish.joint == "tabs" and abs(edge.turn_deg - 90) > SQUARE_DEG:
        raise JointError(f"{edge.id}: tabs stand square; at {edge.angle_deg:.0f}° choose tee or lap")


def tabs_along(length_mm: float, thickness_mm: float) -> tuple[tuple[float, float], ...]:
    """(middle, length) mm along an edge of its self-jigging tabs: one each 200 mm at least two, none where it is too short.

    >>> tabs_along(400.0, 3.0)
    ((100.0, 40.0), (300.0, 40.0))
    """
    least = 3 * thickness_mm
    count = max(2, round(length_mm / TAB_PITCH_MM))
    long = min(LONGEST_TAB_MM, length_mm / count / 3)
    if long < least:
        count, long = 1, length_mm / 3
    if long < least:
        return ()
    return tuple(((k + 0.5) * length_mm / count, long) for k in range(count))
