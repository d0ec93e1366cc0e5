"""What hangs at the pointer in the Inside stage, and what is moved there: fittings on any face, baffles across and along, straps
over the tank, doublers on a panel, a sump under the floor."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.findings.placing import Settled, free_name, put, settled
from bathyx.core.geometry.shell import Array, Shell
from bathyx.core.inside.baffles import AXIS_INDEX
from bathyx.core.inside.fittings import Fitting, usual
from bathyx.core.inside.kinds import kind, kinds
from bathyx.core.inside.straps import Strap
from bathyx.core.units import Family, parse_quantity, show
from bathyx.desk.views.tray import TrayPart
from bathyx.draft.face_view import Sight, distances, place_dims
from bathyx.draft.fitting_view import fitting_on, fitting_side
from bathyx.draft.picture import Dim, Item, Label, Picture, Poly, box, line
from bathyx.errors import Refusal

AXES = {"baffle across": "x", "baffle along": "y", "strap": "x"}
PATCHES = {"doubler": (80.0, 80.0), "sump": (100.0, 100.0)}  # mm along and across of a new one
SUMP_DEEP_MM, ROOMY = 60.0, 0.8  # ROOMY: share of a small panel that a new doubler takes
SNAP_SHARE = 0.006  # of the tank's longest side counts as nearly
BAFFLE_TALL, BAFFLE_WIDE = 60.0, 90.0


@dataclass(frozen=True)
class Held:
    """What hangs: a fitting where it would lie, the axis and place of a baffle or strap, or the `patch` (face, u, v) of a
    doubler or sump. `sight`: how the drawing looks meanwhile."""

    key: str
    sight: Sight
    at: tuple[float, float]
    fitting: Settled | None = None
    axis: str = ""
    copy_of: Fitting | None = None
    patch: tuple[str, float, float] | None = None

    @property
    def clear(self) -> bool:
        """Whether it keeps its distance from everything."""
        return self.fitting is None or self.fitting.clear

    @property
    def face(self) -> str:
        """The face that it is over; empty for a baffle or strap."""
        return (
            self.fitting.fitting.face if self.fitting is not None else self.patch[0] if self.patch is not None else ""
        )


def parts() -> tuple[TrayPart, ...]:
    """The tray: fittings in the order of their table, from the side, then baffles."""
    found = [
        TrayPart(k.key, k.title, Picture(tuple(fitting_side(usual(k.key, k.key, "top", 0, 0), np.zeros(2)))))
        for k in kinds().values()
    ]
    across = (
        box(0, 0, 5, BAFFLE_TALL, "baffle", "baffle"),
        box(-BAFFLE_WIDE / 2, 0, BAFFLE_WIDE, BAFFLE_TALL, "thin", None),
    )
    along = (box(-BAFFLE_WIDE / 2, BAFFLE_TALL / 2, BAFFLE_WIDE, 5, "baffle", "baffle"), across[1])
    found += [
        TrayPart("baffle across", "Baffle across", Picture(across)),
        TrayPart("baffle along", "Baffle along", Picture(along)),
        TrayPart(
            "strap", "Strap over it", Picture((box(0, 0, 90, 34, "thin", "fluid"), box(30, -4, 14, 42, "ink", "ring")))
        ),
        TrayPart(
            "doubler",
            "Doubler",
            Picture(
                (
                    box(0, 0, 60, 60, "ink", "ring"),
                    *(box(x, y, 5, 5, "hole", "paper") for x in (8, 47) for y in (8, 47)),
                )
            ),
        ),
        TrayPart(
            "sump",
            "Sump",
            Picture(
                (
                    Poly(
                        np.array([[0, 40], [0, 30], [22, 30], [22, 0], [58, 0], [58, 30], [80, 30], [80, 40]], float),
                        "ink",
                        "fluid",
                        1.2,
                    ),
                )
            ),
        ),
    ]
    return tuple(found)


def pick_up(e: Evaluation, sight: Sight, key: str, copy_of: Fitting | None = None, *, anywhere: bool = False) -> Held:
    """A part in the hand, at the free place nearest to the middle of what is looked at.

    Args:
        e: the evaluated job.
        sight: how the drawing looks; what sits on a wall turns it to one.
        key: of the part.
        copy_of: a fitting whose sizes it takes.
        anywhere: it hangs in the drawing as it looks, wherever such a part usually is.
    """
    r = e.results
    low, high = r.shell.bounds
    if key == "strap":
        return Held(key, Sight(), (float(low[0] + (high[0] - low[0]) / 4), float(low[1] + high[1]) / 2), axis="x")
    if key in PATCHES:
        return _patch_in_hand(e, sight if key == "doubler" else Sight(), key)
    if key in AXES:
        axis = AXES[key]
        bay = max((b for b in r.bays if b.axis == axis), key=lambda b: b.length_mm)
        middle = (low + high) / 2
        middle[AXIS_INDEX[axis]] = (bay.start_mm + bay.end_mm) / 2
        return Held(key, Sight(), (float(middle[0]), float(middle[1])), axis=axis)
    home = kind(key).home
    if copy_of is None and not anywhere:
        if home == "wall" and not sight.face:
            sight = Sight(a_wall(e))
        elif home != "wall" and kind(key).group != "threads":
            sight = Sight()
    if sight.face:
        border = sight.border(r.shell, sight.face)
        at = np.array(border.representative_point().coords[0])
    else:
        at = (low[:2] + high[:2]) / 2
    where = sight.held(r.shell, at, floor=home == "floor")
    if where is None:
        raise Refusal(
            f"nothing looks {'down' if home == 'floor' else 'up'} in the middle of this tank; pick a face in the solid view"
        )
    made = usual(key, free_name(e.job, key), *where) if copy_of is None else copy_of.model_copy(
        update={"id": free_name(e.job, key), "face": where[0], "u_mm": where[1], "v_mm": where[2]}
    )  # fmt: skip
    placed = put(e.job, r, made)
    found = Settled(placed or made, (), placed is not None)
    spot = sight.spot(r.shell, found.fitting)
    assert spot is not None
    return Held(key, sight, (float(spot[0]), float(spot[1])), found, copy_of=copy_of)


def a_wall(e: Evaluation) -> str:
    """The upright face that is looked at first: the largest end."""
    upright = [f for f in e.results.shell.faces if f.kind == "plane" and abs(float(f.normal[2])) < 0.3]
    ends = [f for f in upright if f.role == "end"] or upright or list(e.results.shell.faces)
    return max(ends, key=lambda f: (round(f.area_mm2), float(f.centroid[0]))).id


def moved(e: Evaluation, held: Held, at: tuple[float, float], *, exact: bool = False) -> Held:
    """What hangs, over another place of the drawing; beside the tank it stays where it was.

    Args:
        e: the evaluated job.
        held: what hangs.
        at: (x, y) of the drawing, mm.
        exact: as typed or by the arrows: drawn to nothing.
    """
    r = e.results
    if held.key in PATCHES:
        return _patch_at(e, held, at, 0.0 if exact else snap_of(e)) or held
    if held.fitting is None:
        k = AXIS_INDEX[held.axis]
        stops = stops_of(e, held)
        spot = min(max(at[k], stops[0] + 1), stops[-1] - 1)
        goals = goals_of(e, held)
        near = min(goals, key=lambda goal: abs(goal - spot))
        spot = near if not exact and abs(near - spot) < snap_of(e) else round(spot, 1)
        return replace(held, at=(spot, at[1]) if k == 0 else (at[0], spot))
    where = held.sight.held(r.shell, np.array(at), floor=kind(held.key).home == "floor")
    if where is None:
        return held
    wish = held.fitting.fitting.model_copy(update={"face": where[0], "u_mm": where[1], "v_mm": where[2]})
    found = settled(e.job, r, wish, 0.0 if exact else snap_of(e))
    if exact:
        found = replace(
            found, fitting=wish.model_copy(update={n: round(getattr(wish, n), 2) for n in ("u_mm", "v_mm")})
        )
    spot_there = held.sight.spot(r.shell, found.fitting)
    return replace(held, at=at if spot_there is None else (float(spot_there[0]), float(spot_there[1])), fitting=found)


def snap_of(e: Evaluation) -> float:
    """How near counts as nearly, mm."""
    low, high = e.results.shell.bounds
    return SNAP_SHARE * float((high - low).max())


def ghost(e: Evaluation, held: Held, units: Family) -> Picture:
    """What hangs, with its distances, and a word on what it lies in line with or what is wrong there."""
    r, at = e.results, np.array(held.at)
    ink = "accent" if held.clear else "stop"
    items: list[Item] = []
    if held.patch is not None:
        return _ghost_patch(e, held, units)
    if held.fitting is None:
        return _ghost_baffle(e, held, units)
    fitting = held.fitting.fitting
    items += fitting_on(fitting, at, "", ink)
    items += place_dims(held.sight.border(r.shell, fitting.face), at, units, "hang", ink)
    said = " · ".join(held.fitting.on) if held.clear else "too near to something here"
    items.append(Label(at + [0.0, fitting.rim_mm], said or fitting.title, 9.5, "paper", badge=ink, shift=(0, 16)))
    return Picture(tuple(items))


def stops_of(e: Evaluation, held: Held) -> list[float]:
    """Where bays of a baffle's axis end: the walls and the baffles between them, in order; of a strap the ends of the tank."""
    k = AXIS_INDEX[held.axis]
    low, high = (float(b[k]) for b in e.results.shell.bounds)
    between = [b.at_mm for b in e.results.baffles if b.axis == held.axis] if held.key != "strap" else []
    return sorted([low, *between, high])


