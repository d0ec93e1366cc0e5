"""A tank at one attitude: where its surface lies, and at which volume each pickup uncovers and each vent goes under."""

from __future__ import annotations

from dataclasses import dataclass

from bathyx.core.capacity.capacity import Capacity, Displaced, left_behind, net_below_mm3, tilted_curve
from bathyx.core.formula import formula
from bathyx.core.geometry.dip import volume_below
from bathyx.core.geometry.shell import Array, Shell, turned
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.tank.attitude import Working, apparent, attitude, worst_attitude
from bathyx.core.units.frozen import Frozen

LEANING = formula(
    "capacity.leaning",
    "A tank at an attitude",
    "the surface lies square to gravity less the machine's acceleration; a pickup uncovers at the volume below its inlet, a vent "
    "goes under at the volume below its seat",
    source="Statics of a liquid in steady acceleration (e.g. White, Fluid Mechanics, ch. 2, from memory)",
    valid="steady slopes, braking and curves; surge overshoots them; drawn as one surface where the floor parts into pools",
    check="tests/core/test_leaning.py: wedges of a box by hand",
    tolerance="as the net volume",
)
OPENINGS = ("vent", "filler")


class Stance(Frozen):
    """How a machine stands and moves: front up, right end up, braking, and a curve to the left."""

    trim_deg: float = 0.0
    heel_deg: float = 0.0
    braking_g: float = 0.0
    cornering_g: float = 0.0

    @property
    def apparent(self) -> tuple[float, float]:
        """(trim, heel) degrees of a tank at rest with this surface."""
        return apparent(self.trim_deg, self.heel_deg, self.braking_g, self.cornering_g)


@dataclass(frozen=True, eq=False)
class Leaning:
    """What holds at an attitude. `up`: (3,) square to the surface, in the tank; `level_mm`: of the surface along it for `litres`.

    `pickups`: (id, litres left when it sucks air); `vents`: (id, litres at which it goes under). `usable_l` of the fill;
    `shut_in_l`: air above the highest opening, which the fill cannot drive out.
    """

    stance: Stance
    up: Array
    litres: float
    level_mm: float
    fill_l: float
    usable_l: float
    pickups: tuple[tuple[str, float], ...]
    vents: tuple[tuple[str, float], ...]
    shut_in_l: float


def leaning(
    shell: Shell,
    inside: Displaced,
    fittings: tuple[Fitting, ...],
    capacity: Capacity,
    stance: Stance,
    litres: float | None = None,
) -> Leaning:
    """The tank as it stands.

    Args:
        shell: the inside.
        inside: what stands in it.
        fittings: pickups, balance pipes, vents and filler among them.
        capacity: of the level tank.
        stance: slope, roll, braking, cornering.
        litres: in it; its fill unless given.
    """
    turn = attitude(*stance.apparent)
    net, fill = capacity.net.value, capacity.fill_l
    share = net / capacity.gross.value
    held = min(max(fill if litres is None else litres, 0.0), net)
    curve = tilted_curve(shell, inside, turn)
    pipes = tuple(f for f in fittings if f.does == "balance")
    dry = []
    for pickup in (f for f in fittings if f.does == "pickup" and seat(shell, f) is not None):
        left, _ = left_behind(shell, inside, (pickup, *pipes), turn, fill, share)
        dry.append((pickup.id, min(left, net)))
    vents = []
    for vent in fittings:
        spot = seat(shell, vent) if vent.kind in OPENINGS else None
        if spot is not None:
            vents.append((vent.id, min(net_below_mm3(shell, inside, turn, float(turn[2] @ spot)) / 1e6, net)))
    left, _ = left_behind(shell, inside, fittings, turn, fill, share)
    return Leaning(
        stance,
        turn[2],
        held,
        float(curve.level_for(held * 1e6)),
        fill,
        max(fill - left, 0.0),
        tuple(sorted(dry, key=lambda p: p[1])),
        tuple(sorted(vents, key=lambda v: v[1])),
        net - max((v for _, v in vents), default=net),
    )


@dataclass(frozen=True)
class Swollen:
    """The fill grown warm at an attitude, litres: `warm_l` of it, `room_l` where the last opening goes under."""

    way: str
    warm_l: float
    room_l: float

    @property
    def spilled_l(self) -> float:
        """What is pushed out."""
        return max(self.warm_l - self.room_l, 0.0)


def swollen(
    shell: Shell, fittings: tuple[Fitting, ...], capacity: Capacity, swell: float, working: Working
) -> Swollen | None:
    """What the fill needs when it has grown warm against the air it can really use, where most is pushed out; None without a vent.

    Args:
        shell: the inside; what stands in it takes its share at every height.
        fittings: vents let air out; a filler is taken as shut.
        capacity: of the level tank.
        swell: growth as a share of the fill.
        working: how far it leans; the worst of the whole range is told.

    As long as one opening is clear of the fluid, air goes out and nothing is driven; once the last is under, what is still to grow
    is pushed out through it.
    """
    spots = [spot for f in fittings if f.does == "vent" and (spot := seat(shell, f)) is not None]
    if not spots:
        return None
    share, warm = capacity.net.value / capacity.gross.value, capacity.fill_l * (1 + swell)

    def room(u: float, v: float) -> float:
        turn = attitude(*working.at(u, v))
        highest = max(float(turn[2] @ spot) for spot in spots)
        return min(volume_below(turned(shell.half_edges, turn), highest) / 1e6 * share, capacity.net.value)

    least, u, v = worst_attitude(lambda u, v: -room(u, v), working)
    return Swollen(working.words(u, v), warm, -least)


__all__ = ["LEANING", "Leaning", "Stance", "Swollen", "leaning", "swollen"]
