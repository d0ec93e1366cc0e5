"""Whether a tank goes in: a way, a proof that there is none, or how long was looked."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.formula import formula
from bathyx.core.sheet.makeup.rims import outside
from bathyx.core.space.cavity import WALLS
from bathyx.core.units import Said, mm
from bathyx.core.wayin.air import aired, brief
from bathyx.core.wayin.built import Door, body_of, outer, plates
from bathyx.core.wayin.clock import now
from bathyx.core.wayin.path import CLOSE_MM, Tightest, eased, shortened, tightest, trimmed
from bathyx.core.wayin.pose import Array, Pose
from bathyx.core.wayin.proof import Proof, convex_part, no_way
from bathyx.core.wayin.roadmap import Finder
from bathyx.core.wayin.scene import Scene, TimeUp
from bathyx.core.wayin.through import looks, until
from bathyx.core.wayin.told import Move, begun, moves, told_out
from bathyx.errors import Refusal

WAY = formula(
    "wayin.path",
    "A way in",
    "poses from outside to the seat, each straight move between them clear of every wall and thing",
    source="Two trees of poses (RRT-Connect, Kuffner & LaValle 2000, from memory) from the seat and from half way through the "
    "opening, whose moves give way to what they meet (least distance programming, Lawson & Hanson 1974); distances by FCL",
    valid="a rigid tank, rigid walls; what hands and slings need is the reader's",
    check="tests/core/test_way_in.py: every path looked over again with trimesh; puzzles with closed forms",
    tolerance="nowhere on the path nearer than the tightest that is stated, less 0.1 mm; facets of curved walls 0.5 mm",
)
Verdict = Literal["goes_in", "cannot", "not_found"]
PROOF_S, POLISH_SHARE, POLISH_S = 5.0, 0.25, 8.0
POLISH_LOOKS, AIR_LOOKS, BRIEF_LOOKS, HEARD_S = 8000, 40_000, 12_000, 0.1
AIR_S = 12.0
ENOUGH_MM, MOST_LED = 8.0, 24  # air beyond which nothing more is worked for; moves that are followed for more air
Heard = Callable[[float], bool]


@dataclass(frozen=True, eq=False)
class WayFound:
    """What is known: `path` from outside to the seat (on the way out the other way round), its moves, where it is tightest; proofs
    by opening; how long was looked."""

    verdict: Verdict
    reason: Said
    searched_s: float
    looked: int
    path: tuple[Pose, ...] = ()
    moves: tuple[Move, ...] = ()
    tightest: Tightest | None = None
    opening: str = ""
    proofs: tuple[Proof, ...] = ()


def searched(
    e: Evaluation,
    scene: Scene,
    ways: tuple[Door, ...],
    part: Callable[[], Array],
    seconds: float,
    seed: int,
    heard: Heard,
    *,
    out: bool = False,
) -> WayFound:
    """Whether the body of a scene gets to its seat by one of the openings.

    Args:
        e: the evaluated job; its space has a way in.
        scene: the body, clear at its seat, and what is in its way.
        ways: the openings.
        part: gives the corners (n, 3) of a convex part of the body, for a proof; fewer than four for none.
        seconds: to look.
        seed: of what is tried.
        heard: called with the share of the time that is gone; False stops.
        out: the path is told from the seat.
    """
    way = e.job.space.way_in
    passed = () if way is None else plates(e.job.space, way)
    began = now()

    told = began
    going = True

    def go_on(until: float = seconds) -> bool:
        nonlocal told, going
        at = now()
        if at - told > HEARD_S:
            told = at
            going = going and heard(min((at - began) / seconds, 0.99))
        return going and at - began < until

    def searching() -> bool:
        return go_on(seconds * (1 - POLISH_SHARE))

    rng = np.random.default_rng(seed)
    low, high = e.job.space.cavity.bounds
    finder = Finder(scene, ways, low, high, rng, passed, outer(passed, e.job.space))
    for turn in range(1000):
        for door, found in finder.paths(turn, searching):
            if door in passed:  # by which of the doors the way leads that was found from there
                near = [min(float(np.linalg.norm(pose.at - d.middle)) for pose in found) for d in ways]
                door = ways[int(np.argmin(near))]
            done = _finished(e, scene, door, found, rng, began, go_on, out=out)
            if done is not None:
                return done
        if turn == 0:
            convex = part()
            # All of those outside it has to pass; one inside it may stand before, or half through.
            proofs = _proofs(convex, outer(passed, e.job.space), lambda: go_on(min(PROOF_S, seconds)))
            if not proofs:
                proofs = _proofs(convex, ways, lambda: go_on(min(PROOF_S, seconds)))
                proofs = proofs if len(proofs) == len(ways) else []
            if proofs:
                return WayFound("cannot", Said(_clash(proofs)), now() - began, scene.checks, proofs=tuple(proofs))
        if not searching():
            break
    gone = now() - began
    reason = f"no way {'out ' if out else ''}was found in {gone:.0f} s and {scene.checks:,} looks; there may be one"
    return WayFound("not_found", Said(reason), gone, scene.checks)


def refuse_bad_seat(scene: Scene, e: Evaluation) -> None:
    """A tank that touches something where it sits, or has it inside, has no way there."""
    solid = {*WALLS, *(thing.name for thing in e.job.space.things)}
    inside = [near for near in e.results.approaches if near.mm < 0 and near.what in solid]
    if inside:
        raise Refusal(
            f"where it sits the tank stands in {', '.join(n.what for n in inside)}, by up to {mm(-min(n.mm for n in inside))}; "
            "move or shorten it first"
        )
    if not scene.hits(scene.seat):
        return
    touched = {gap.name for gap in scene.gaps(scene.seat)}
    names = [part.name for part in scene.parts if part.name not in touched]
    share = 1.0
    while share > 0.5 and scene.scaled(share).hits(scene.seat):
        share -= 0.005
    deep = (1 - share) * scene.reach
    raise Refusal(
        f"where it sits the tank stands in {', '.join(dict.fromkeys(names)) or 'something'}, by some {mm(deep)}; "
        "move or shorten it first"
    )


def part_for_proofs(e: Evaluation) -> Array:
    """A convex part of the tank; bare, which passes where it would with rings."""
    bare = body_of(e, bare=True)
    r, shell = e.results, e.results.shell
    shift = bare.reshape(-1, 3).min(axis=0) - outside(shell, r.skins, r.rims).reshape(-1, 3).min(axis=0)
    return convex_part(bare, shell, np.asarray(shift))


def _proofs(part: Array, ways: tuple[Door, ...], go_on: Callable[[], bool]) -> list[Proof]:
    """A proof for each opening that has one."""
    if len(part) < 4:
        return []
    return [proof for door in ways if (proof := no_way(part, door, go_on)) is not None]


def polished(
    scene: Scene, path: list[Pose], rng: np.random.Generator, go_on: Callable[[], bool], keep: float
) -> tuple[list[Pose], Tightest]:
    """The path with as much air as so many looks win, in few moves: pushed pose by pose, or led whole, whichever has more.

    Args:
        scene: the tank and what is in its way.
        path: as it was found.
        rng: of the legs that are tried.
        go_on: False stops with what there is.
        keep: mm of air that are to be kept where they can be.
    """
    best = short = path

    def within(looks_: int, seconds: float = POLISH_S) -> Callable[[], bool]:
        scene.until, scene.most_checks = now() + seconds, scene.checks + looks_
        return looks(scene, until(go_on, seconds), looks_)

    try:
        polishing = within(POLISH_LOOKS)
        best = short = shortened(scene, best, rng, polishing)
        best = eased(scene, best, polishing, (False, True))
        again = shortened(scene, best, rng, polishing, 20)
        if tightest(scene, again).mm >= tightest(scene, best).mm - 0.05:
            best = again
    except TimeUp:
        pass
    led = None
    try:
        if tightest(scene, best).mm < ENOUGH_MM and go_on():
            led = aired(scene, short, within(AIR_LOOKS, AIR_S), (True, True))
            led = brief(scene, led, within(BRIEF_LOOKS), keep)
    except TimeUp:
        pass
    scene.until = scene.most_checks = math.inf
    least = tightest(scene, best, CLOSE_MM)
    if led is not None and len(led) <= max(MOST_LED, len(best)):
        other = tightest(scene, led, CLOSE_MM)
        if other.mm > least.mm + 0.02:
            best, least = led, other
    few = trimmed(scene, best, least.mm)
    return (few, tightest(scene, few, CLOSE_MM)) if len(few) < len(best) else (best, least)


def _clash(proofs: list[Proof]) -> str:
    said = [
        f"{p.opening} is {mm(p.size[0])} × {mm(p.size[1])}; whatever way the tank is turned, its section there is larger: "
        f"the one that comes nearest is {mm(p.section[0])} × {mm(p.section[1])}"
        for p in proofs
    ]
    return "; ".join(said)


def _finished(
    e: Evaluation,
    scene: Scene,
    door: Door,
    path: list[Pose],
    rng: np.random.Generator,
    began: float,
    go_on: Callable[[], bool],
    *,
    out: bool = False,
) -> WayFound | None:
    """The path made short and pushed to where there is more air, and what is said of it; None where it touches after all."""
    way = e.job.space.way_in
    keep = 0.0 if way is None else way.keep_mm
    best, least = polished(scene, path, rng, go_on, keep)
    if least.mm <= 0:  # looked at closely it touches: the path as it was found, if that does not
        best, least = path, tightest(scene, path, CLOSE_MM)
        if least.mm <= 0:
            return None
    gone = now() - began
    count = f"{len(best) - 1} move{'s' if len(best) != 2 else ''}"
    passed = [o.name for o in way.passed] if way is not None else []
    by = " and ".join([door.opening.name, *passed])
    said = f"{'comes out' if out else 'goes in'} by {by} in {count}; tightest {mm(least.mm, 1)} to {least.what}"
    if least.mm < keep:
        said += f", less than the {mm(keep)} that are to be kept"
    if out:
        best = best[::-1]
        least = replace(least, leg=len(best) - 2 - least.leg, share=1.0 - least.share)
    return WayFound(
        "goes_in",
        Said(said),
        gone,
        scene.checks,
        tuple(best),
        told_out(best) if out else (begun(best[0]), *moves(best)),
        least,
        door.opening.name,
    )