def goals_of(e: Evaluation, held: Held) -> list[float]:
    """What a baffle or strap is drawn to: middles of bays; a strap to a quarter from either end, to baffles, and to where it
    lies as another does from the other end."""
    stops = stops_of(e, held)
    if held.key != "strap":
        return [(a + b) / 2 for a, b in pairwise(stops)]
    low, high = stops[0], stops[-1]
    mirrored = [low + high - s.at_mm for s in e.job.inside.straps]
    return [
        low + (high - low) / 4,
        high - (high - low) / 4,
        *mirrored,
        *(b.at_mm for b in e.results.baffles if b.axis == "x"),
    ]


def _ghost_baffle(e: Evaluation, held: Held, units: Family) -> Picture:
    """A baffle or strap that hangs: its line, and what it leaves on either side."""
    low, high = e.results.shell.bounds
    k = AXIS_INDEX[held.axis]
    ends = np.array([low[:2], high[:2]])
    ends[:, k] = held.at[k]
    middle, items = ends.mean(axis=0), list[Item]([line(ends[0], ends[1], "accent", 3.0)])
    if held.key == "strap":
        wide = Strap(at_mm=0).width_mm
        items = [box(held.at[0] - wide / 2, float(low[1]), wide, float(high[1] - low[1]), "accent", "ring", 2.0)]
    stops = stops_of(e, held)
    sides = (
        max((s for s in stops if s < held.at[k]), default=stops[0]),
        min((s for s in stops if s > held.at[k]), default=stops[-1]),
    )
    for stop, side in zip(sides, (("left", "right"), ("below", "above"))[k], strict=True):
        end = middle.copy()
        end[k] = stop
        items.append(
            Dim(middle, end, show(abs(stop - held.at[k]), "length", units), 0.0, "accent", f"edit:hang.{side}")
        )
    return Picture(tuple(items))


def size_of_patch(e: Evaluation, held: Held, face: str = "") -> tuple[float, float]:
    """(mm along u or x, mm along v or y) of what is put down on a face: a sump that is there keeps its own, a doubler is no larger
    than its panel lets it be."""
    sump = e.job.tank.sump
    if held.key == "sump" and sump is not None:
        return sump.length_mm, sump.width_mm
    low_x, low_y, high_x, high_y = held.sight.border(_under(e, held), face or held.face).bounds
    long, wide = PATCHES[held.key]
    return min(long, float(np.floor(ROOMY * (high_x - low_x)))), min(wide, float(np.floor(ROOMY * (high_y - low_y))))


def _patch_in_hand(e: Evaluation, sight: Sight, key: str) -> Held:
    """A doubler or sump in the middle of what is looked at."""
    low, high = e.results.shell.bounds
    middle = (low[:2] + high[:2]) / 2
    if sight.face:
        middle = np.array(sight.border(e.results.shell, sight.face).representative_point().coords[0])
    found = _patch_at(e, Held(key, sight, (0.0, 0.0)), (float(middle[0]), float(middle[1])), 0.0)
    if found is None:
        raise Refusal(
            f"nothing flat looks {'down' if key == 'sump' else 'up'} in the middle of this tank; pick a face in the solid view"
        )
    return found


def _patch_at(e: Evaluation, held: Held, at: tuple[float, float], snap_mm: float) -> Held | None:
    """What hangs at a place, drawn to the middle lines of its panel and kept within it; None beside flat panels."""
    shell = _under(e, held)
    where = held.sight.held(shell, np.array(at), floor=held.key == "sump")
    if where is None or shell.by_id[where[0]].kind != "plane":
        return None
    border = held.sight.border(shell, where[0])
    low_x, low_y, high_x, high_y = border.bounds
    spot = np.array(at)
    for k, (low, high) in enumerate(((low_x, high_x), (low_y, high_y))):
        half, middle = size_of_patch(e, held, where[0])[k] / 2, (low + high) / 2
        spot[k] = (
            middle
            if abs(spot[k] - middle) <= snap_mm or high - low < 2 * half
            else min(max(spot[k], low + half), high - half)
        )
    spot = np.round(spot, 1)
    where = held.sight.held(shell, spot, floor=held.key == "sump")
    if where is None or shell.by_id[where[0]].kind != "plane":
        return None
    return replace(held, at=(float(spot[0]), float(spot[1])), patch=where)


def _under(e: Evaluation, held: Held) -> Shell:
    """The shell that a patch is put on; the sump is put under the tank without it."""
    sump = held.key == "sump" and e.job.tank.sump is not None
    return e.job.tank.model_copy(update={"sump": None}).shell() if sump else e.results.shell


def _ghost_patch(e: Evaluation, held: Held, units: Family) -> Picture:
    """A doubler or sump that hangs, with its distances."""
    assert held.patch is not None
    at, (long, wide) = np.array(held.at), size_of_patch(e, held)
    border = held.sight.border(_under(e, held), held.patch[0])
    items: list[Item] = [box(at[0] - long / 2, at[1] - wide / 2, long, wide, "accent", "ring", 2.0)]
    items += place_dims(border, at, units, "hang", "accent")
    return Picture(tuple(items))


def typed_place(
    e: Evaluation, sight: Sight, face: str, at: Array, side: str, text: str, units: Family
) -> tuple[float, float]:
    """(x, y) of the drawing where a place is after one of its distances was typed. Refusal for what is no length.

    Args:
        e: the evaluated job.
        sight: how the drawing looks.
        face: the place is on.
        at: (2,) where it is.
        side: left, right, below or above: the edge it is measured from.
        text: what was typed.
        units: of a bare number.
    """
    long = parse_quantity(text, "length", units)
    edge = distances(sight.border(e.results.shell, face), at).get(side)
    if edge is None:
        raise Refusal(f"there is no edge {side} of it to measure from")
    spot, k = [float(at[0]), float(at[1])], 0 if side in ("left", "right") else 1
    spot[k] = edge + long if side in ("left", "below") else edge - long
    return spot[0], spot[1]
